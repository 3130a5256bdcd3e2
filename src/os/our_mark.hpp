// How our own virtual devices are told from all others.
#pragma once

#include <string_view>

namespace omnipar::os {

/// What the phys of each of them begins with; units with it are never taken.
inline constexpr std::string_view our_mark = "omnipar/";

}  // namespace omnipar::os
