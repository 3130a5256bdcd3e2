// How a stick is mounted in its housing, from four pushes: rotated, or with a reversed axis.
#pragma once

#include <optional>
#include <vector>

#include "shape/shape.hpp"

namespace omnipar::inline abi_0::calibrate {

struct Orientation {
  shape::Point flip{1, 1};  ///< -1: that axis is reversed
  double turned = 0;        ///< degrees, after reversing the axis; the mean of the pushes
  double error = 0;         ///< degrees: the standard error of that mean
};

/// From pushes straight up, right, down and left, relative to the rest, x to the right and y downwards, both axes
/// equally scaled. Nothing if they fit no way to mount a stick.
[[nodiscard]] std::optional<Orientation> orientation_of(const std::vector<shape::Point>& pushes);

}  // namespace omnipar::inline abi_0::calibrate
