#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double slowest = 0.01;
constexpr Field fields[] = {
    {"slew", Measure::number, "the maximum speed of a position, in full pushes per second; 0: unlimited", 0, 1000},
};

Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = values[0] / ticks_per_second;
  return constants;
}

/// Straight to the destination, never beyond it. Positions accumulate, so they are rounded to 1/2^48.
shape::Point follow(const Constants& constants, Trail& trail, bool tick) noexcept {
  const shape::Point way{trail.goal.x - trail.at.x, trail.goal.y - trail.at.y};
  const double length = length_of(way);
  if (tick && length <= constants.numbers[0])
    trail.at = trail.goal;
  else if (tick)
    trail.at = from_fixed(to_fixed(shape::Point{trail.at.x + way.x * constants.numbers[0] / length,
                                                trail.at.y + way.y * constants.numbers[0] / length}));
  trail.moves = trail.at == trail.goal ? 0 : 1;
  return trail.at;
}

}  // namespace

constinit const Kind slew{
    .name = "slew limit",
    .about = "Limits the speed of a position.",
    .formula = "each ms it moves at most `slew` / 1000 towards its goal",
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] > 0 && values[0] < slowest ? "0, or 0.01 to 1000 full pushes per second"
                                                                       : ""};
        },
    .acts = [](const Values& values) noexcept { return values[0] > 0; },
    .words = [](const Values& values) { return fmt::format("at most {:g} full pushes per second", values[0]); },
    .prepare = prepare,
    .follow = follow};

}  // namespace omnipar::inline abi_0::stage
