// Shapes: pure functions on normalised values. Only + - * / and the square root are used, which
// IEEE 754 rounds the same everywhere.
#pragma once

#include <cmath>
#include <cstdint>

#include "omnipar/system_sheet.hpp"

namespace omnipar::shape {

struct Point {
  double x = 0;
  double y = 0;
  friend constexpr bool operator==(const Point&, const Point&) = default;
};

/// The length of a diagonal's sides when the diagonal itself is 1: sqrt(1/2).
inline constexpr double diagonal = 0.70710678118654752440;

/// How an axis's raw values become normalised ones.
struct Scale {
  double minimum = 0;
  double maximum = 1;
  double rest = 0;
};

[[nodiscard]] inline double clamped(double value, double low, double high) noexcept {
  return value < low ? low : (value > high ? high : value);
}

/// -1 at the minimum, 0 at rest, 1 at the maximum, straight in between; a side without length is 0.
/// With rest at an end this is a one-sided axis: 0..1 if rest is the minimum, 0..-1 if the maximum.
[[nodiscard]] inline double normalised(const Scale& scale, std::int32_t raw) noexcept {
  const double offset = static_cast<double>(raw) - scale.rest;
  const double side = offset < 0 ? scale.rest - scale.minimum : scale.maximum - scale.rest;
  return side > 0 ? clamped(offset / side, -1, 1) : 0;
}

/// Radial dead zone: nothing up to a length of `inner`, from there evenly on to length 1, which is
/// never passed; the direction is kept. A single axis is a point with y = 0.
[[nodiscard]] inline Point dead_zone(Point point, double inner) noexcept {
  const double square = point.x * point.x + point.y * point.y;
  if (square <= inner * inner) return {};
  const double length = std::sqrt(square);
  const double wanted = length >= 1 ? 1 : (length - inner) / (1 - inner);
  const double factor = wanted / length;
  return {point.x * factor, point.y * factor};
}

/// A machine's own integer for a normalised value, halves away from zero.
[[nodiscard]] inline std::int32_t native(const NativeRange& range, double value) noexcept {
  const double rest = range.rest;
  const double exact = value < 0 ? rest + value * (rest - range.minimum) : rest + value * (range.maximum - rest);
  return static_cast<std::int32_t>(exact < 0 ? exact - 0.5 : exact + 0.5);
}

}  // namespace omnipar::shape
