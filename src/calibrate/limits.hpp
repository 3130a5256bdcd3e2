// What a measurement accepts: the guide asks by the same limits by which the fits judge.
#pragma once

namespace omnipar::inline abi_0::calibrate {

/// Of the declared way: a control that reaches less than this hardly moved.
inline constexpr double least_way = 0.06;
/// Of the way: readings at rest are nearer to the rest than this.
inline constexpr double most_noise = 0.2;
/// Of the way: where a released control stops is nearer to the rest than this; farther, and it was left there.
inline constexpr double back_at_rest = 0.3;
/// Of the way to the edge: a direction in which less was reached was not swept to its end.
inline constexpr double least_reach = 0.8;
/// Of a push: one that stays farther from the rest than this part of it, once released, did not return at all.
inline constexpr double left_there = 0.6;
/// Of the way to the swept edge: a push that goes farther than this shows that the sweep stopped short.
inline constexpr double beyond_sweep = 1.06;

}  // namespace omnipar::inline abi_0::calibrate
