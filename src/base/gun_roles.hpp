// What of a gun or finger presses, by roles.
#pragma once

#include <string_view>

namespace omnipar::inline abi_0::base {

/// It is down while the unit does not see the screen.
inline constexpr std::string_view off_screen_role = "off-screen";

/// What shoots, or touches, where a pointer is.
[[nodiscard]] constexpr bool is_trigger(std::string_view role) noexcept {
  return role == "trigger" || role == "touch-press";
}

}  // namespace omnipar::inline abi_0::base
