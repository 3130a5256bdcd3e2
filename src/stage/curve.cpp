#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

#include "shape/power.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double straight(std::string_view, const Values&) noexcept { return 1; }
constexpr Field fields[] = {
    {"curve", Measure::number,
     "the exponent: above 1 for finer control near rest, below 1 for finer control near the end", 0.2, 5, straight},
};

Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = values[0];
  return constants;
}

/// The length is raised to its power, the direction is kept.
shape::Point move(const Constants& constants, shape::Point point) noexcept {
  const double square = point.x * point.x + point.y * point.y;
  if (square == 0) return point;
  const double length = std::sqrt(square);
  const double factor = shape::power(length, constants.numbers[0]) / length;
  return {point.x * factor, point.y * factor};
}

}  // namespace

constinit const Kind curve{.name = "curve",
                           .about = "Applies a power curve from rest to the end.",
                           .formula = "the length r becomes r ^ `curve`; the direction is unchanged",
                           .fields = fields,
                           .acts = [](const Values& values) noexcept { return values[0] != 1; },
                           .words = [](const Values& values) { return fmt::format("curve {:g}", values[0]); },
                           .prepare = prepare,
                           .move = move};

}  // namespace omnipar::inline abi_0::stage
