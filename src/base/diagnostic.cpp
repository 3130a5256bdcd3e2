#include "omnipar/diagnostic.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <string_view>
#include <tuple>

namespace omnipar::inline abi_0 {

std::string to_text(const Diagnostic& diagnostic) {
  std::string text;
  if (!diagnostic.place.empty()) text += diagnostic.place + ": ";
  text += diagnostic.message + " [" + diagnostic.id + "]";
  if (!diagnostic.excerpt.empty()) text += "\n" + diagnostic.excerpt;
  if (!diagnostic.hint.empty()) text += "\n  " + diagnostic.hint;
  return text;
}

namespace {

/// Splits "cabinet.toml:7:12" into the file, 7 and 12; without a line the numbers are 0.
std::tuple<std::string_view, int, int> parts_of(std::string_view place) {
  std::array<int, 2> numbers{0, 0};
  std::string_view file = place;
  for (std::size_t i = numbers.size(); i-- > 0;) {
    const std::size_t colon = file.rfind(':');
    if (colon == std::string_view::npos) return {place, 0, 0};
    const std::string_view digits = file.substr(colon + 1);
    const auto read = std::from_chars(digits.data(), digits.data() + digits.size(), numbers.at(i));
    if (read.ec != std::errc{} || read.ptr != digits.data() + digits.size()) return {place, 0, 0};
    file = file.substr(0, colon);
  }
  return {file, numbers[0], numbers[1]};
}

}  // namespace

void sort_by_place(Diagnostics& problems) {
  const auto rank = [](const Diagnostic& problem) {
    const auto [file, line, column] = parts_of(problem.place);
    return std::tuple{line != 0, file, line, column};
  };
  std::ranges::stable_sort(problems, std::less{}, rank);
}

}  // namespace omnipar::inline abi_0
