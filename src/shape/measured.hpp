// Maps raw numbers to positions by a calibration: prepared once, then a few multiplications per report.
#pragma once

#include <array>
#include <cmath>
#include <cstdint>
#include <optional>

#include "omnipar/attachment.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::shape {

/// A stick. A raw point, relative to rest, is scaled and rotated to the physical position, and divided by the distance
/// to the edge in that direction. The edge is convex and contains the rest, so among the lines through its sides the
/// nearest one counts.
struct StickMap {
  static constexpr std::size_t max_sides = 64;
  double rest_x = 0, rest_y = 0;
  double x_by_x = 1, x_by_y = 0, y_by_x = 0, y_by_y = 1;
  std::size_t sides = 0;
  std::array<Point, max_sides> side{};  ///< side . point is 1 on its line
};

/// The physical position, without the edge.
[[nodiscard]] inline Point by_hand(const StickMap& map, double raw_x, double raw_y) noexcept {
  const double x = raw_x - map.rest_x, y = raw_y - map.rest_y;
  return {map.x_by_x * x + map.x_by_y * y, map.y_by_x * x + map.y_by_y * y};
}

/// The fraction of the distance to the edge: 1 at the edge.
[[nodiscard]] inline double part_of_way(const StickMap& map, Point place) noexcept {
  double most = 0;
  for (std::size_t i = 0; i < map.sides; ++i)
    most = std::fmax(most, map.side.at(i).x * place.x + map.side.at(i).y * place.y);
  return most;
}

/// In the direction of the push, with the fraction of the distance to the edge as its length, at most 1.
[[nodiscard]] inline Point position(const StickMap& map, double raw_x, double raw_y) noexcept {
  const Point place = by_hand(map, raw_x, raw_y);
  const double square = place.x * place.x + place.y * place.y;
  if (square == 0) return {};
  const double factor = std::fmin(1, part_of_way(map, place)) / std::sqrt(square);
  return {place.x * factor, place.y * factor};
}

/// An axis with a nonlinear response: linear between its knots, whose raw numbers increase.
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

/// For a stick whose axes may be reversed. Nothing if its numbers do not describe a stick: no width, or an edge that
/// does not enclose the rest.
[[nodiscard]] std::optional<StickMap> stick_map(const StickCalibration& stick, bool reversed_x = false,
                                                bool reversed_y = false);
/// Nothing without marks, or if their raw numbers do not increase.
[[nodiscard]] std::optional<AxisMap> axis_map(const AxisCalibration& axis, const Control& control);

}  // namespace omnipar::inline abi_0::shape
