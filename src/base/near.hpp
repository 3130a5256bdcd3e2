// "Did you mean": the nearest of some names to a misspelt one.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace omnipar::inline abi_0::base {

/// The name with the fewest edits (insert, delete, replace, swap of neighbours) from `misspelt`, if
/// these are at most a third of its length, rounded up; the first of equals.
[[nodiscard]] std::optional<std::string> nearest(std::string_view misspelt, std::span<const std::string_view> names);

}  // namespace omnipar::inline abi_0::base
