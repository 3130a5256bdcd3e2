// What was measured on one unit, in the unit's own raw numbers: plain values, kept in a file of the unit.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/report.hpp"

namespace omnipar::inline abi_0 {

/// A place of a stick in raw numbers, x to the right and y downwards; between two numbers where it is worked out.
struct RawPoint {
  double x = 0;
  double y = 0;
  friend bool operator==(const RawPoint&, const RawPoint&) = default;
};

/// What a unit declares as the range of an axis. A measurement holds for this range alone.
struct DeclaredRange {
  std::int32_t minimum = 0;
  std::int32_t maximum = 0;
  friend bool operator==(const DeclaredRange&, const DeclaredRange&) = default;
};

/// Of a measurement: when, from how much, and what is left.
struct Measured {
  std::string on{};        ///< the day, "2026-03-14"; empty: not known
  std::int32_t count = 0;  ///< readings that were used
  double error = 0;        ///< what the fit is off by at the edge, as a part of a full push: of 95 readings in 100
  double noise = 0;        ///< raw: how far readings at rest are from the rest, of 995 in 1000
  double returns = 0;      ///< raw: how far from the rest it stops when it is released, from whatever side
  friend bool operator==(const Measured&, const Measured&) = default;
};

/// Where a hand held something that a guide named: "half down" is the part 0.5.
struct RawMark {
  double raw = 0;
  double part = 0;  ///< -1..1 of a full push
  friend bool operator==(const RawMark&, const RawMark&) = default;
};

/// The largest part of a full push that a unit may take for rest itself.
inline constexpr double most_own_dead_zone = 0.9;

/// What was measured on one axis.
struct AxisCalibration {
  Code code;
  std::int32_t minimum = 0;
  std::int32_t maximum = 0;
  std::int32_t rest = 0;
  DeclaredRange declared{};      ///< empty: not known
  std::vector<RawMark> marks{};  ///< of a bent response, in order of raw numbers
  double own_dead_zone = 0;      ///< what the unit itself takes for rest, as a part of a full push, 0..0.9
  bool self_centering = true;    ///< returns to rest when it is released
  Measured measured{};
  friend bool operator==(const AxisCalibration&, const AxisCalibration&) = default;
};

/// What limits a stick's way.
enum class StickGate : std::uint8_t { round, square, octagon, other };
/// As files have it.
[[nodiscard]] std::string_view word_of(StickGate gate) noexcept;

/// What was measured on a stick. A raw place is taken from `rest`, divided by `width` each way, turned back by
/// `turned`, and is then compared with the edge in its direction: at the edge it is a full push.
struct StickCalibration {
  Code x;
  Code y;
  RawPoint rest{};
  RawPoint width{};   ///< raw numbers of the same way to the right and downwards; negative: it runs the other way
  double turned = 0;  ///< degrees by which the axes are turned against the hand's, from x towards y
  StickGate gate = StickGate::round;
  std::vector<RawPoint> edge{};  ///< corners of what the stick reaches: convex, with the rest inside, in turn
  DeclaredRange declared_x{};
  DeclaredRange declared_y{};
  double own_dead_zone = 0;
  double own_snap = 0;  ///< degrees beside its axes that the unit itself makes straight
  bool self_centering = true;
  Measured measured{};
  friend bool operator==(const StickCalibration&, const StickCalibration&) = default;
};

/// What a gun's fit is a map by. Each has the freedom of those before it.
enum class AimModel : std::uint8_t {
  scale,       ///< each axis by a factor and an offset: two shots
  affine,      ///< turned and sheared, too: three
  projective,  ///< looked at from the side, too: four and more
};
/// As files have it.
[[nodiscard]] std::string_view word_of(AimModel model) noexcept;

/// Where a gun points on one screen: what it says, in raw numbers, where it is aimed at the screen's corners.
struct AimCalibration {
  std::string screen;  ///< of the rig; empty: the only one
  Code x;
  Code y;
  std::array<RawPoint, 4> corners{};  ///< upper left, upper right, lower right, lower left; often beyond its range
  AimModel model = AimModel::scale;
  int shots = 0;  ///< 0: it was swept
  DeclaredRange declared_x{};
  DeclaredRange declared_y{};
  double residual = 0;  ///< what is left at the shots, root mean square, as a part of the screen's width; 0: not known
  double bound = 0;     ///< the largest error anywhere is below this in 95 of 100 fits, in widths; 0: not known
  std::string on{};     ///< the day
  friend bool operator==(const AimCalibration&, const AimCalibration&) = default;
};

/// Controls of one unit that do not go together: while some are held, others are blocked or come as ghosts, as the
/// wiring of a keyboard or an encoder has it.
struct Combination {
  std::vector<Code> held;
  std::vector<Code> blocked;  ///< pressed, but nothing came
  std::vector<Code> ghosts;   ///< came although nobody pressed it
  friend bool operator==(const Combination&, const Combination&) = default;
};

/// What was measured on one unit of the rig.
struct Calibration {
  std::string unit;  ///< its name in the rig
  std::vector<AxisCalibration> axes;
  std::vector<Combination> combinations{};
  std::vector<StickCalibration> sticks{};
  std::vector<AimCalibration> aims{};  ///< by screen
  friend bool operator==(const Calibration&, const Calibration&) = default;
};

}  // namespace omnipar::inline abi_0
