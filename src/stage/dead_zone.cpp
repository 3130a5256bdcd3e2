#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"dead-zone", Measure::number, "the fraction of a full push that counts as rest", 0, 0.9,
     [](std::string_view role, const Values&) noexcept { return default_dead_zone(role); }},
    {"outer-dead-zone", Measure::number, "the fraction before the end that counts as a full push", 0, 0.9},
};

/// numbers: both sizes, and values derived from them.
Constants prepare(const Values& values, RoleKind) {
  const shape::DeadZone zone{values[0], values[1]};
  Constants constants;
  constants.numbers = {values[0], values[1], zone.inner_square, zone.end, zone.stretch};
  return constants;
}

/// As shape::shaped, with derived values computed in advance.
shape::Point move(const Constants& constants, shape::Point point) noexcept {
  const double inner = constants.numbers[0], inner_square = constants.numbers[2], end = constants.numbers[3],
               stretch = constants.numbers[4];
  const double square = point.x * point.x + point.y * point.y;
  if (square <= inner_square) return {};
  const double length = std::sqrt(square);
  return scaled(point, length >= end ? 1 / length : (1 - inner / length) * stretch);
}

std::string words(const Values& values) {
  const std::string outer = values[1] == 0 ? "" : fmt::format(", outer {:.2f}", values[1]);
  return fmt::format("dead zone {:.2f}{}", values[0], outer);
}

constexpr double narrowest = 0.05;

}  // namespace

/// See shape::shaped: radial, and linear from its border on. A size of 0 still limits the length of a stick to 1.
constinit const Kind dead_zone{
    .name = "dead zone",
    .about =
        "Treats positions near the middle as rest and positions near the end as a full push, and scales linearly "
        "between them.",
    .formula =
        "the length r becomes 0 up to `dead-zone` d, 1 from 1 - `outer-dead-zone` o, otherwise (r - d) / (1 - o - d); "
        "the direction is unchanged",
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] + values[1] > 1 - narrowest ? "0 to 0.95, minus the dead zone" : ""};
        },
    .acts = [](const Values&) noexcept { return true; },
    .words = words,
    .prepare = prepare,
    .move = move,
    .unless_written = true};

}  // namespace omnipar::inline abi_0::stage
