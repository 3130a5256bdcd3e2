// Detects setup mistakes of a gun and a game from shots.
#include <algorithm>
#include <array>

#include "omnipar/gun_fit.hpp"
#include "shape/projection.hpp"

namespace omnipar::inline abi_0 {

GunRange range_of(const AimCalibration& aim, PixelSize screen, const GameArea& area) noexcept {
  const auto edges = [&aim](double x, double y) { return aimed(aim, {x, y}).value_or(AreaPoint{-1, -1}); };
  const DeclaredRange &x = aim.declared_x, &y = aim.declared_y;
  const std::array<AreaPoint, 2> own{edges(x.minimum, y.minimum), edges(x.maximum, y.maximum)};
  const auto fits = [&](const AreaBox& box) {
    constexpr double near = 0.04;
    const double tall = screen.height / screen.width;
    const auto is_at = [tall](AreaPoint one, double to_x, double to_y) {
      return shape::length(one.x - to_x, (one.y - to_y) * tall) < near;
    };
    return is_at(own[0], box.left, box.top) && is_at(own[1], box.left + box.width, box.top + box.height);
  };
  if (fits({})) return GunRange::whole_screen;
  return fits(seen_part(area)) ? GunRange::game_area : GunRange::other;
}

AimMistake mistake_of(const std::vector<AreaPoint>& aimed_at, const std::vector<AreaPoint>& landed, PixelSize screen,
                      const GameArea& really, const GameArea& taken) noexcept {
  constexpr double near = 0.02;
  const double tall = screen.height / screen.width;
  const std::size_t count = std::min(aimed_at.size(), landed.size());
  const auto all_fit = [&](auto&& explained) {
    for (std::size_t i = 0; i < count; ++i) {
      const AreaPoint to = explained(aimed_at[i]);
      if (!(shape::length(landed[i].x - to.x, (landed[i].y - to.y) * tall) < near)) return false;
    }
    return count > 0;
  };
  if (all_fit([](AreaPoint p) { return p; })) return AimMistake::none;
  // The point of the game that is hit depends on the assumed area, and is shown according to the actual one.
  if (really != taken && all_fit([&](AreaPoint p) { return to_screen(really, to_area(taken, p)); })) {
    if (taken == GameArea{}) return AimMistake::area_is_missing;
    return really == GameArea{} ? AimMistake::area_is_too_much : AimMistake::wrong_area;
  }
  // All are off by the same displacement.
  const auto all_fit_beside = [&](auto&& explained) {
    AreaPoint way;
    for (std::size_t i = 0; i < count; ++i) {
      const AreaPoint to = explained(aimed_at[i]);
      way.x += (landed[i].x - to.x) / static_cast<double>(count);
      way.y += (landed[i].y - to.y) / static_cast<double>(count);
    }
    return all_fit([&](AreaPoint p) {
      const AreaPoint to = explained(p);
      return AreaPoint{to.x + way.x, to.y + way.y};
    });
  };
  if (all_fit_beside([](AreaPoint p) { return p; })) return AimMistake::beside;
  if (all_fit([](AreaPoint p) { return AreaPoint{1 - p.x, p.y}; })) return AimMistake::x_reversed;
  if (all_fit([](AreaPoint p) { return AreaPoint{p.x, 1 - p.y}; })) return AimMistake::y_reversed;
  if (really != taken && all_fit_beside([&](AreaPoint p) { return to_screen(really, to_area(taken, p)); }))
    return AimMistake::beside_in_wrong_area;
  return AimMistake::other;
}

}  // namespace omnipar::inline abi_0
