#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"axial-dead-zone", Measure::number, "the fraction of a full push that counts as rest, for each axis separately", 0,
     0.9},
};

/// numbers: the zone, and the factor for the rest.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers = {values[0], 1 / (1 - values[0])};
  return constants;
}

/// Per axis: 0 up to the zone, then (length - zone) / (1 - zone).
shape::Point move(const Constants& constants, shape::Point point) noexcept {
  const auto way = [&constants](double side) {
    const double beyond = std::fabs(side) - constants.numbers[0];
    return beyond <= 0 ? 0 : std::copysign(beyond * constants.numbers[1], side);
  };
  return {way(point.x), way(point.y)};
}

}  // namespace

constinit const Kind axial_dead_zone{
    .name = "axial dead zone",
    .about = "Treats positions near the middle of each axis as rest, which keeps straight pushes straight.",
    .formula = "each axis a: 0 up to `axial-dead-zone` z, otherwise sign(a) (abs(a) - z) / (1 - z)",
    .fields = fields,
    .acts = [](const Values& values) noexcept { return values[0] != 0; },
    .words = [](const Values& values) { return fmt::format("axial dead zone {:.2f}", values[0]); },
    .prepare = prepare,
    .move = move};

}  // namespace omnipar::inline abi_0::stage
