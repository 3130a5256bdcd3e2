#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"anti-dead-zone", Measure::number, "where the smallest push starts, to compensate a dead zone in the game", 0,
     0.9},
};

Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers = {values[0], 1 - values[0], 0};
  return constants;
}

/// length -> begin + length * (1 - begin); rest stays rest, and the direction is kept.
shape::Point move(const Constants& constants, shape::Point point) noexcept {
  const double square = point.x * point.x + point.y * point.y;
  if (square == 0) return point;
  const double length = std::sqrt(square);
  const double factor = constants.numbers[0] / length + constants.numbers[1];
  return {point.x * factor, point.y * factor};
}

}  // namespace

constinit const Kind anti_dead_zone{
    .name = "anti-dead zone",
    .about = "Starts beyond the game's own dead zone.",
    .formula = "a length r > 0 becomes z + (1 - z) r; rest stays at rest",
    .fields = fields,
    .acts = [](const Values& values) noexcept { return values[0] != 0; },
    .words = [](const Values& values) { return fmt::format("anti-dead zone {:.2f}", values[0]); },
    .prepare = prepare,
    .move = move};

}  // namespace omnipar::inline abi_0::stage
