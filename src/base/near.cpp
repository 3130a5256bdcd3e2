#include "base/near.hpp"

#include <algorithm>
#include <vector>

namespace omnipar::inline abi_0 {
namespace {

/// Optimal string alignment distance.
std::size_t edits(std::string_view from, std::string_view to) {
  const std::size_t width = to.size() + 1;
  std::vector<std::size_t> table((from.size() + 1) * width);
  const auto cell = [&](std::size_t i, std::size_t j) -> std::size_t& { return table[i * width + j]; };
  for (std::size_t i = 0; i <= from.size(); ++i) cell(i, 0) = i;
  for (std::size_t j = 0; j <= to.size(); ++j) cell(0, j) = j;
  for (std::size_t i = 1; i <= from.size(); ++i)
    for (std::size_t j = 1; j <= to.size(); ++j) {
      const std::size_t replace = cell(i - 1, j - 1) + (from[i - 1] == to[j - 1] ? 0 : 1);
      cell(i, j) = std::min({cell(i - 1, j) + 1, cell(i, j - 1) + 1, replace});
      if (i > 1 && j > 1 && from[i - 1] == to[j - 2] && from[i - 2] == to[j - 1])
        cell(i, j) = std::min(cell(i, j), cell(i - 2, j - 2) + 1);
    }
  return cell(from.size(), to.size());
}

}  // namespace

std::optional<std::string> base::nearest(std::string_view misspelt, std::span<const std::string_view> names) {
  constexpr std::size_t longest_name = 64;
  if (misspelt.size() > longest_name) return std::nullopt;
  std::size_t best = (misspelt.size() + 2) / 3 + 1;
  std::optional<std::string> found;
  for (const std::string_view name : names) {
    const std::size_t distance = edits(misspelt, name);
    if (distance < best) {
      best = distance;
      found = std::string{name};
    }
  }
  return found;
}

}  // namespace omnipar::inline abi_0
