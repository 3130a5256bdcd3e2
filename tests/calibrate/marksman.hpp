// People who fit guns, and the guns they hold: with the scatter, the tremor and the steps that both really have.
#pragma once

#include <random>
#include <vector>

#include "omnipar/omnipar.hpp"
#include "shape/projection.hpp"

namespace omnipar::test {

/// A gun that stands somewhere in front of a screen of 1920 x 1080 pixels, seen from the side by up to 8 %.
struct MadeGun {
  int steps = 65'536;     ///< different numbers on each axis, spread over 0..65535
  double jitter = 0.002;  ///< the standard deviation of a report, as a part of the range
  double rate = 125;      ///< reports in a second
  bool only_changes = true;
  shape::Projection map{};  ///< from the screen to the range, as parts of it
};
[[nodiscard]] MadeGun made_gun(std::mt19937& dice);

struct Marksman {
  double scatter = 0.004;  ///< the standard deviation of the aim, each way, in widths; the same during one shot
  double wild = 0;         ///< the part of all shots that go somewhere else
  double drift = 0.0015;   ///< how far a hand that holds still moves in a second, in widths
  double tremor = 0.0008;  ///< at 8 to 12 Hz
  double hurry = 0;        ///< it still moves by so many widths in a second when it pulls, always the same way
  int aims_ms = 700;       ///< from the question to the pull; less than shot_time of it still
};
[[nodiscard]] Marksman made_marksman(std::mt19937& dice);

/// What became of a fit.
struct Fitted {
  int shots = 0;         ///< pulls, the one that keeps it left out
  bool at_once = false;  ///< with as many shots as were asked for at first
  bool saved = false;
  double worst = 0;  ///< the largest error anywhere on the screen, in widths
  double bound = 0;
  std::vector<AimingRefusal> refused;
};
/// A person goes through the guide with a gun, and does what it asks for, to the letter; gives up after 60 shots.
[[nodiscard]] Fitted fitted(const MadeGun& gun, const Marksman& person, int shots, std::mt19937& dice);

}  // namespace omnipar::test
