// A stick with four shapes to a stick, and with threshold and debounce to directions: the engine, and hand-written code
// for exactly that, with the same guarantees. For counting the instructions of `run_staged` and `run_by_hand`.
#include <array>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <vector>

#include "omnipar/omnipar.hpp"
#include "hand_twin.hpp"
#include "shape/power.hpp"

using namespace omnipar;

namespace {

constexpr double inner = 0.1, exponent = 2.2, begin = 0.2, threshold = 0.5, release = 0.4;
constexpr std::int64_t debounce = 10'000;

/// By hand: one stick, its native values, and four directions with debounce.
class StagedStick {
 public:
  void feed(const Report& report) {
    const std::int64_t time = report.time.time_since_epoch().count();
    while (next_due_ <= time) fire();
    if (time > now_) now_ = time;
    for (const Change& c : report.changes) (c.code == code::abs_x ? raw_x_ : raw_y_) = c.value;
    settle();
  }
  [[nodiscard]] std::int32_t native_x() const { return bench::HandStick::native(x_); }
  [[nodiscard]] std::int32_t native_y() const { return bench::HandStick::native(y_); }
  [[nodiscard]] std::uint32_t presses(std::size_t direction) const { return presses_.at(direction); }

 private:
  static constexpr std::int64_t never = std::int64_t{1} << 62;
  struct Direction {
    bool passed = false, on = false;
    std::int64_t deaf_until = never;
  };

  void settle() {
    const double px = bench::HandStick::normalised(raw_x_);
    const double py = bench::HandStick::normalised(raw_y_);
    const std::array push{-py, py, -px, px};
    for (std::size_t d = 0; d < push.size(); ++d) {
      Direction& direction = directions_.at(d);
      direction.passed = push.at(d) >= (direction.passed ? release : threshold);
      hear(d);
    }
    x_ = px;
    y_ = -py;
    double length = std::sqrt(x_ * x_ + y_ * y_);
    if (length <= inner) {
      x_ = y_ = 0;
      return;
    }
    scale((length >= 1 ? 1 : (length - inner) / (1 - inner)) / length);
    length = std::sqrt(x_ * x_ + y_ * y_);
    scale(shape::power(length, exponent) / length);
    length = std::sqrt(x_ * x_ + y_ * y_);
    scale(begin / length + (1 - begin));
  }
  void scale(double factor) {
    x_ *= factor;
    y_ *= factor;
  }

  void hear(std::size_t d) {
    Direction& direction = directions_.at(d);
    if (direction.deaf_until != never || direction.on == direction.passed) return;
    direction.on = direction.passed;
    if (direction.on) ++presses_.at(d);
    direction.deaf_until = now_ + debounce;
    find_next();
  }
  void fire() {
    now_ = next_due_;
    for (std::size_t d = 0; d < directions_.size(); ++d) {
      if (directions_.at(d).deaf_until != now_) continue;
      directions_.at(d).deaf_until = never;
      hear(d);
    }
    find_next();
  }
  void find_next() {
    next_due_ = never;
    for (const Direction& direction : directions_)
      if (direction.deaf_until < next_due_) next_due_ = direction.deaf_until;
  }

  std::int64_t now_ = 0, next_due_ = never;
  std::int32_t raw_x_ = 0, raw_y_ = 0;
  double x_ = 0, y_ = 0;
  std::array<Direction, 4> directions_{};
  std::array<std::uint32_t, 4> presses_{};
};

Plan staged_plan() {
  TargetSheet stick;
  stick.name = "stick";
  stick.kind = TargetKind::stick;
  ControllerSheet pad;
  pad.name = "pad";
  pad.title = "a stick and directions";
  pad.targets = {stick};
  SystemSheet system;
  system.name = "stages";
  system.title = "a machine with a stick";
  system.ports = {{1, {"pad"}}};
  system.controllers = {pad};
  Use shaped{"left-stick"};
  shaped.settings.set("invert-y", 1);
  shaped.settings.set("dead-zone", inner);
  shaped.settings.set("curve", exponent);
  shaped.settings.set("anti-dead-zone", begin);
  Use pressed{"left-stick"};
  pressed.settings.set("threshold", threshold);
  pressed.settings.set("release", release);
  pressed.settings.set("debounce", Duration{debounce});
  PortProfile port;
  port.port = 1;
  port.seat = "seat-1";
  port.bind = {{"stick", {shaped}}, {"directions", {pressed}}};
  return compile(Catalogue{{system}}, {"stages", "stages", {port}, {}}).value();
}

/// A stick that is stirred, with an occasional jerk.
std::vector<std::array<Change, 2>> stirred() {
  std::vector<std::array<Change, 2>> reports;
  for (int i = 0; i < 20'000; ++i) {
    const double angle = i * 0.01;
    const double length = i % 97 == 0 ? 5'000 : 12'000 + 20'000 * std::abs(std::sin(i * 0.003));
    reports.push_back({{{code::abs_x, static_cast<std::int32_t>(length * std::cos(angle))},
                        {code::abs_y, static_cast<std::int32_t>(length * std::sin(angle))}}});
  }
  return reports;
}

Time moment(std::size_t number) { return at_us(static_cast<std::int64_t>(number) * 4'000); }

}  // namespace

[[gnu::noinline]] void run_staged(Engine& engine, UnitId unit, const std::vector<std::array<Change, 2>>& reports) {
  for (std::size_t i = 0; i < reports.size(); ++i) engine.feed(unit, {moment(i), reports[i]});
}

[[gnu::noinline]] void run_by_hand(StagedStick& stick, const std::vector<std::array<Change, 2>>& reports) {
  for (std::size_t i = 0; i < reports.size(); ++i) stick.feed({moment(i), reports[i]});
}

int main() {
  const Plan plan = staged_plan();
  Engine engine{plan};
  Reader reader{engine};
  Attachment unit;
  unit.seat = "seat-1";
  for (const auto& [code, axis] : {std::pair{code::abs_x, Axis::x}, std::pair{code::abs_y, Axis::y}})
    unit.controls.push_back({code, ControlType::two_sided, "left-stick", axis, -32768, 32767, 0});
  const UnitId id = engine.attach(unit).value();
  StagedStick stick;
  const auto reports = stirred();
  run_staged(engine, id, reports);
  run_by_hand(stick, reports);
  std::array<std::uint32_t, 4> presses{};
  for (int looks = 0; looks < 5'000; ++looks) reader.next_frame();
  const auto at = [&](std::string_view name) { return *plan.target(1, name); };
  for (std::size_t d = 0; d < presses.size(); ++d) presses.at(d) = reader.port(1).presses(at(direction_names.at(d)));
  bool agree = reader.port(1).native(at("stick-x")) == stick.native_x() &&
               reader.port(1).native(at("stick-y")) == stick.native_y();
  for (std::size_t d = 0; d < presses.size(); ++d) agree = agree && presses.at(d) == stick.presses(d);
  std::printf("%u presses, %s\n", presses[0], agree ? "alike" : "they differ");
  return agree && presses[0] > 20 ? EXIT_SUCCESS : EXIT_FAILURE;
}
