// Sticks that wear, noise and housings have made odd, of which the truth is known.
#pragma once

#include <random>
#include <vector>

#include "omnipar/calibrating.hpp"

namespace omnipar::test {

/// A stick. A place of the hand is 1 from the middle of the gate at its sides (round: everywhere).
struct MadeStick {
  StickGate gate = StickGate::round;
  DeclaredRange range{0, 255};
  double rest_x = 128, rest_y = 128;    ///< raw
  double width_x = 100, width_y = 100;  ///< raw, of the hand's 1
  double turned = 0;                    ///< degrees
  double off_x = 0, off_y = 0;          ///< where the middle of the gate is in the hand's frame: not where it rests
  double noise = 0;                     ///< at most, as a part of half its range
  double spikes = 0;                    ///< the part of all readings
  double long_spikes = 0;    ///< the part of all reports with which nonsense begins that lasts one to four of them
  double hysteresis = 0;     ///< how far from the rest it stops, on the side that it came from
  double creep = 0;          ///< and how much farther at first
  double saturates = 9;      ///< to the right it reports no more than this part of the hand's 1
  double corner_radius = 0;  ///< of a square gate: the radius of its corners
  double step = 1;           ///< raw numbers are multiples of this
  bool mirrored = false;     ///< y runs the other way, and nobody says so

  /// The raw reading of a place of the hand; of `dice` noise and spikes.
  [[nodiscard]] RawPoint exact(double x, double y) const;
  [[nodiscard]] RawPoint reading(double x, double y, std::mt19937& dice) const;
  [[nodiscard]] RawPoint rounded(RawPoint raw) const;
  [[nodiscard]] bool is_clipped(RawPoint raw) const;
  /// How far a hand gets from the rest in this direction: to the gate, or as far as the unit's range can tell.
  [[nodiscard]] double reach(double angle) const;
  /// How far the hand itself gets: to the gate.
  [[nodiscard]] double to_its_gate(double angle) const;
  [[nodiscard]] double half_range() const { return (double(range.maximum) - range.minimum) / 2; }
};

[[nodiscard]] MadeStick made_stick(unsigned seed);

/// What a patient person does: rests, goes along the edge three times, and pushes and releases four times, each push
/// off by a little.
struct Patience {
  double turns = 3;
  double seconds = 5;
  double push_error = 5;  ///< degrees, standard deviation
  double sweep = 1;       ///< how far the sweep goes, of the reach
  bool pushes = true;
};
[[nodiscard]] StickReadings readings_of(const MadeStick& stick, std::mt19937& dice, const Patience& how = {});

}  // namespace omnipar::test
