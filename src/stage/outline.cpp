#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"to-square", Measure::flag, "a full push reaches the corners: maps the circle to the surrounding square"},
    {"to-circle", Measure::flag, "corners reach as far as sides: maps the square to the circle inside it"},
};

/// numbers: 1 for the square, -1 for the circle.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = values[0] != 0 ? 1 : -1;
  return constants;
}

/// The direction is kept; each is the inverse of the other.
shape::Point move(const Constants& constants, shape::Point point) noexcept {
  if (constants.numbers[0] > 0) return shape::squared(point);
  return scaled(point, 1 / shape::square_stretch(point));
}

}  // namespace

constinit const Kind outline{
    .name = "outline",
    .about = "Maps the circle that a stick reaches to a square, or its square to a circle.",
    .formula = "with k = length / longer side: multiplied by k for the square, divided by k for the circle",
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] != 0 && values[1] != 0 ? "one of 'to-square' and 'to-circle'" : ""};
        },
    .acts = [](const Values& values) noexcept { return values[0] != 0 || values[1] != 0; },
    .words = [](const Values& values) -> std::string { return values[0] != 0 ? "to a square" : "to a circle"; },
    .prepare = prepare,
    .move = move,
    .of_sticks = true};

}  // namespace omnipar::inline abi_0::stage
