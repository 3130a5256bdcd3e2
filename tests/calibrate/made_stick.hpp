// Sticks with wear, noise and misalignment, with known parameters.
#pragma once

#include <random>
#include <vector>

#include "omnipar/calibrating.hpp"

namespace omnipar::test {

/// A stick. Positions are relative to the centre of the gate; its sides are at 1 (a round gate: everywhere).
struct MadeStick {
  StickGate gate = StickGate::round;
  DeclaredRange range{0, 255};
  double rest_x = 128, rest_y = 128;    ///< raw
  double width_x = 100, width_y = 100;  ///< raw, for a position of 1
  double turned = 0;                    ///< degrees
  double off_x = 0, off_y = 0;          ///< the centre of the gate in the position's frame: not the rest
  double noise = 0;                     ///< the maximum, as a fraction of half its range
  double spikes = 0;                    ///< as a fraction of all readings
  double long_spikes = 0;               ///< the share of reports that start a spike of one to four reports
  double hysteresis = 0;                ///< the distance from rest at which it stops, on the side that it came from
  double creep = 0;                     ///< and the extra distance at first
  double saturates = 9;                 ///< to the right it saturates at this position
  double corner_radius = 0;             ///< of a square gate: the radius of its corners
  double step = 1;                      ///< raw numbers are multiples of this
  bool mirrored = false;                ///< y is reversed, without a sheet that states it

  /// The raw reading at a position; noise and spikes come from `dice`.
  [[nodiscard]] RawPoint exact(double x, double y) const;
  [[nodiscard]] RawPoint reading(double x, double y, std::mt19937& dice) const;
  [[nodiscard]] RawPoint rounded(RawPoint raw) const;
  [[nodiscard]] bool is_clipped(RawPoint raw) const;
  /// The distance from rest to the gate in this direction, or to the end of the unit's range.
  [[nodiscard]] double reach(double angle) const;
  /// The distance from rest to the gate.
  [[nodiscard]] double to_its_gate(double angle) const;
  [[nodiscard]] double half_range() const { return (double(range.maximum) - range.minimum) / 2; }
};

[[nodiscard]] MadeStick made_stick(unsigned seed);

/// What a patient person does: rests, follows the edge three times, and pushes and releases four times, each push with
/// a small error.
struct Patience {
  double turns = 3;
  double seconds = 5;
  double push_error = 5;  ///< degrees, standard deviation
  double sweep = 1;       ///< the extent of the sweep, as a fraction of the reach
  bool pushes = true;
};
[[nodiscard]] StickReadings readings_of(const MadeStick& stick, std::mt19937& dice, const Patience& how = {});

}  // namespace omnipar::test
