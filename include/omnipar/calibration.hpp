// Calibrations: what was measured on a unit, in its raw values.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/report.hpp"

namespace omnipar::inline abi_0 {

/// A position of a stick in raw values, x to the right and y downwards. Computed positions can be fractional.
struct RawPoint {
  double x = 0;
  double y = 0;
  friend bool operator==(const RawPoint&, const RawPoint&) = default;
};

/// The range that a unit declares for an axis. A calibration applies only to this range.
struct DeclaredRange {
  std::int32_t minimum = 0;
  std::int32_t maximum = 0;
  friend bool operator==(const DeclaredRange&, const DeclaredRange&) = default;
};

/// How a measurement was made, and its error.
struct Measured {
  std::string on{};        ///< the date, "2026-03-14"; empty if unknown
  std::int32_t count = 0;  ///< number of readings used
  double error = 0;        ///< error of the fit at the edge, 95th percentile, as a fraction of a full push
  double noise = 0;        ///< noise at rest in raw values, 99.5th percentile
  double returns = 0;      ///< how far from its rest position it may stop after release, in raw values
  friend bool operator==(const Measured&, const Measured&) = default;
};

/// A raw value that was held at a position requested by a guide: "halfway down" is 0.5.
struct RawMark {
  double raw = 0;
  double part = 0;  ///< -1 to 1 of a full push
  friend bool operator==(const RawMark&, const RawMark&) = default;
};

/// The largest built-in dead zone, as a fraction of a full push.
inline constexpr double most_own_dead_zone = 0.9;

/// The calibration of an axis.
struct AxisCalibration {
  Code code;
  std::int32_t minimum = 0;
  std::int32_t maximum = 0;
  std::int32_t rest = 0;
  DeclaredRange declared{};      ///< 0 to 0: unknown
  std::vector<RawMark> marks{};  ///< for a curved response, sorted by raw value
  double own_dead_zone = 0;      ///< built-in dead zone, as a fraction of a full push, 0 to 0.9
  bool self_centering = true;    ///< returns to rest when released
  Measured measured{};
  friend bool operator==(const AxisCalibration&, const AxisCalibration&) = default;
};

/// The gate of a stick.
enum class StickGate : std::uint8_t { round, square, octagon, other };
/// Returns the word used in files.
[[nodiscard]] std::string_view word_of(StickGate gate) noexcept;

/// The calibration of a stick. A raw position is taken relative to `rest`, divided by `width` on each axis, rotated
/// back by `turned`, and compared with `edge` in its direction: on the edge it is a full push.
struct StickCalibration {
  Code x;
  Code y;
  RawPoint rest{};
  RawPoint width{};   ///< raw values of the same distance right and down; negative: the axis is reversed
  double turned = 0;  ///< rotation in degrees, from x towards y
  StickGate gate = StickGate::round;
  std::vector<RawPoint> edge{};  ///< corners of the reached area, convex, around the rest position, in order
  DeclaredRange declared_x{};
  DeclaredRange declared_y{};
  double own_dead_zone = 0;
  double own_snap = 0;  ///< degrees within which the unit snaps to its axes
  bool self_centering = true;
  Measured measured{};
  friend bool operator==(const StickCalibration&, const StickCalibration&) = default;
};

/// The model of a gun fit. Each includes the ones before it.
enum class AimModel : std::uint8_t {
  scale,       ///< factor and offset for each axis: two shots
  affine,      ///< also rotation and shear: three shots
  projective,  ///< also perspective: four or more shots
};
/// Returns the word used in files.
[[nodiscard]] std::string_view word_of(AimModel model) noexcept;

/// The calibration of a gun for one screen: the raw values at the screen's corners.
struct AimCalibration {
  std::string screen;  ///< its name in the rig; empty: the only one
  Code x;
  Code y;
  std::array<RawPoint, 4> corners{};  ///< top left, top right, bottom right, bottom left; often beyond its range
  AimModel model = AimModel::scale;
  int shots = 0;  ///< 0: calibrated by sweeping
  DeclaredRange declared_x{};
  DeclaredRange declared_y{};
  double residual = 0;  ///< RMS error at the shots, as a fraction of the screen's width; 0: unknown
  double bound = 0;     ///< 95 % bound of the largest error on the screen, in widths; 0: unknown
  std::string on{};     ///< the date
  friend bool operator==(const AimCalibration&, const AimCalibration&) = default;
};

/// Controls of a unit that interfere: while some are held, others are blocked or ghost, because of the wiring of a
/// keyboard or an encoder.
struct Combination {
  std::vector<Code> held;
  std::vector<Code> blocked;  ///< pressed, but not reported
  std::vector<Code> ghosts;   ///< reported without being pressed
  friend bool operator==(const Combination&, const Combination&) = default;
};

/// The calibration of a unit in the rig.
struct Calibration {
  std::string unit;  ///< its name in the rig
  std::vector<AxisCalibration> axes;
  std::vector<Combination> combinations{};
  std::vector<StickCalibration> sticks{};
  std::vector<AimCalibration> aims{};  ///< one for each screen
  friend bool operator==(const Calibration&, const Calibration&) = default;
};

}  // namespace omnipar::inline abi_0
