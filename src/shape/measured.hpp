// From raw numbers to positions by what was measured: worked out once, then a few multiplications a report.
#pragma once

#include <array>
#include <cmath>
#include <cstdint>
#include <optional>

#include "omnipar/attachment.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::shape {

/// A stick. A raw place goes from its rest, is stretched and turned to where the hand has it, and is measured by the
/// edge: the edge is convex and has the rest inside, so that of the lines through its sides the one that is nearest
/// counts.
struct StickMap {
  static constexpr std::size_t max_sides = 64;
  double rest_x = 0, rest_y = 0;
  double x_by_x = 1, x_by_y = 0, y_by_x = 0, y_by_y = 1;
  std::size_t sides = 0;
  std::array<Point, max_sides> side{};  ///< side . place is 1 on its line
};

/// Where the hand has it, without an edge.
[[nodiscard]] inline Point by_hand(const StickMap& map, double raw_x, double raw_y) noexcept {
  const double x = raw_x - map.rest_x, y = raw_y - map.rest_y;
  return {map.x_by_x * x + map.x_by_y * y, map.y_by_x * x + map.y_by_y * y};
}

/// How much of the way to the edge this is: 1 at the edge.
[[nodiscard]] inline double part_of_way(const StickMap& map, Point place) noexcept {
  double most = 0;
  for (std::size_t i = 0; i < map.sides; ++i)
    most = std::fmax(most, map.side.at(i).x * place.x + map.side.at(i).y * place.y);
  return most;
}

/// In the direction of the hand, as far as the part of the way to the edge; never beyond 1.
[[nodiscard]] inline Point position(const StickMap& map, double raw_x, double raw_y) noexcept {
  const Point place = by_hand(map, raw_x, raw_y);
  const double square = place.x * place.x + place.y * place.y;
  if (square == 0) return {};
  const double factor = std::fmin(1, part_of_way(map, place)) / std::sqrt(square);
  return {place.x * factor, place.y * factor};
}

/// An axis whose response is bent: straight between its knots, which rise in raw numbers.
struct AxisMap {
  static constexpr std::size_t max_knots = 12;
  std::size_t knots = 0;
  std::array<double, max_knots> raw{};
  std::array<double, max_knots> part{};
};

[[nodiscard]] inline double position(const AxisMap& map, double raw) noexcept {
  if (map.knots == 0) return 0;
  if (raw <= map.raw[0]) return map.part[0];
  for (std::size_t i = 1; i < map.knots; ++i) {
    if (raw > map.raw.at(i)) continue;
    const double way = (raw - map.raw.at(i - 1)) / (map.raw.at(i) - map.raw.at(i - 1));
    return map.part.at(i - 1) + way * (map.part.at(i) - map.part.at(i - 1));
  }
  return map.part.at(map.knots - 1);
}

/// Of a stick whose axes may run the other way round. Nothing if its numbers make no stick: no width, or an edge that
/// does not go around the rest.
[[nodiscard]] std::optional<StickMap> stick_map(const StickCalibration& stick, bool reversed_x = false,
                                                bool reversed_y = false);
/// Nothing without marks, or if its numbers do not rise.
[[nodiscard]] std::optional<AxisMap> axis_map(const AxisCalibration& axis, const Control& control);

}  // namespace omnipar::inline abi_0::shape
