// What hotkeys ask of a play: to end, to stand still, to swap two plugs.
#pragma once

#include <string_view>

#include "omnipar/omnipar.hpp"

namespace omnipar::inline abi_0::play {

inline constexpr std::string_view freeze_action = "freeze";  ///< and to resume
inline constexpr std::string_view swap_action = "swap-ports";
inline constexpr std::string_view leave_action = "leave-seat";  ///< of those who hold its buttons

/// Adds the built-in exit combinations, which cannot be removed.
[[nodiscard]] Profile with_exit_hotkeys(Profile profile);

/// Swaps the first two ports of the profile that are ours, and compiles it. If that cannot be, the profile stays
/// as it was: `no-second-port`, or what `compile` says, such as a port that does not take the other's controller.
[[nodiscard]] tl::expected<Plan, Diagnostics> swapped_plan(const Catalogue& catalogue, Profile& profile);

}  // namespace omnipar::inline abi_0::play
