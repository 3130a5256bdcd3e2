#include "calibrate/marksman.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace omnipar::test {
namespace {

constexpr double tall = 1080.0 / 1920;
constexpr Code trigger = key(0x110);

double uniform(std::mt19937& dice, double low, double high) {
  return std::uniform_real_distribution<double>{low, high}(dice);
}
double normal(std::mt19937& dice, double spread) { return spread * std::normal_distribution<double>{}(dice); }
/// Uniform in the logarithm.
double by_magnitude(std::mt19937& dice, double low, double high) {
  return std::exp(uniform(dice, std::log(low), std::log(high)));
}

Attachment attachment() {
  Attachment unit;
  for (const auto& [number, axis] : {std::pair{0, Axis::x}, std::pair{1, Axis::y}})
    unit.controls.push_back(
        {absolute(static_cast<std::uint16_t>(number)), ControlType::pointer, "gun", axis, 0, 65535, 0});
  unit.controls.push_back({trigger, ControlType::button, "trigger"});
  return unit;
}

/// The aim of the held gun over time.
class Booth {
 public:
  Booth(const MadeGun& gun, const Marksman& person, int shots, std::mt19937& dice)
      : gun_(gun), person_(person), dice_(dice), guide_(options(shots)) {
    guide_.meet(0, "Gun", attachment());
    guide_.advance(now_);
    place_ = {0.5, 0.5};
    way_ = uniform(dice, 0, 2 * std::numbers::pi);
  }

  Fitted run(int asked) {
    Fitted result;
    constexpr int most_pulls = 60;
    while (result.shots < most_pulls && guide_.step() == AimingStep::shot) {
      shoot();
      ++result.shots;
      note(result);
    }
    result.at_once = result.shots == asked;
    if (guide_.step() != AimingStep::done) return result;
    pull();
    note(result);
    result.saved = guide_.kept();
    const AimCalibration aim = guide_.found().aims.at(0);
    result.bound = aim.bound;
    for (int i = 0; i <= 32; ++i) {  // along the edge of the screen, where a fit is worst
      const double part = i % 8 / 8.0;
      const std::array<AreaPoint, 4> edges{{{part, 0}, {1, part}, {1 - part, 1}, {0, 1 - part}}};
      const AreaPoint at = edges.at(static_cast<std::size_t>(i / 8) % 4);
      const AreaPoint to = aimed(aim, exact(at)).value_or(AreaPoint{9, 9});
      result.worst = std::max(result.worst, std::hypot(to.x - at.x, (to.y - at.y) * tall));
    }
    return result;
  }

 private:
  static AimingOptions options(int shots) {
    AimingOptions options;
    options.screen = {"booth", 1920, 1080};
    options.shots = shots;
    options.test = false;
    options.unit = "Gun";
    return options;
  }

  [[nodiscard]] RawPoint exact(AreaPoint at) const {
    const shape::Point p = gun_.map(at.x, at.y);
    return {65535 * p.x, 65535 * p.y};
  }

  /// As the gun reports it: with its noise and resolution.
  std::int32_t said(double part) {
    const double noisy = std::clamp(part + normal(dice_, gun_.jitter), 0.0, 1.0);
    return static_cast<std::int32_t>(std::lround(std::round(noisy * (gun_.steps - 1)) / (gun_.steps - 1) * 65535));
  }

  void report(AreaPoint at) {
    const shape::Point p = gun_.map(at.x, at.y);
    const std::array<std::int32_t, 2> values{said(p.x), said(p.y)};
    std::vector<Change> changes;
    for (std::uint16_t i = 0; i < 2; ++i) {
      if (gun_.only_changes && last_.at(i) == values.at(i)) continue;
      last_.at(i) = values.at(i);
      changes.push_back({absolute(i), values.at(i)});
    }
    now_ += Duration{static_cast<std::int64_t>(1e6 / gun_.rate)};
    if (!changes.empty()) guide_.feed(0, {now_, changes});
    guide_.advance(now_);
  }

