#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::stage {
namespace {

constexpr Field fields[] = {
    {"dead-zone", Measure::number, "the part of a full push that counts as rest", 0, 0.9,
     [](std::string_view role, const Values&) noexcept { return default_dead_zone(role); }},
    {"outer-dead-zone", Measure::number, "the part before the end that counts as a full push", 0, 0.9},
};

Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers = {values[0], values[1]};
  return constants;
}

std::string words(const Values& values) {
  const std::string outer = values[1] == 0 ? "" : fmt::format(", outer {:.2f}", values[1]);
  return fmt::format("dead zone {:.2f}{}", values[0], outer);
}

constexpr double narrowest = 0.05;

}  // namespace

/// See shape::shaped: radial, and even from its border on. One of 0 still keeps the length of a stick at 1.
constinit const Kind dead_zone{
    .name = "dead zone",
    .about =
        "Takes what is near the middle for rest and what is near the end for the end, and goes evenly between them.",
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] + values[1] > 1 - narrowest ? "0 to 0.95, less the dead zone in the middle"
                                                                        : ""};
        },
    .acts = [](const Values&) noexcept { return true; },
    .words = words,
    .prepare = prepare,
    .move = [](const Constants& constants,
               shape::Point point) noexcept { return shape::shaped(point, constants.dead_zone()); },
    .unless_written = true};

}  // namespace omnipar::stage
