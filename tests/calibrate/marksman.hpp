// Simulated users who calibrate guns, and their guns: with realistic scatter, tremor and resolution.
#pragma once

#include <random>
#include <vector>

#include "omnipar/omnipar.hpp"
#include "shape/projection.hpp"

namespace omnipar::test {

/// A gun somewhere in front of a screen of 1920 x 1080 pixels, with a perspective of up to 8 %.
struct MadeGun {
  int steps = 65'536;     ///< distinct numbers on each axis, spread over 0..65535
  double jitter = 0.002;  ///< the standard deviation of a report, as a fraction of the range
  double rate = 125;      ///< reports per second
  bool only_changes = true;
  shape::Projection map{};  ///< from the screen to the range, as fractions of it
};
[[nodiscard]] MadeGun made_gun(std::mt19937& dice);

struct Marksman {
  double scatter = 0.004;  ///< the standard deviation of the aim along each axis, in widths; constant during one shot
  double wild = 0;         ///< the share of stray shots
  double drift = 0.0015;   ///< the drift of a steady hand per second, in widths
  double tremor = 0.0008;  ///< at 8 to 12 Hz
  double hurry = 0;        ///< speed at the pull, in widths per second, always in the same direction
  int aims_ms = 700;       ///< from the question to the pull, including the still part, shot_time
};
[[nodiscard]] Marksman made_marksman(std::mt19937& dice);

/// The result of a fit.
struct Fitted {
  int shots = 0;         ///< pulls, without the one that saves
  bool at_once = false;  ///< with the number of shots requested at first
  bool saved = false;
  double worst = 0;  ///< the largest error anywhere on the screen, in widths
  double bound = 0;
  std::vector<AimingRefusal> refused;
};
/// A user follows the guide to the letter with a gun, and gives up after 60 shots.
[[nodiscard]] Fitted fitted(const MadeGun& gun, const Marksman& person, int shots, std::mt19937& dice);

}  // namespace omnipar::test
