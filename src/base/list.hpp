// Names and numbers in a sentence.
#pragma once

#include <cstddef>
#include <span>
#include <string>

namespace omnipar::inline abi_0 {

/// "a, b and c"; beyond `most`, the first ones and "and 12 more".
[[nodiscard]] inline std::string some_listed(std::span<const std::string> names, std::size_t most = 6) {
  const std::size_t shown = names.size() <= most + 1 ? names.size() : most;
  std::string text;
  for (std::size_t i = 0; i < shown; ++i) {
    const bool last = i + 1 == names.size();
    text += (i == 0 ? "" : last ? " and " : ", ") + names[i];
  }
  if (shown < names.size()) text += " and " + std::to_string(names.size() - shown) + " more";
  return text;
}

/// "1 seat", "2 seats", "2 axes"; `many` if the plural is irregular.
[[nodiscard]] inline std::string quantity(std::size_t number, const std::string& one, const std::string& many = "") {
  return std::to_string(number) + " " + (number == 1 ? one : many.empty() ? one + "s" : many);
}

}  // namespace omnipar::inline abi_0
