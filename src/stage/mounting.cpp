#include "stage/table.hpp"

#include <utility>

#include <fmt/format.h>

#include "shape/turn.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"swap-axes", Measure::flag, "swaps the axes: right becomes down, and down becomes right"},
    {"rotation", Measure::number, "rotation of the stick in degrees, from right towards down", -180, 180},
};

/// numbers: x from x, x from y, y from x, y from y. The axes are swapped first.
Constants prepare(const Values& values, RoleKind) {
  const shape::Turn by = shape::turn_by(values[1]);
  Constants constants;
  constants.numbers = {by.cosine, -by.sine, by.sine, by.cosine};
  if (values[0] != 0) {
    std::swap(constants.numbers[0], constants.numbers[1]);
    std::swap(constants.numbers[2], constants.numbers[3]);
  }
  return constants;
}

shape::Point move(const Constants& constants, shape::Point point) noexcept {
  const auto& by = constants.numbers;
  return {by[0] * point.x + by[1] * point.y, by[2] * point.x + by[3] * point.y};
}

std::string words(const Values& values) {
  if (values[1] == 0) return "axes swapped";
  return fmt::format("{}rotated by {:g} degrees", values[0] != 0 ? "axes swapped, " : "", values[1]);
}

}  // namespace

constinit const Kind mounting{.name = "mounting",
                              .about = "Corrects a stick that is mounted rotated or sideways.",
                              .formula =
                                  "(x, y) becomes (y, x) with `swap-axes`, and is then rotated by `rotation` a: (x cos "
                                  "a - y sin a, x sin a + y cos a)",
                              .fields = fields,
                              .acts = [](const Values& values) noexcept { return values[0] != 0 || values[1] != 0; },
                              .words = words,
                              .prepare = prepare,
                              .move = move,
                              .of_sticks = true};

}  // namespace omnipar::inline abi_0::stage
