#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"invert-x", Measure::flag, "swaps left and right; for a single axis, swaps its ends"},
    {"invert-y", Measure::flag, "swaps up and down"},
};

/// numbers: the sign of x, the sign of y, and the offset of x.
Constants prepare(const Values& values, RoleKind role) {
  const bool one_sided = role == RoleKind::one_sided;
  Constants constants;
  constants.numbers = {values[0] != 0 ? -1.0 : 1.0, values[1] != 0 ? -1.0 : 1.0,
                       values[0] != 0 && one_sided ? 1.0 : 0.0};
  return constants;
}

shape::Point move(const Constants& constants, shape::Point point) noexcept {
  return {constants.numbers[2] + constants.numbers[0] * point.x, constants.numbers[1] * point.y};
}

std::string words(const Values& values) {
  if (values[1] == 0) return "inverted";
  return values[0] == 0 ? "up and down inverted" : "inverted both ways";
}

}  // namespace

/// An inverted trigger is at its end while at rest.
constinit const Kind inversion{.name = "inversion",
                               .about = "Reverses an axis.",
                               .formula = "x becomes -x, y becomes -y; a one-sided x becomes 1 - x; counts change sign",
                               .fields = fields,
                               .acts = [](const Values& values) noexcept { return values[0] != 0 || values[1] != 0; },
                               .words = words,
                               .prepare = prepare,
                               .move = move,
                               .on_pointers = true};

}  // namespace omnipar::inline abi_0::stage
