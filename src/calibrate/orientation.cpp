#include "calibrate/orientation.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "shape/turn.hpp"

namespace omnipar::inline abi_0::calibrate {
namespace {

using shape::Point;

/// The expected sideways error of a push in degrees; the prior counts as much as two pushes.
constexpr double usual_error = 5;
constexpr double worth = 2;
/// The largest sideways error of a push.
constexpr double most_apart = 32;

/// The mean angle between pushes and the requested directions, and its error.
std::optional<Orientation> turned_by(const std::vector<Point>& pushes) {
  constexpr std::array<double, 4> asked{-90, 0, 90, 180};
  std::vector<double> off;
  for (std::size_t i = 0; i < std::min(asked.size(), pushes.size()); ++i)
    off.push_back(std::remainder(shape::angle_of(pushes[i]) - asked.at(i), 360));
  if (off.empty()) return std::nullopt;
  const auto count = static_cast<double>(off.size());
  double mean = 0;
  for (const double angle : off) mean += off.front() + std::remainder(angle - off.front(), 360);
  mean /= count;
  double squares = 0;
  for (const double angle : off) {
    const double apart = std::remainder(angle - mean, 360);
    if (std::fabs(apart) > most_apart) return std::nullopt;
    squares += apart * apart;
  }
  const double variance = (worth * usual_error * usual_error + squares) / (worth + count - 1);
  return Orientation{{1, 1}, std::remainder(mean, 360), std::sqrt(variance / count)};
}

}  // namespace

std::optional<Orientation> orientation_of(const std::vector<Point>& pushes) {
  if (const auto straight = turned_by(pushes)) return straight;
  std::vector<Point> mirrored = pushes;
  for (Point& push : mirrored) push.y = -push.y;
  auto found = turned_by(mirrored);
  if (!found) return std::nullopt;
  found->flip = {1, -1};
  if (std::fabs(found->turned) > 90) {  // rotated by half a turn and mirrored: the other axis is reversed
    found->flip = {-1, 1};
    found->turned = std::remainder(found->turned - 180, 360);
  }
  return found;
}

}  // namespace omnipar::inline abi_0::calibrate
