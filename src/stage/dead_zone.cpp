#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::stage {
namespace {

constexpr Field fields[] = {
    {"dead-zone", Measure::number, "the part of a full push that counts as rest", 0, 0.9,
     [](std::string_view role, const Values&) noexcept { return default_dead_zone(role); }},
};

Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = values[0];
  return constants;
}

}  // namespace

/// See shape::shaped: radial, and even from its border on. One of 0 still keeps the length of a stick at 1.
constinit const Kind dead_zone{
    .name = "dead zone",
    .about = "Takes what is near the middle for rest, and goes on evenly from its border.",
    .fields = fields,
    .acts = [](const Values&) noexcept { return true; },
    .words = [](const Values& values) { return fmt::format("dead zone {:.2f}", values[0]); },
    .prepare = prepare,
    .move = [](const Constants& constants,
               shape::Point point) noexcept { return shape::shaped(point, constants.dead_zone()); },
    .unless_written = true};

}  // namespace omnipar::stage
