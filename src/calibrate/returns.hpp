// Where a control stops when it is released: not always at the same place, and not always at once.
#pragma once

#include <vector>

#include "omnipar/calibration.hpp"

namespace omnipar::inline abi_0::calibrate {

/// Where it was just after it stopped, and at the end: it may creep between them.
[[nodiscard]] std::vector<RawPoint> ends_of(const std::vector<RawPoint>& stopped);

/// The smallest circle around places, in raw numbers divided by `way`.
struct Circle {
  RawPoint middle;
  double radius = 0;  ///< in parts of the way
};
[[nodiscard]] Circle circle_around(const std::vector<RawPoint>& places, RawPoint way);

}  // namespace omnipar::inline abi_0::calibrate
