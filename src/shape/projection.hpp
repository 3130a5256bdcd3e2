// Projective maps of the plane: a screen seen from the side. Only + - * / are used, which
// IEEE 754 rounds the same everywhere.
#pragma once

#include <array>
#include <cmath>
#include <optional>

#include "omnipar/calibration.hpp"
#include "omnipar/screen.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::shape {

[[nodiscard]] inline double length(double x, double y) noexcept { return std::sqrt(x * x + y * y); }

/// A tolerance, of -1..1, so that rounding alone moves nothing off the game.
inline constexpr double aim_rounding = 2e-9;

/// A matrix by rows: (x, y) goes to ((m0 x + m1 y + m2) / w, (m3 x + m4 y + m5) / w), w = m6 x + m7 y + m8.
struct Projection {
  std::array<double, 9> m{1, 0, 0, 0, 1, 0, 0, 0, 1};

  [[nodiscard]] Point operator()(double x, double y) const noexcept {
    const double w = m[6] * x + m[7] * y + m[8];
    return {(m[0] * x + m[1] * y + m[2]) / w, (m[3] * x + m[4] * y + m[5]) / w};
  }
  friend bool operator==(const Projection&, const Projection&) = default;
};

/// First `inner`, then `outer`.
[[nodiscard]] inline Projection after(const Projection& outer, const Projection& inner) noexcept {
  Projection both;
  for (std::size_t row = 0; row < 3; ++row)
    for (std::size_t column = 0; column < 3; ++column) {
      double sum = 0;
      for (std::size_t i = 0; i < 3; ++i) sum += outer.m.at(row * 3 + i) * inner.m.at(i * 3 + column);
      both.m.at(row * 3 + column) = sum;
    }
  return both;
}

/// The inverse up to a factor, which does not matter: the adjugate matrix.
[[nodiscard]] inline Projection inverse(const Projection& map) noexcept {
  const auto& m = map.m;
  return {{m[4] * m[8] - m[5] * m[7], m[2] * m[7] - m[1] * m[8], m[1] * m[5] - m[2] * m[4],  //
           m[5] * m[6] - m[3] * m[8], m[0] * m[8] - m[2] * m[6], m[2] * m[3] - m[0] * m[5],  //
           m[3] * m[7] - m[4] * m[6], m[1] * m[6] - m[0] * m[7], m[0] * m[4] - m[1] * m[3]}};
}

/// From the unit square to four corners, in order from the upper left one (P. Heckbert, "Fundamentals of Texture
/// Mapping and Image Warping", 1989, section 2.2.3). Nothing unless they form a convex quadrilateral.
[[nodiscard]] inline std::optional<Projection> to_corners(const std::array<RawPoint, 4>& c) noexcept {
  double sign = 0;
  for (std::size_t i = 0; i < c.size(); ++i) {
    const RawPoint &a = c.at(i), &b = c.at((i + 1) % 4), &d = c.at((i + 2) % 4);
    const double turn = (b.x - a.x) * (d.y - b.y) - (b.y - a.y) * (d.x - b.x);
    if (!std::isfinite(turn) || turn == 0 || (sign != 0 && (turn > 0) != (sign > 0))) return std::nullopt;
    sign = turn;
  }
  const double dx1 = c[1].x - c[2].x, dx2 = c[3].x - c[2].x, dx3 = c[0].x - c[1].x + c[2].x - c[3].x;
  const double dy1 = c[1].y - c[2].y, dy2 = c[3].y - c[2].y, dy3 = c[0].y - c[1].y + c[2].y - c[3].y;
  const double all = dx1 * dy2 - dx2 * dy1;
  const double g = (dx3 * dy2 - dx2 * dy3) / all, h = (dx1 * dy3 - dx3 * dy1) / all;
  return Projection{{c[1].x - c[0].x + g * c[1].x, c[3].x - c[0].x + h * c[3].x, c[0].x,  //
                     c[1].y - c[0].y + g * c[1].y, c[3].y - c[0].y + h * c[3].y, c[0].y,  //
                     g, h, 1}};
}

/// From raw numbers to the screen, by the gun's readings at the screen's corners. Visible points have a positive w.
[[nodiscard]] inline std::optional<Projection> screen_map(const AimCalibration& aim) noexcept {
  const auto map = to_corners(aim.corners);
  if (!map) return std::nullopt;
  Projection back = inverse(*map);
  const Point middle = (*map)(0.5, 0.5);
  if (back.m[6] * middle.x + back.m[7] * middle.y + back.m[8] < 0)
    for (double& value : back.m) value = -value;
  return back;
}

/// From raw numbers to the screen by a gun's whole range.
[[nodiscard]] inline std::optional<Projection> by_scales(const Scale& x, const Scale& y) noexcept {
  const auto width = [](const Scale& scale) { return scale.width[std::isfinite(scale.width[0]) ? 0 : 1]; };
  const double across = width(x), down = width(y);
  if (!std::isfinite(across) || !std::isfinite(down)) return std::nullopt;
  return Projection{{1 / across, 0, -x.rest / across, 0, 1 / down, -y.rest / down, 0, 0, 1}};
}

/// From the screen to -1..1 along each axis of the game's picture.
[[nodiscard]] inline Projection to_game(const GameArea& area) noexcept {
  const AreaPoint origin = to_area(area, {0, 0}), right = to_area(area, {1, 0}), down = to_area(area, {0, 1});
  return {{2 * (right.x - origin.x), 2 * (down.x - origin.x), 2 * origin.x - 1,  //
           2 * (right.y - origin.y), 2 * (down.y - origin.y), 2 * origin.y - 1,  //
           0, 0, 1}};
}

/// False for points behind the viewer.
[[nodiscard]] inline bool is_before(const Projection& map, double x, double y) noexcept {
  return map.m[6] * x + map.m[7] * y + map.m[8] > 0;
}

}  // namespace omnipar::inline abi_0::shape
