// The gate of a stick: fitted by its shape.
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
  double spread = 1;  ///< two thirds of all errors are below, as parts of a full push
};

/// How far a place is on the way to the edge of a gate of this shape, of the measure 1 around 0. An octagon has
/// corners straight up, down, left, right, and between them.
[[nodiscard]] double way_to(StickGate gate, shape::Point place);

/// Fits one shape to places on the edge, relative to the rest. Least squares with Tukey's weights (A. E. Beaton,
/// J. W. Tukey, 1974), so that places that are not at the edge do not count, by damped Gauss-Newton steps.
[[nodiscard]] GateFit fit_gate(StickGate gate, const std::vector<shape::Point>& edge);

/// How far places are beyond the edge of a fitted gate, as parts of the way.
[[nodiscard]] std::vector<double> errors_of(const GateFit& fit, const std::vector<shape::Point>& edge);

/// The corners of a fitted gate in the frame of its readings; of a round one forty.
[[nodiscard]] std::vector<shape::Point> corners_of(const GateFit& fit);

/// The corners of the smallest convex outline around all of them, in turn from x towards y.
[[nodiscard]] std::vector<shape::Point> hull_of(std::vector<shape::Point> points);

/// What of a convex outline is within a box.
[[nodiscard]] std::vector<shape::Point> within(std::vector<shape::Point> outline, shape::Point low, shape::Point high);

}  // namespace omnipar::inline abi_0::calibrate
