#include "calibrate/made_stick.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace omnipar::test {
namespace {

constexpr double per_degree = std::numbers::pi / 180;

double to_gate(StickGate gate, double x, double y, double rounded) {
  if (gate == StickGate::square) {
    const double across = std::fabs(x), down = std::fabs(y), most = std::max(across, down);
    if (rounded == 0 || most == 0) return most;
    double low = 0, high = most;  // the smallest such square, with its corners, that contains the position
    for (int i = 0; i < 40; ++i) {
      const double size = high == low ? high : (low + high) / 2, straight = size * (1 - rounded);
      const bool in_corner = across > straight && down > straight;
      const bool is_inside =
          in_corner ? std::hypot(across - straight, down - straight) <= size * rounded : most <= size;
      (is_inside ? high : low) = size;
      if (i == 0) high = 2 * most, low = 0;
    }
    return high;
  }
  if (gate == StickGate::round) return std::hypot(x, y);
  double most = 0;  // eight sides whose midpoints lie between the straight and the diagonal directions
  for (int side = 0; side < 8; ++side) {
    const double angle = (22.5 + 45 * side) * per_degree;
    most = std::max(most, (x * std::cos(angle) + y * std::sin(angle)) / std::cos(22.5 * per_degree));
  }
  return most;
}

}  // namespace

RawPoint MadeStick::exact(double x, double y) const {
  const double cosine = std::cos(turned * per_degree), sine = std::sin(turned * per_degree);
  const double across = std::min(cosine * x - sine * y, saturates), down = sine * x + cosine * y;
  return {rest_x + width_x * across, rest_y + width_y * (mirrored ? -down : down)};
}

RawPoint MadeStick::rounded(RawPoint raw) const {
  const auto whole = [this](double value) {
    return std::clamp(std::round(value / step) * step, double(range.minimum), double(range.maximum));
  };
  return {whole(raw.x), whole(raw.y)};
}

bool MadeStick::is_clipped(RawPoint raw) const {
  const auto out = [this](double value) { return value < range.minimum || value > range.maximum; };
  return out(raw.x) || out(raw.y);
}

RawPoint MadeStick::reading(double x, double y, std::mt19937& dice) const {
  std::uniform_real_distribution<double> any{-1, 1};
  RawPoint raw = exact(x, y);
  raw.x += any(dice) * noise * half_range();
  raw.y += any(dice) * noise * half_range();
  if (std::uniform_real_distribution<double>{0, 1}(dice) < spikes) raw = {any(dice) * 2 * half_range(), raw.y};
  return rounded(raw);
}

double MadeStick::to_its_gate(double angle) const {
  double low = 0, high = 4;
  for (int i = 0; i < 40; ++i) {
    const double middle = (low + high) / 2;
    (to_gate(gate, middle * std::cos(angle) - off_x, middle * std::sin(angle) - off_y, corner_radius) <= 1 ? low
                                                                                                           : high) =
        middle;
  }
  return low;
}

double MadeStick::reach(double angle) const {
  const double x = std::cos(angle), y = std::sin(angle);
  double low = 0, high = 4;
  for (int i = 0; i < 60; ++i) {
    const double middle = (low + high) / 2;
    const bool is_inside = to_gate(gate, middle * x - off_x, middle * y - off_y, corner_radius) <= 1 &&
                           !is_clipped(exact(middle * x, middle * y));
    (is_inside ? low : high) = middle;
  }
  return low;
}

MadeStick made_stick(unsigned seed) {
  std::mt19937 dice{seed};
  const auto any = [&dice](double low, double high) { return std::uniform_real_distribution<double>{low, high}(dice); };
  MadeStick stick;
  stick.gate = std::array{StickGate::round, StickGate::square, StickGate::octagon}.at(seed % 3);
  const int bits = 8 + static_cast<int>(dice() % 9);
  const std::int32_t most = (1 << bits) - 1;
  stick.range = dice() % 2 == 0 ? DeclaredRange{0, most} : DeclaredRange{-(most / 2) - 1, most / 2};
  const double half = stick.half_range(), middle = (double(stick.range.minimum) + stick.range.maximum) / 2;
  stick.rest_x = middle + any(-0.15, 0.15) * half;
  stick.rest_y = middle + any(-0.15, 0.15) * half;
  stick.width_x = any(0.7, 0.95) * half;
  stick.width_y = stick.width_x * any(0.8, 1);
  if (dice() % 2 == 0) std::swap(stick.width_x, stick.width_y);
  stick.turned = any(-10, 10);
  if (dice() % 2 == 0) {  // the gate is centred in the range, but the spring is not
    const double cosine = std::cos(stick.turned * per_degree), sine = std::sin(stick.turned * per_degree);
    const double x = (middle - stick.rest_x) / stick.width_x, y = (middle - stick.rest_y) / stick.width_y;
    stick.off_x = cosine * x + sine * y;
    stick.off_y = -sine * x + cosine * y;
  }
  stick.noise = any(0, 0.02);
  stick.spikes = dice() % 3 == 0 ? any(0, 0.005) : 0;
  return stick;
}

StickReadings readings_of(const MadeStick& stick, std::mt19937& dice, const Patience& how) {
  const auto normal = [&dice](double spread) { return spread * std::normal_distribution<double>{}(dice); };
  StickReadings all;
  all.declared_x = all.declared_y = stick.range;
  for (int i = 0; i < 500; ++i) all.rest.push_back(stick.reading(0, 0, dice));
  const int count = static_cast<int>(how.seconds * 250);
  double angle = std::uniform_real_distribution<double>{0, 6}(dice);
  for (int i = 0; i < count; ++i) {
    const double way = std::min(1.0, i / 40.0) * std::min(1.0, (count - i) / 40.0);
    angle += how.turns * 2 * std::numbers::pi / count * (0.7 + 0.6 * std::sin(i / 37.0) * std::sin(i / 37.0));
    const double inside = i % 180 < 12 ? 0.93 : 1;  // occasionally not quite at the edge
    const double reach = how.sweep * stick.to_its_gate(angle);
    all.sweep.push_back(
        stick.reading(way * inside * reach * std::cos(angle), way * inside * reach * std::sin(angle), dice));
  }
  if (!how.pushes) return all;
  for (const double asked : {-90.0, 0.0, 90.0, 180.0}) {
    const double toward = (asked + normal(how.push_error)) * per_degree;
    const double far = stick.to_its_gate(toward) * std::uniform_real_distribution<double>{0.95, 1}(dice);
    std::vector<double> x, y;
    for (int i = 0; i < 75; ++i) {
      const RawPoint raw = stick.reading(far * std::cos(toward), far * std::sin(toward), dice);
      x.push_back(raw.x);
      y.push_back(raw.y);
    }
    std::ranges::nth_element(x, x.begin() + 37);
    std::ranges::nth_element(y, y.begin() + 37);
    all.pushes.push_back({x[37], y[37]});
    std::vector<RawPoint>& stopped = all.returns.emplace_back();
    const double stays = stick.hysteresis * std::uniform_real_distribution<double>{0.7, 1}(dice);
    for (int i = 0; i < 150; ++i) {
      const double at = stays + stick.creep * std::pow(0.994, i);
      stopped.push_back(stick.reading(at * std::cos(toward), at * std::sin(toward), dice));
    }
  }
  return all;
}

}  // namespace omnipar::test
