// Well-formed UTF-8.
#pragma once

#include <cstddef>
#include <string_view>

namespace omnipar::inline abi_0::text {

/// Length of the well-formed sequence at the start of `text` (Unicode 15, table 3-7); 0 if there is none.
[[nodiscard]] std::size_t utf8_length(std::string_view text);

/// Removes the first character from `rest`, which must not be empty, and returns its printable form:
/// itself, or "?" for invalid UTF-8 and for characters that are harmful in a terminal (control characters, and
/// invisible ones that change the writing direction).
[[nodiscard]] std::string_view next_character(std::string_view& rest);

}  // namespace omnipar::inline abi_0::text
