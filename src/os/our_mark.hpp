// Identifies Omnipar's own virtual devices.
#pragma once

#include <string_view>

namespace omnipar::inline abi_0::os {

/// The start of the phys of each of them; units that have it are never used.
inline constexpr std::string_view our_mark = "omnipar/";

}  // namespace omnipar::inline abi_0::os
