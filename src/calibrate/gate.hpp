// The gate of a stick, fitted with its shape.
#pragma once

#include <vector>

#include "omnipar/calibration.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::calibrate {

/// A gate of size 1 in the user's frame, and the map to readings of its edge: shifted by `off`, rotated from x towards
/// y, and scaled on each axis.
struct GateFit {
  StickGate gate = StickGate::round;
  shape::Point wide{1, 1};
  double turned = 0;  ///< degrees
  shape::Point off{};
  double spread = 1;  ///< the two-thirds quantile of all errors, as a fraction of a full push
};

/// The relative distance of a point to the edge of a gate of this shape with size 1 around 0. An octagon has
/// corners straight up, down, left, right, and between them.
[[nodiscard]] double way_to(StickGate gate, shape::Point place);

/// Fits one shape to points on the edge, relative to the rest. Least squares with Tukey's weights (A. E. Beaton,
/// J. W. Tukey, 1974), so that points away from the edge do not count, by damped Gauss-Newton steps.
[[nodiscard]] GateFit fit_gate(StickGate gate, const std::vector<shape::Point>& edge);

/// The distance of points beyond the edge of a fitted gate, as fractions of the distance to it.
[[nodiscard]] std::vector<double> errors_of(const GateFit& fit, const std::vector<shape::Point>& edge);

/// The corners of a fitted gate in the frame of its readings; forty points for a round one.
[[nodiscard]] std::vector<shape::Point> corners_of(const GateFit& fit);

/// The corners of the convex hull, in order from x towards y.
[[nodiscard]] std::vector<shape::Point> hull_of(std::vector<shape::Point> points);

/// The part of a convex polygon inside a box.
[[nodiscard]] std::vector<shape::Point> within(std::vector<shape::Point> outline, shape::Point low, shape::Point high);

}  // namespace omnipar::inline abi_0::calibrate
