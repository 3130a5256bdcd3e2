// Shapes: pure functions on normalised values. Only + - * / and the square root are used, which
// IEEE 754 rounds the same everywhere.
#pragma once

#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>

#include "omnipar/system_sheet.hpp"

namespace omnipar::inline abi_0::shape {

struct Point {
  double x = 0;
  double y = 0;
  /// True for 0 and -0 alike.
  [[nodiscard]] constexpr bool at_rest() const noexcept {
    return ((std::bit_cast<std::uint64_t>(x) | std::bit_cast<std::uint64_t>(y)) << 1) == 0;
  }
  friend constexpr bool operator==(const Point&, const Point&) = default;
};

/// The length of each component of a diagonal of length 1: sqrt(1/2).
inline constexpr double diagonal = 0.70710678118654752440;

/// Maps an axis's raw values to normalised ones: its rest, and the distance from there to
/// either end. A side of length zero is treated as infinite, so that it never leaves 0.
struct Scale {
  static constexpr double endless = std::numeric_limits<double>::infinity();
  double rest = 0;
  std::array<double, 2> width{endless, endless};  ///< above rest, below rest
};

[[nodiscard]] inline Scale scale_of(std::int32_t minimum, std::int32_t maximum, std::int32_t rest) noexcept {
  Scale scale;
  scale.rest = rest;
  if (maximum > rest) scale.width[0] = static_cast<double>(maximum) - rest;
  if (minimum < rest) scale.width[1] = static_cast<double>(rest) - minimum;
  return scale;
}

/// The same with its ends exchanged.
[[nodiscard]] inline Scale reversed(Scale scale) noexcept {
  for (double& width : scale.width) width = -width;
  return scale;
}

/// -1 at the minimum, 0 at rest, 1 at the maximum, linear in between, clamped. With rest at an
/// end this is a one-sided axis: 0..1 if rest is the minimum, 0..-1 if it is the maximum.
[[nodiscard]] inline double normalised(const Scale& scale, std::int32_t raw) noexcept {
  const double offset = static_cast<double>(raw) - scale.rest;
  const double value =
      offset / scale.width[offset < 0 ? 1 : 0];  // a table lookup: a branch would often be mispredicted
  const double not_above = value < 1 ? value : 1;
  return not_above > -1 ? not_above : -1;
}

/// A dead zone up to a length of `inner` and an outer one beyond `1 - outer`, with derived values computed once.
struct DeadZone {
  explicit DeadZone(double size = 0, double outer = 0) noexcept
      : inner(size), inner_square(size * size), end(1 - outer), stretch(1 / (1 - outer - size)) {}
  double inner;
  double inner_square;
  double end;
  double stretch;
};

/// Compares two pushes by their squared lengths: true if the first is longer by more than rounding.
[[nodiscard]] inline bool is_further(double square, double than) noexcept {
  constexpr double rounding = 1e-12;
  return square > than + than * rounding;
}

/// Radial dead zone: 0 up to a length of `inner`, then linear to length 1 at `end`, which is
/// never exceeded; the direction is kept. A single axis is a point with y = 0.
[[nodiscard]] inline Point shaped(Point point, const DeadZone& zone) noexcept {
  const double square = point.x * point.x + point.y * point.y;
  if (square <= zone.inner_square) return {};
  const double length = std::sqrt(square);
  // (length - inner) / (end - inner) / length, with a single division
  const double factor = length >= zone.end ? 1 / length : (1 - zone.inner / length) * zone.stretch;
  return {point.x * factor, point.y * factor};
}

/// The distance to the square with sides at 1 in this direction, for a push of length 1 on the circle.
[[nodiscard]] inline double square_stretch(Point point) noexcept {
  const double longer = std::fmax(std::fabs(point.x), std::fabs(point.y));
  return longer == 0 ? 1 : std::sqrt(point.x * point.x + point.y * point.y) / longer;
}

/// Maps the circle to the square: the direction is kept, and a full push reaches the edge everywhere, so that a round
/// stick reaches the corners.
[[nodiscard]] inline Point squared(Point point) noexcept {
  const double stretch = square_stretch(point);
  const auto stretched = [stretch](double side) { return std::fmax(-1, std::fmin(1, side * stretch)); };
  return {stretched(point.x), stretched(point.y)};
}

/// From -1..1 along each axis to 0..1 of an area; values beyond are clamped to its edge.
[[nodiscard]] inline Point on_area(Point point) noexcept {
  const auto part = [](double side) { return (std::fmax(-1, std::fmin(1, side)) + 1) / 2; };
  return {part(point.x), part(point.y)};
}

/// A direction this close to a diagonal counts as diagonal, by the ratio of its shorter side to its longer one (1.2
/// degrees), and adjacent directions are pulled towards it: a push that is one degree off still reaches the corner.
inline constexpr double corner_from = 0.85, corner_at = 0.96;

/// Maps the circle to a gate whose corners have both axes at `corner` (1: a square): the direction is kept, except
/// close to a diagonal.
[[nodiscard]] inline Point within_gate(Point point, double corner) noexcept {
  const double across = std::fabs(point.x), down = std::fabs(point.y);
  const double longer = std::fmax(across, down), shorter = std::fmin(across, down);
  if (longer == 0) return point;
  double part = shorter / longer;
  if (part > corner_from)
    part = std::fmin(1, corner_from + (part - corner_from) * ((1 - corner_from) / (corner_at - corner_from)));
  // to the gate in that direction, scaled by the length of the push
  const double side = std::fmin(1, std::sqrt(across * across + down * down) / (1 + part * (1 - corner) / corner));
  const double x = across >= down ? side : side * part, y = across >= down ? side * part : side;
  return {std::copysign(x, point.x), std::copysign(y, point.y)};
}

/// The offset of a normalised value from rest in the machine's own numbers; negative below rest if the range ascends.
[[nodiscard]] inline double from_rest(const NativeRange& range, double value) noexcept {
  if (value == 0) return 0;
  const double end = value < 0 ? static_cast<double>(range.minimum) : range.maximum;
  const double way = end - range.rest, part = std::fmin(1, std::fabs(value));
  const double band = std::fmin(range.dead_band, std::fabs(way));
  return std::copysign(band + part * (std::fabs(way) - band), way);
}

/// A machine's own integer for a normalised value: the nearest step from rest, halves away from rest.
[[nodiscard]] inline std::int32_t native(const NativeRange& range, double value) noexcept {
  if (value >= 1) return range.maximum;
  if (value <= -1) return range.minimum;
  if (range.step == 1 && range.dead_band == 0) [[likely]] {
    const double rest = range.rest;
    const double off = value < 0 ? value * (rest - range.minimum) : value * (range.maximum - rest);
    return range.rest + static_cast<std::int32_t>(off < 0 ? off - 0.5 : off + 0.5);
  }
  const double steps = from_rest(range, value) / range.step;
  const auto whole = static_cast<std::int64_t>(steps < 0 ? steps - 0.5 : steps + 0.5) * range.step;
  const std::int64_t low = range.minimum < range.maximum ? range.minimum : range.maximum;
  const std::int64_t high = range.minimum < range.maximum ? range.maximum : range.minimum;
  const std::int64_t exact = range.rest + whole;
  return static_cast<std::int32_t>(exact < low ? low : exact > high ? high : exact);
}

}  // namespace omnipar::inline abi_0::shape
