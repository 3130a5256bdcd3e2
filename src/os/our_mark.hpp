// Identifies Omnipar's own virtual devices.
#pragma once

#include <string_view>

namespace omnipar::inline abi_0::os {

/// What the phys of each of them begins with; units with it are never taken.
inline constexpr std::string_view our_mark = "omnipar/";

}  // namespace omnipar::inline abi_0::os
