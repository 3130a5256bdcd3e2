// How a stick stands in its housing, from four pushes: turned, or with an axis that runs the other way.
#pragma once

#include <optional>
#include <vector>

#include "shape/shape.hpp"

namespace omnipar::inline abi_0::calibrate {

struct Orientation {
  shape::Point flip{1, 1};  ///< -1: that axis runs the other way
  double turned = 0;        ///< degrees, once the axis is flipped; the mean of the pushes
  double error = 0;         ///< degrees: the standard error of that mean
};

/// From pushes straight up, right, down and left, as seen from the rest, x to the right and y downwards, both axes
/// equally long. Nothing if they fit no way in which a stick can stand.
[[nodiscard]] std::optional<Orientation> orientation_of(const std::vector<shape::Point>& pushes);

}  // namespace omnipar::inline abi_0::calibrate
