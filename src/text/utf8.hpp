// Well-formed UTF-8.
#pragma once

#include <cstddef>
#include <string_view>

namespace omnipar::inline abi_0::text {

/// Length of the well-formed sequence at the start of `text` (Unicode 15, table 3-7); 0 if there is none.
[[nodiscard]] std::size_t utf8_length(std::string_view text);

/// Takes the first character off `rest`, which must not be empty, and gives what a terminal may be shown
/// for it: itself, or "?" for bytes that are no UTF-8 and for characters that do harm there (controls, and
/// invisible ones that turn the direction of writing).
[[nodiscard]] std::string_view take_character(std::string_view& rest);

}  // namespace omnipar::inline abi_0::text