  /// From the old aim to the new one.
  void shoot() {
    const AreaPoint target = guide_.target().value();
    AreaPoint meant{target.x + normal(dice_, person_.scatter), target.y + normal(dice_, person_.scatter) / tall};
    if (uniform(dice_, 0, 1) < person_.wild) {
      const double far = by_magnitude(dice_, 0.02, 0.4), angle = uniform(dice_, 0, 2 * std::numbers::pi);
      meant = {target.x + far * std::cos(angle), target.y + far * std::sin(angle) / tall};
    }
    const double rate = gun_.rate, tremor = uniform(dice_, 8, 12), angle = uniform(dice_, 0, 2 * std::numbers::pi);
    const int moves = static_cast<int>(0.3 * rate) + 1, stays = static_cast<int>(person_.aims_ms / 1000.0 * rate) + 1;
    const AreaPoint from = place_;
    for (int i = 1; i <= moves; ++i) {
      const double part = 0.5 - 0.5 * std::cos(std::numbers::pi * i / moves);
      report({from.x + part * (meant.x - from.x), from.y + part * (meant.y - from.y)});
    }
    for (int i = 0; i < stays; ++i) {
      // on target when the trigger is pulled; before that the aim drifts, with a tremor
      const double before = (stays - i) / rate;
      const double off = person_.drift * before + person_.hurry * before;
      const double shake = person_.tremor * std::sin(2 * std::numbers::pi * tremor * before);
      const double way = person_.hurry > 0 ? way_ : angle;
      place_ = {meant.x - off * std::cos(way) + shake, meant.y - (off * std::sin(way) + shake) / tall};
      report(place_);
    }
    pull();
  }

  void pull() {
    guide_.feed(0, {now_, std::vector<Change>{{trigger, 1}}});
    now_ += Duration{static_cast<std::int64_t>(uniform(dice_, 40'000, 250'000))};
    guide_.advance(now_);
    guide_.feed(0, {now_, std::vector<Change>{{trigger, 0}}});
    now_ += Duration{320'000};
    guide_.advance(now_);
  }

  void note(Fitted& result) {
    while (const auto event = guide_.next_event())
      if (event->kind == AimingEvent::Kind::rejects) result.refused.push_back(event->why);
  }

  const MadeGun& gun_;
  const Marksman& person_;
  std::mt19937& dice_;
  Aiming guide_;
  Time now_ = at_us(1'000'000);
  AreaPoint place_;
  double way_ = 0;  ///< of a user in a hurry
  std::array<std::int32_t, 2> last_{-1, -1};
};

}  // namespace

MadeGun made_gun(std::mt19937& dice) {
  MadeGun gun;
  gun.steps = std::array{256, 1024, 4096, 65'536}.at(dice() % 4);
  gun.jitter = dice() % 4 == 0 ? 0 : by_magnitude(dice, 0.0002, 0.02);
  gun.rate = std::array{30.0, 60.0, 125.0, 250.0, 1000.0}.at(dice() % 5);
  gun.only_changes = dice() % 4 != 0;
  const double width = uniform(dice, 0.3, 0.95), height = std::min(0.95, width * uniform(dice, 0.7, 1.3));
  const double left = uniform(dice, 0.02, 0.98 - width), top = uniform(dice, 0.02, 0.98 - height);
  std::array<RawPoint, 4> corners{
      {{left, top}, {left + width, top}, {left + width, top + height}, {left, top + height}}};
  const double x = uniform(dice, -0.04, 0.04) * width, y = uniform(dice, -0.04, 0.04) * height;
  corners[0].x += std::max(0.0, x);
  corners[1].x -= std::max(0.0, x);
  corners[2].x += std::min(0.0, x);
  corners[3].x -= std::min(0.0, x);
  corners[0].y += std::max(0.0, y);
  corners[3].y -= std::max(0.0, y);
  corners[1].y -= std::min(0.0, y);
  corners[2].y += std::min(0.0, y);
  if (dice() % 3 == 0) std::swap(corners[0], corners[1]), std::swap(corners[3], corners[2]);  // x runs to the left
  gun.map = shape::to_corners(corners).value();
  return gun;
}

Marksman made_marksman(std::mt19937& dice) {
  Marksman person;
  person.scatter = by_magnitude(dice, 0.001, 0.01);
  person.wild = dice() % 2 == 0 ? 1.0 / 30 : 0;
  person.drift = uniform(dice, 0.0005, 0.003);
  person.tremor = uniform(dice, 0, 0.002);
  person.hurry = dice() % 10 == 0 ? uniform(dice, 0, 0.03) : 0;
  person.aims_ms = static_cast<int>(dice() % 4 == 0 ? uniform(dice, 100, 400) : uniform(dice, 400, 1500));
  return person;
}

Fitted fitted(const MadeGun& gun, const Marksman& person, int shots, std::mt19937& dice) {
  return Booth{gun, person, shots, dice}.run(shots);
}

}  // namespace omnipar::test
