#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::stage {
namespace {

/// 0, or not slower than this: a slower one takes longer than anybody waits.
constexpr double slowest = 0.01;
constexpr Field fields[] = {
    {"ramp", Measure::number, "full pushes a second, from a button to an axis; 0: at once", 0, 1000},
};

/// time: what is added a tick, in 1/2^48 of a full push. Rounded up: a step that is a little too short is a tick late.
Constants prepare(const Values& values, RoleKind) {
  const double stride = values[0] / ticks_per_second * static_cast<double>(whole);
  Constants constants;
  constants.time = static_cast<std::int64_t>(stride);
  if (static_cast<double>(constants.time) < stride) ++constants.time;
  return constants;
}

std::int64_t step_towards(std::int64_t from, std::int64_t goal, std::int64_t stride) noexcept {
  if (from < goal) return goal - from > stride ? from + stride : goal;
  return from - goal > stride ? from - stride : goal;
}

bool travel(const Constants& constants, FixedPoint& point, shape::Point towards) noexcept {
  const FixedPoint goal = to_fixed(towards);
  point = {step_towards(point.x, goal.x, constants.time), step_towards(point.y, goal.y, constants.time)};
  return point == goal;
}

}  // namespace

constinit const Kind ramp{
    .name = "ramp",
    .about = "Goes to where buttons push at an even speed.",
    .in = Flow::contact,
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] > 0 && values[0] < slowest ? "0, or 0.01 to 1000 full pushes a second"
                                                                       : ""};
        },
    .acts = [](const Values& values) noexcept { return values[0] > 0; },
    .words = [](const Values& values) { return fmt::format("ramp of {} full pushes per second", values[0]); },
    .prepare = prepare,
    .travel = travel};

}  // namespace omnipar::stage
