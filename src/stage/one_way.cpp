#include "stage/table.hpp"

#include <cmath>

namespace omnipar::inline abi_0::stage {
namespace {

/// numbers: the factors of x and of y, and the lower limit: 0, or none.
shape::Point move(const Constants& constants, shape::Point point) noexcept {
  const double push = constants.numbers[0] * point.x + constants.numbers[1] * point.y;
  return {std::fmax(constants.numbers[2], push), 0};
}

Constants prepare(const Values& values, RoleKind) {
  constexpr std::array<std::array<double, 2>, 4> directions{{{0, -1}, {0, 1}, {-1, 0}, {1, 0}}};
  const bool both = values[0] < 0;
  const auto& direction = directions.at(both ? 3 : static_cast<std::size_t>(values[0]));
  Constants constants;
  constants.numbers = {direction[0], direction[1], both ? -2.0 : 0.0};
  return constants;
}

std::string words(const Values& values) {
  if (values[0] < 0) return "left and right only";
  return std::string{direction_names.at(static_cast<std::size_t>(values[0]))} + " only";
}

}  // namespace

/// It has no field: role and target determine it. Its value is the index of the direction, or -1 for both sides of x.
constinit const Kind one_way{.name = "one way",
                             .about = "Uses one direction of a stick or axis, or only left and right.",
                             .fields = {},
                             .acts = [](const Values&) noexcept { return true; },
                             .words = words,
                             .prepare = prepare,
                             .move = move};

}  // namespace omnipar::inline abi_0::stage
