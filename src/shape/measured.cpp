#include "shape/measured.hpp"

#include <algorithm>
#include <array>

#include "shape/turn.hpp"

namespace omnipar::inline abi_0 {

std::string_view word_of(AimModel model) noexcept {
  constexpr std::array<std::string_view, 3> words{"scale", "affine", "projective"};
  return words.at(static_cast<std::size_t>(model));
}

std::string_view word_of(StickGate gate) noexcept {
  constexpr std::string_view words[] = {"round", "square", "octagon", "other"};
  return words[static_cast<std::size_t>(gate)];
}

}  // namespace omnipar::inline abi_0

namespace omnipar::inline abi_0::shape {
namespace {

/// The line through two corners, so that it . point is 1 on it; nothing if the rest is on it or beyond.
std::optional<Point> side_through(Point one, Point other) {
  const double cross = one.x * other.y - one.y * other.x;
  if (!(std::fabs(cross) > 1e-12)) return std::nullopt;
  return Point{(other.y - one.y) / cross, (one.x - other.x) / cross};
}

}  // namespace

std::optional<StickMap> stick_map(const StickCalibration& stick, bool reversed_x, bool reversed_y) {
  if (stick.width.x == 0 || stick.width.y == 0 || stick.edge.size() < 3 || stick.edge.size() > StickMap::max_sides)
    return std::nullopt;
  StickMap map;
  map.rest_x = stick.rest.x;
  map.rest_y = stick.rest.y;
  const Turn by = turn_by(stick.turned);
  const double per_x = (reversed_x ? -1 : 1) / stick.width.x, per_y = (reversed_y ? -1 : 1) / stick.width.y;
  map.x_by_x = by.cosine * per_x;
  map.x_by_y = by.sine * per_y;
  map.y_by_x = -by.sine * per_x;
  map.y_by_y = by.cosine * per_y;
  bool turns_right = false, turns_left = false;
  for (std::size_t i = 0; i < stick.edge.size(); ++i) {
    const RawPoint& from = stick.edge[i];
    const RawPoint& to = stick.edge[(i + 1) % stick.edge.size()];
    const Point one = by_hand(map, from.x, from.y), other = by_hand(map, to.x, to.y);
    const auto side = side_through(one, other);
    if (!side) return std::nullopt;
    (one.x * other.y - one.y * other.x > 0 ? turns_right : turns_left) = true;
    map.side.at(map.sides++) = *side;
  }
  if (turns_right && turns_left) return std::nullopt;
  return map;
}

std::optional<AxisMap> axis_map(const AxisCalibration& axis, const Control& control) {
  if (axis.marks.empty() || axis.marks.size() + 3 > AxisMap::max_knots) return std::nullopt;
  const bool one_sided = control.type == ControlType::one_sided;
  const bool rests_at_top = one_sided && axis.rest == axis.maximum;
  std::vector<RawMark> knots{{static_cast<double>(axis.minimum), rests_at_top ? 1.0 : -1.0},
                             {static_cast<double>(axis.rest), 0},
                             {static_cast<double>(axis.maximum), 1}};
  if (one_sided) knots.erase(knots.begin() + (rests_at_top ? 2 : 0));
  knots.insert(knots.end(), axis.marks.begin(), axis.marks.end());
  std::ranges::stable_sort(knots, {}, &RawMark::raw);
  AxisMap map;
  for (const RawMark& knot : knots) {
    if (map.knots > 0 && !(knot.raw > map.raw.at(map.knots - 1))) return std::nullopt;
    const double before = map.knots > 0 ? map.part.at(map.knots - 1) : rests_at_top ? 2 : -2;
    if (rests_at_top ? knot.part > before : knot.part < before) return std::nullopt;
    map.raw.at(map.knots) = knot.raw;
    map.part.at(map.knots++) = knot.part;
  }
  for (double& part : map.part)
    if (control.reversed && !one_sided) part = -part;
  return map;
}

}  // namespace omnipar::inline abi_0::shape
