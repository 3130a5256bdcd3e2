// Where a control stops after its release: not always at the same position, and not always immediately.
#pragma once

#include <vector>

#include "omnipar/calibration.hpp"

namespace omnipar::inline abi_0::calibrate {

/// Its position just after it stopped, and at the end: it may creep in between.
[[nodiscard]] std::vector<RawPoint> ends_of(const std::vector<RawPoint>& stopped);

/// The smallest circle around points, in raw numbers divided by `way`.
struct Circle {
  RawPoint middle;
  double radius = 0;  ///< as a fraction of the range
};
[[nodiscard]] Circle circle_around(const std::vector<RawPoint>& places, RawPoint way);

}  // namespace omnipar::inline abi_0::calibrate
