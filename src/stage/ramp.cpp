#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

/// 0, or at least this fast: a slower ramp would take longer than anyone waits.
constexpr double slowest = 0.01;
constexpr double as_the_ramp(std::string_view, const Values& before) noexcept { return before[0]; }
constexpr Field fields[] = {
    {"ramp", Measure::number, "speed from a button to an axis, in full pushes per second; 0: immediate", 0, 1000},
    {"ramp-release", Measure::number, "the speed after release; default: same as 'ramp'", 0, 1000, as_the_ramp},
    {"ramp-return", Measure::number,
     "the speed back to the middle while the other side is pressed; default: same as 'ramp'", 0, 1000, as_the_ramp},
};

/// The increment per tick, in 1/2^48 of a full push. Rounded up: a step that is slightly too short is one tick late.
double stride(double speed) {
  constexpr double at_once = 4 * static_cast<double>(whole);
  return speed == 0 ? at_once : std::ceil(speed / ticks_per_second * static_cast<double>(whole));
}

/// numbers: increments outwards, after the release, and back from the other side. time: the first one, for messages.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers = {stride(values[0]), stride(values[1]), stride(values[2])};
  constants.time = static_cast<std::int64_t>(constants.numbers[0]);
  return constants;
}

std::int64_t step_towards(std::int64_t from, std::int64_t goal, std::int64_t stride) noexcept {
  if (from < goal) return goal - from > stride ? from + stride : goal;
  return from - goal > stride ? from - stride : goal;
}

std::int64_t step(const Constants& constants, std::int64_t from, std::int64_t goal, bool against) noexcept {
  const auto stride = [&constants](std::size_t which) {
    return static_cast<std::int64_t>(constants.numbers.at(which));
  };
  const bool is_beyond_rest = (from < 0 && goal > 0) || (from > 0 && goal < 0);
  if (is_beyond_rest || (goal == 0 && against)) return step_towards(from, 0, stride(2));
  return step_towards(from, goal, stride(goal == 0 ? 1 : 0));
}

bool travel(const Constants& constants, FixedPoint& point, shape::Point towards, unsigned against) noexcept {
  const FixedPoint goal = to_fixed(towards);
  point = {step(constants, point.x, goal.x, (against & 1) != 0), step(constants, point.y, goal.y, (against & 2) != 0)};
  return point == goal;
}

std::string words(const Values& values) {
  std::string all = fmt::format("ramp of {} full pushes per second", values[0]);
  if (values[1] != values[0]) all += fmt::format(", {} when released", values[1]);
  if (values[2] != values[0]) all += fmt::format(", {} back from the other side", values[2]);
  return all;
}

bool is_too_slow(double speed) noexcept { return speed > 0 && speed < slowest; }

}  // namespace

constinit const Kind ramp{
    .name = "ramp",
    .about = "Moves an axis at constant speed to where buttons push it.",
    .formula =
        "each ms it moves ceil(2^48 speed / 1000) of 2^48 towards its goal, with `ramp-return` while it is on one side "
        "and the other is pressed, `ramp-release` when nothing is pressed, otherwise `ramp`; 0 is immediate",
    .in = Flow::contact,
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{is_too_slow(values[0]) || is_too_slow(values[1]) || is_too_slow(values[2])
                                      ? "0, or 0.01 to 1000 full pushes per second"
                                      : ""};
        },
    .acts = [](const Values& values) noexcept { return values[0] > 0 || values[1] > 0 || values[2] > 0; },
    .words = words,
    .prepare = prepare,
    .travel = travel};

}  // namespace omnipar::inline abi_0::stage
