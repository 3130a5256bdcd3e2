// Buttons of a gun or touch pad, by roles.
#pragma once

#include <string_view>

namespace omnipar::inline abi_0::base {

/// It is down while the unit does not see the screen.
inline constexpr std::string_view off_screen_role = "off-screen";

/// The button that shoots, or touches, at a pointer's position.
[[nodiscard]] constexpr bool is_trigger(std::string_view role) noexcept {
  return role == "trigger" || role == "touch-press";
}

}  // namespace omnipar::inline abi_0::base
