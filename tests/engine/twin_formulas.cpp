#include "twin_formulas.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <utility>
#include <vector>

namespace omnipar::test::formulas {
namespace {

constexpr long double pi = 3.14159265358979323846264L;

/// Computed in long double, so that rounding to double nearly always gives the same result everywhere.
double rounded(long double value) { return std::fabs(value) < 1e-17L ? 0 : static_cast<double>(value); }

bool is_half(const Attachment& attachment, Code code) {
  return std::ranges::any_of(attachment.controls, [code](const Control& c) { return c.code == code && c.half; });
}

bool is_reversed(const Attachment& attachment, Code code) {
  for (const Control& control : attachment.controls)
    if (control.code == code) return control.reversed;
  return false;
}

}  // namespace

double cosine(double degrees) { return rounded(std::cos(degrees * pi / 180)); }
double sine(double degrees) { return rounded(std::sin(degrees * pi / 180)); }
double power(double base, double exponent) {
  return static_cast<double>(std::pow(static_cast<long double>(base), static_cast<long double>(exponent)));
}

double through_points(double length, double quarter, double half, double three_quarters) {
  const std::array<double, 5> y{0, quarter, half, three_quarters, 1};
  std::array<double, 4> rise{};
  for (std::size_t side = 0; side < 4; ++side) rise[side] = 4 * (y[side + 1] - y[side]);
  std::array<double, 5> slope{rise[0], 0, 0, 0, rise[3]};
  for (std::size_t i = 1; i < 4; ++i)
    if (rise[i - 1] > 0 && rise[i] > 0) slope[i] = 2 / (1 / rise[i - 1] + 1 / rise[i]);
  const double at = std::fmin(1, length);
  std::size_t side = 0;
  while (side < 3 && at >= 0.25 * static_cast<double>(side + 1)) ++side;
  // y + slope h + c h^2 + d h^3, with a given value and slope at the end of the segment.
  const double width = 0.25, h = at - width * static_cast<double>(side);
  const double c = (3 * rise[side] - 2 * slope[side] - slope[side + 1]) / width;
  const double d = (slope[side] + slope[side + 1] - 2 * rise[side]) / (width * width);
  return y[side] + h * (slope[side] + h * (c + h * d));
}

double dead_zone(const Attachment& attachment, const Control& control, double usual) {
  if (usual == 0) return 0;
  double own = control.own_dead_zone, way = 0;
  Measured measured;
  for (const AxisCalibration& axis : attachment.axes) {
    if (axis.code != control.code || is_half(attachment, axis.code)) continue;
    const double below = double(axis.rest) - axis.minimum, above = double(axis.maximum) - axis.rest;
    way = below > 0 && above > 0 ? std::fmin(below, above) : below + above;
    std::tie(own, measured) = std::pair{axis.own_dead_zone, axis.measured};
  }
  for (const StickCalibration& stick : attachment.sticks) {
    if (stick.x != control.code && stick.y != control.code) continue;
    way = std::fmin(std::fabs(stick.width.x), std::fabs(stick.width.y));
    std::tie(own, measured) = std::pair{stick.own_dead_zone, stick.measured};
  }
  if (own > 0) return std::fmin(0.4, own);
  if (measured.count == 0 || way <= 0) return usual;
  return std::fmin(0.4, std::fmax(0.01, (1.5 * measured.noise + 1.25 * measured.returns) / way + 0.005));
}

std::optional<double> by_marks(const Attachment& attachment, const Control& control, double raw) {
  for (const AxisCalibration& axis : attachment.axes) {
    if (axis.code != control.code || axis.marks.empty() || is_half(attachment, axis.code)) continue;
    const bool two_sided = control.type == ControlType::two_sided, down = axis.rest == axis.maximum;
    std::map<double, double> knots{{axis.rest, 0}};
    if (two_sided || down) knots[axis.minimum] = two_sided ? -1 : 1;
    if (two_sided || !down) knots[axis.maximum] = 1;
    for (const RawMark& mark : axis.marks) knots[mark.raw] = mark.part;
    const double held = std::clamp(raw, knots.begin()->first, knots.rbegin()->first);
    const auto to = knots.lower_bound(held);
    if (to == knots.begin()) return to->second;
    const auto from = std::prev(to);
    const double part =
        (from->second * (to->first - held) + to->second * (held - from->first)) / (to->first - from->first);
    return two_sided && control.reversed ? -part : part;
  }
  return std::nullopt;
}

std::optional<Place> by_edge(const Attachment& attachment, const StickCalibration& stick, Place raw) {
  if (stick.edge.size() < 3) return std::nullopt;
  const auto by_hand = [&](double raw_x, double raw_y) {
    double x = (raw_x - stick.rest.x) / stick.width.x, y = (raw_y - stick.rest.y) / stick.width.y;
    if (is_reversed(attachment, stick.x)) x = -x;
    if (is_reversed(attachment, stick.y)) y = -y;
    const double c = cosine(stick.turned), s = sine(stick.turned);
    return Place{c * x + s * y, c * y - s * x};
  };
  const Place hand = by_hand(raw.x, raw.y);
  const double length = std::hypot(hand.x, hand.y);
  if (length == 0) return Place{};
  // A ray from rest through the position to the edge: to one of its sides, between its corners.
  for (std::size_t i = 0; i < stick.edge.size(); ++i) {
    const RawPoint& corner = stick.edge[i];
    const RawPoint& next = stick.edge[(i + 1) % stick.edge.size()];
    const Place a = by_hand(corner.x, corner.y), b = by_hand(next.x, next.y);
    const Place along{b.x - a.x, b.y - a.y};
    const double across = hand.x * along.y - hand.y * along.x;
    if (across == 0) continue;
    const double times = (a.x * along.y - a.y * along.x) / across;  // the position's distance as a part of the edge's
    const double between = (a.x * hand.y - a.y * hand.x) / across;
    constexpr double at_a_corner = 1e-12;
    if (times <= 0 || between < -at_a_corner || between > 1 + at_a_corner) continue;
    const double part = std::fmin(1, 1 / times);
    return Place{hand.x / length * part, hand.y / length * part};
  }
  return std::nullopt;
}

const AimCalibration* fit_for(const Attachment& attachment, Code x, std::string_view screen) {
  std::vector<const AimCalibration*> maybe;
  for (const AimCalibration& aim : attachment.aims) {
    if (aim.x != x) continue;
    if (aim.screen == screen) return &aim;
    if (aim.screen.empty() || screen.empty()) maybe.push_back(&aim);
  }
  return maybe.size() == 1 ? maybe.front() : nullptr;
}

/// u = (a x + b y + c) / (g x + h y + 1), v = (d x + e y + f) / (g x + h y + 1): eight unknowns, given by the four
/// corners, with x and y relative to the centre of the corners, so that all are before the screen. Gaussian
/// elimination.
std::optional<Place> on_screen(const AimCalibration& fit, Place raw) {
  RawPoint middle{};
  for (const RawPoint& corner : fit.corners) {
    middle.x += corner.x / 4;
    middle.y += corner.y / 4;
  }
  constexpr std::array<Place, 4> screen{{{0, 0}, {1, 0}, {1, 1}, {0, 1}}};
  std::array<std::array<double, 9>, 8> rows{};
  for (std::size_t i = 0; i < 4; ++i) {
    const double x = fit.corners.at(i).x - middle.x, y = fit.corners.at(i).y - middle.y;
    const auto [u, v] = screen.at(i);
    rows.at(2 * i) = {x, y, 1, 0, 0, 0, -u * x, -u * y, u};
    rows.at(2 * i + 1) = {0, 0, 0, x, y, 1, -v * x, -v * y, v};
  }
  for (std::size_t at = 0; at < 8; ++at) {
    const auto largest = std::max_element(
        rows.begin() + static_cast<std::ptrdiff_t>(at), rows.end(),
        [at](const auto& one, const auto& other) { return std::fabs(one.at(at)) < std::fabs(other.at(at)); });
    std::swap(rows.at(at), *largest);
    for (std::size_t row = 0; row < 8; ++row) {
      if (row == at) continue;
      const double factor = rows.at(row).at(at) / rows.at(at).at(at);
      for (std::size_t column = at; column < 9; ++column) rows.at(row).at(column) -= factor * rows.at(at).at(column);
    }
  }
  std::array<double, 8> k{};
  for (std::size_t i = 0; i < 8; ++i) k.at(i) = rows.at(i)[8] / rows.at(i).at(i);
  const double x = raw.x - middle.x, y = raw.y - middle.y, w = k[6] * x + k[7] * y + 1;
  if (w <= 0) return std::nullopt;
  return Place{(k[0] * x + k[1] * y + k[2]) / w, (k[3] * x + k[4] * y + k[5]) / w};
}

Place in_game(const GameArea& game, Place on_screen) {
  const double x = 2 * (on_screen.x - game.box.left) / game.box.width - 1;
  const double y = 2 * (on_screen.y - game.box.top) / game.box.height - 1;
  switch (game.turned) {
    case QuarterTurn::right:
      return {y, -x};
    case QuarterTurn::upside_down:
      return {-x, -y};
    case QuarterTurn::left:
      return {-y, x};
    default:
      return {x, y};
  }
}

}  // namespace omnipar::test::formulas
