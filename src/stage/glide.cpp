#include "stage/table.hpp"

#include <algorithm>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double usual_speed(std::string_view, const Values&) noexcept { return 1; }
constexpr Field fields[] = {
    {"glide", Measure::number,
     "speed of a pointer at a full push, in game areas per second; 0: the pointer follows the stick's position", 0, 20,
     usual_speed},
};

/// numbers: the distance per tick for a full push, in 1/2^48 of the game area.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = values[0] / ticks_per_second * static_cast<double>(whole);
  return constants;
}

/// Adds one tick's distance. Ends when nothing pushes any more.
bool travel(const Constants& constants, FixedPoint& place, shape::Point push, unsigned) noexcept {
  place.x += static_cast<std::int64_t>(push.x * constants.numbers[0]);
  place.y += static_cast<std::int64_t>(push.y * constants.numbers[0]);
  return push.at_rest();
}

}  // namespace

constinit const Kind glide{.name = "glide",
                           .about =
                               "Moves a pointer in the direction of a stick, at a speed proportional to the push. It "
                               "stays in place afterwards.",
                           .formula = "each ms the pointer moves by `glide` / 1000 of the game area times the push",
                           .out = Flow::pointer,
                           .fields = fields,
                           .acts = [](const Values&) noexcept { return true; },
                           .words = [](const Values& values) -> std::string {
                             return values[0] > 0 ? fmt::format("glides {:g} area{} per second", values[0],
                                                                values[0] == 1 ? "" : "s")
                                                  : "springs back to the centre";
                           },
                           .prepare = prepare,
                           .travel = travel};

}  // namespace omnipar::inline abi_0::stage
