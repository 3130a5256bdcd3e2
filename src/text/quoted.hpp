// A text in quotes, as in TOML and JSON.
#pragma once

#include <string>
#include <string_view>

#include <fmt/format.h>

namespace omnipar::inline abi_0::text {

[[nodiscard]] inline std::string quoted(std::string_view text) {
  std::string all = "\"";
  for (const char c : text) {
    const auto byte = static_cast<unsigned char>(c);
    if (c == '"' || c == '\\')
      all += fmt::format("\\{}", c);
    else if (byte < 0x20 || byte == 0x7f)
      all += fmt::format("\\u{:04x}", byte);
    else
      all += c;
  }
  return all + "\"";
}

}  // namespace omnipar::inline abi_0::text
