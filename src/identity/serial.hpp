// Serial numbers and radio addresses, which cable and radio write differently.
#pragma once

#include <string>
#include <string_view>

namespace omnipar::inline abi_0::identity {

/// Without colons and dashes, in lower case.
[[nodiscard]] std::string plain_serial(std::string_view serial);

/// True if it looks like a radio address, which is globally unique: twelve hexadecimal digits, not
/// all alike.
[[nodiscard]] bool is_address(std::string_view serial);

}  // namespace omnipar::inline abi_0::identity
