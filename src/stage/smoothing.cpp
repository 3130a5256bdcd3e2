#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double usual_speed(std::string_view, const Values&) noexcept { return 2; }
constexpr double slowest = 0.05;
constexpr Field fields[] = {
    {"smoothing", Measure::number, "cutoff frequency for a held position in Hz, lower is steadier; 0: off", 0, 100},
    {"smoothing-by-speed", Measure::number,
     "added cutoff in Hz for each full push per second, so that fast moves do not lag", 0, 100, usual_speed},
};

constexpr double two_pi = 6.28318530717958647693;

/// The fraction of the distance to a new value per tick: 1 / (1 + tau / T), with tau = 1 / (2 pi cutoff).
double share(double cutoff) noexcept {
  const double turns = two_pi * cutoff / ticks_per_second;
  return turns / (1 + turns);
}

/// numbers: the lowest cutoff, its increase with speed, and the weight of a new speed per tick, whose cutoff is 1 Hz.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers = {values[0], values[1], share(1)};
  return constants;
}

/// Smaller fractions of a full push are invisible.
constexpr double there = 1e-7;

/// The 1-euro filter (G. Casiez, N. Roussel, D. Vogel, CHI 2012), one value per tick; both axes of a stick share the
/// cutoff of its speed, so that no direction is distorted.
shape::Point follow(const Constants& constants, Trail& trail, bool tick) noexcept {
  if (trail.begun == 0) trail = {trail.goal, trail.goal, {}, 0, 1, 0, 0};
  const shape::Point way{trail.goal.x - trail.at.x, trail.goal.y - trail.at.y};
  if (tick) {
    const double of_new = constants.numbers[2];
    trail.speed = {trail.speed.x + of_new * (way.x * ticks_per_second - trail.speed.x),
                   trail.speed.y + of_new * (way.y * ticks_per_second - trail.speed.y)};
    const double part = share(constants.numbers[0] + constants.numbers[1] * length_of(trail.speed));
    trail.at = {trail.at.x + part * way.x, trail.at.y + part * way.y};
  }
  if (std::fabs(trail.goal.x - trail.at.x) < there && std::fabs(trail.goal.y - trail.at.y) < there)
    trail = {trail.goal, trail.goal, {}, 0, 1, 0, 0};
  else
    trail.moves = 1;
  return trail.at;
}

}  // namespace

constinit const Kind smoothing{
    .name = "smoothing",
    .about = "Removes jitter from a held position; fast moves lag less.",
    .formula =
        "each ms: v += s(1) (1000 (goal - p) - v), p += s(`smoothing` + `smoothing-by-speed` length(v)) (goal - p), "
        "where s(f) = 2 pi f / (1000 + 2 pi f); within 1e-7 of its goal it arrives, and v is 0",
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] > 0 && values[0] < slowest ? "0, or 0.05 to 100 Hz" : ""};
        },
    .acts = [](const Values& values) noexcept { return values[0] > 0; },
    .words =
        [](const Values& values) { return fmt::format("smoothed, {:g} Hz and {:g} by speed", values[0], values[1]); },
    .prepare = prepare,
    .follow = follow};

}  // namespace omnipar::inline abi_0::stage
