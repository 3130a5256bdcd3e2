// Two ports change their plugs while the game runs.
#pragma once

#include <string_view>

#include "omnipar/omnipar.hpp"

namespace omnipar::play {

/// The hotkey that asks for it.
inline constexpr std::string_view swap_action = "swap-ports";

/// Swaps the first two ports of the profile that are ours, and compiles it. If that cannot be, the profile stays
/// as it was: `no-second-port`, or what `compile` says, such as a port that does not take the other's controller.
[[nodiscard]] tl::expected<Plan, Diagnostics> swapped_plan(const Catalogue& catalogue, Profile& profile);

}  // namespace omnipar::play
