#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

#include "shape/turn.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double usual_hysteresis(std::string_view, const Values&) noexcept { return 6; }
constexpr Field fields[] = {
    {"ways", Measure::number, "restricts a stick to 4 or 8 directions; 0: unrestricted", 0, 8},
    {"ways-hysteresis", Measure::number, "degrees beyond the border before the direction changes", 0, 20,
     usual_hysteresis},
};

/// numbers: the number of ways, and the cosine of the angle from the centre of its way within which a push stays in it.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers = {values[0], shape::turn_by(180 / values[0] + values[1]).cosine};
  return constants;
}

shape::Point middle_of(std::uint32_t way, double ways) noexcept {
  constexpr double d = shape::diagonal;
  constexpr shape::Point all[] = {{1, 0}, {d, d}, {0, 1}, {-d, d}, {-1, 0}, {-d, -d}, {0, -1}, {d, -d}};
  return all[std::size_t{way - 1} * (ways == 4 ? 2 : 1)];
}

/// Its current way while the push is close enough to the centre, otherwise the nearest one.
shape::Point follow(const Constants& constants, Trail& trail, bool) noexcept {
  const double ways = constants.numbers[0];
  const shape::Point to = trail.goal;
  const double length = length_of(to);
  const auto along = [&](std::uint32_t way) {
    const shape::Point middle = middle_of(way, ways);
    return middle.x * to.x + middle.y * to.y;
  };
  if (length == 0) {
    trail.way = 0;
  } else if (trail.way == 0 || along(trail.way) < constants.numbers[1] * length) {
    trail.way = 1;
    for (std::uint32_t way = 2; way <= static_cast<std::uint32_t>(ways); ++way)
      if (along(way) > along(trail.way)) trail.way = way;
  }
  trail.at = trail.way == 0 ? shape::Point{} : scaled(middle_of(trail.way, ways), std::fmin(1, length));
  return trail.at;
}

}  // namespace

constinit const Kind ways{
    .name = "ways",
    .about = "Restricts a stick to four or eight directions, with hysteresis between them.",
    .formula =
        "the nearest of 4 or 8 directions (of two equally near, the first from right by down), held while the push is "
        "within 180 / `ways` + `ways-hysteresis` degrees of it; the length is unchanged, but at most 1",
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] != 0 && values[0] != 4 && values[0] != 8 ? "0, 4 or 8" : ""};
        },
    .acts = [](const Values& values) noexcept { return values[0] != 0; },
    .words = [](const Values& values) { return fmt::format("{:g} ways, {:g} degrees further", values[0], values[1]); },
    .prepare = prepare,
    .follow = follow,
    .of_sticks = true};

}  // namespace omnipar::inline abi_0::stage
