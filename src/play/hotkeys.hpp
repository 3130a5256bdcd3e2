// Actions of hotkeys on a session: exit, freeze, swap two ports.
#pragma once

#include <string_view>

#include "omnipar/omnipar.hpp"

namespace omnipar::inline abi_0::play {

inline constexpr std::string_view freeze_action = "freeze";  ///< and to resume
inline constexpr std::string_view swap_action = "swap-ports";
inline constexpr std::string_view leave_action = "leave-seat";  ///< for the players who hold its buttons

/// Adds the built-in exit combinations, which cannot be removed.
[[nodiscard]] Profile with_exit_hotkeys(Profile profile);

/// Swaps the first two of our ports in the profile and compiles it. On failure the profile is unchanged:
/// `no-second-port`, or an error of `compile`, such as a port that does not accept the other's controller.
[[nodiscard]] tl::expected<Plan, Diagnostics> swapped_plan(const Catalogue& catalogue, Profile& profile);

}  // namespace omnipar::inline abi_0::play
