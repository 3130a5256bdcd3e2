// The limits of a calibration, shared by the guide, which asks, and the fits, which decide.
#pragma once

namespace omnipar::inline abi_0::calibrate {

/// Of the declared range: a control that reaches less than this hardly moved.
inline constexpr double least_way = 0.06;
/// Of the range: readings at rest are closer to the rest than this.
inline constexpr double most_noise = 0.2;
/// Of the range: a released control stops closer to the rest than this; further away, it was left there.
inline constexpr double back_at_rest = 0.3;
/// Of the distance to the edge: a direction with a smaller reach was not swept to its end.
inline constexpr double least_reach = 0.8;
/// Of a push: a control that stays further from rest than this fraction after its release did not return at all.
inline constexpr double left_there = 0.6;
/// Of the distance to the swept edge: a push beyond this shows that the sweep stopped short.
inline constexpr double beyond_sweep = 1.06;

}  // namespace omnipar::inline abi_0::calibrate
