#include "calibrate/returns.hpp"

#include <algorithm>
#include <cmath>

#include "calibrate/readings.hpp"

namespace omnipar::inline abi_0::calibrate {

std::vector<RawPoint> ends_of(const std::vector<RawPoint>& stopped) {
  constexpr std::size_t tenth_of_a_second = 25;
  const auto count = static_cast<std::ptrdiff_t>(std::min(tenth_of_a_second, stopped.size()));
  if (count == 0) return {};
  return {median(std::vector<RawPoint>{stopped.begin(), stopped.begin() + count}),
          median(std::vector<RawPoint>{stopped.end() - count, stopped.end()})};
}

/// Steps towards the furthest point, each shorter than the previous one (M. Badoiu and K. L. Clarkson, "Smaller
/// Core-Sets for Balls", 2003).
Circle circle_around(const std::vector<RawPoint>& places, RawPoint way) {
  Circle circle;
  if (places.empty()) return circle;
  circle.middle = places.front();
  const auto distance = [&](RawPoint p) {
    const double x = (p.x - circle.middle.x) / way.x, y = (p.y - circle.middle.y) / way.y;
    return std::sqrt(x * x + y * y);
  };
  constexpr int rounds = 400;
  for (int round = 1; round <= rounds; ++round) {
    const RawPoint far = *std::ranges::max_element(places, {}, distance);
    const double part = 1.0 / (round + 1);
    circle.middle = {circle.middle.x + part * (far.x - circle.middle.x),
                     circle.middle.y + part * (far.y - circle.middle.y)};
  }
  for (const RawPoint& place : places) circle.radius = std::max(circle.radius, distance(place));
  return circle;
}

}  // namespace omnipar::inline abi_0::calibrate
