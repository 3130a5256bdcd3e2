#include "calibrate/hands.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace omnipar::test {
namespace {

constexpr double pi = std::numbers::pi;
using Kind = CalibrateEvent::Kind;

}  // namespace

Hands::Hands(unsigned seed, CalibrateOptions options) : Hands(made_stick(seed), seed, std::move(options)) {}

Hands::Hands(const MadeStick& left, unsigned seed, CalibrateOptions options)
    : guide{options}, dice{seed}, options_(options) {
  sticks[0] = left;
  sticks[1] = made_stick(seed + 1);
  describe();
  guide.advance(now);
  guide.meet(1, unit);
  speak();
}

void Hands::describe() {
  const auto axis = [](Code code, ControlType type, const char* role, Axis half, DeclaredRange range, int rest) {
    return Control{code, type, role, half, range.minimum, range.maximum, rest};
  };
  for (int s = 0; s < 2; ++s) {
    const char* role = s == 0 ? "left-stick" : "right-stick";
    const DeclaredRange range = sticks[s].range;
    const int middle = static_cast<int>((std::int64_t{range.minimum} + range.maximum + 1) / 2);
    unit.controls.push_back(axis(absolute(s == 0 ? 0 : 3), ControlType::two_sided, role, Axis::x, range, middle));
    unit.controls.push_back(axis(absolute(s == 0 ? 1 : 4), ControlType::two_sided, role, Axis::y, range, middle));
  }
  unit.controls.push_back(axis(absolute(2), ControlType::one_sided, "left-trigger", Axis::none, {0, 255}, 0));
  unit.controls.push_back(axis(absolute(9), ControlType::two_sided, "paddle", Axis::none, {0, 1023}, 512));
  unit.controls.push_back({key(0x130), ControlType::button, "south"});
}

void Hands::wait(int ms) {
  constexpr int tick_ms = 4;
  for (int i = 0; i < ms; i += tick_ms) {
    now += Duration{tick_ms * 1000};
    for (auto& left : creep)  // a creeping stick takes a second or two to get there
      for (double& way : left) way *= 0.994;
    trigger_left_ *= 0.994;
    since_report_ += tick_ms;
    if (since_report_ >= report_ms) {
      since_report_ -= report_ms;
      speak();
    }
    guide.advance(now);
  }
}

void Hands::put(int stick, double x, double y) {
  at[stick] = {x, y};
  creep[stick] = {};
  wait(8);
}

void Hands::let_go(int stick) {
  const auto [x, y] = at[stick];
  const double far = std::hypot(x, y);
  const MadeStick& its = sticks[stick];
  if (far < 1e-6) return put(stick, 0, 0);
  const double stays = its.hysteresis * std::uniform_real_distribution<double>{0.7, 1}(dice);
  put(stick, 0.3 * x, 0.3 * y);
  put(stick, stays * x / far, stays * y / far);
  creep[stick] = {its.creep * x / far, its.creep * y / far};
}

void Hands::sweep(int stick, double turns, double seconds, double reach) {
  const int steps = static_cast<int>(std::fabs(turns) * seconds * 125);
  for (int i = 0; i <= steps; ++i) {
    const double angle = 2 * pi * turns * i / steps - 0.4;
    const double far =
        std::min({1.0, i / 15.0, (steps - i) / 15.0}) * reach * manner.sweep * sticks[stick].reach(angle);
    put(stick, far * std::cos(angle), far * std::sin(angle));
  }
  let_go(stick);
}

void Hands::push(int stick, double degrees, int ms) {
  const double angle = (degrees + manner.push_error * std::normal_distribution<double>{}(dice)) * pi / 180;
  const double far = sticks[stick].reach(angle) * std::uniform_real_distribution<double>{manner.least_push, 1}(dice);
  for (int i = 1; i <= 12; ++i) put(stick, far * i / 12 * std::cos(angle), far * i / 12 * std::sin(angle));
  wait(ms);
  let_go(stick);
  wait(200);
}

void Hands::pull(double& value, double to, int ms) {
  const double from = value;
  for (int i = 1; i <= ms / 8; ++i) {
    value = from + (to - from) * 8 * i / ms;
    wait(8);
  }
  if (to == 0) trigger_left_ = trigger_creep;
}

void Hands::button(int ms) {
  down = true;
  wait(ms);
  down = false;
  wait(static_cast<int>(report_ms) + 8);
}

std::vector<CalibrateEvent> Hands::events() {
  std::vector<CalibrateEvent> all;
  while (auto event = guide.next_event()) {
    said += to_text(*event) + "\n";
    all.push_back(*event);
    if (event->kind == Kind::asks) asked = *event;
  }
  return all;
}

bool Hands::refused(SweepRefusal why, const std::vector<CalibrateEvent>& events) {
  return std::ranges::any_of(events, [&](const auto& e) { return e.kind == Kind::rejects && e.fault.why == why; });
}

void Hands::do_it() {
  const int stick = asked.role == "right-stick" ? 1 : 0;
  switch (asked.step) {
    case CalibrateStep::rest:
      return wait(2200);
    case CalibrateStep::sweep:
      if (asked.role.ends_with("stick")) {
        sweep(stick, 2.6, 1.8);
        return wait(800);
      }
      for (int i = 0; i < 2; ++i) {  // a paddle is not self-centering
        double& value = asked.role == "paddle" ? paddle : trigger;
        pull(value, 1, 500);
        wait(200);
        pull(value, asked.role == "paddle" ? -1 : 0, 900);
        wait(300);
      }
      return wait(3200);
    case CalibrateStep::release:
      return wait(800);
    case CalibrateStep::push:
      return push(stick, std::array{-90.0, 0.0, 90.0, 180.0}.at(static_cast<std::size_t>(asked.number)));
    case CalibrateStep::mark:
      pull(trigger, 0.5);
      wait(500);
      pull(trigger, 0);
      return wait(300);
    case CalibrateStep::done:
      return button();
  }
}

void Hands::to_the_end() {
  for (int i = 0; i < 250 && !guide.over(); ++i) {
    events();
    if (guide.step() == CalibrateStep::done) asked.step = CalibrateStep::done;
    do_it();
  }
  events();
}

void Hands::until(const std::string& role, CalibrateStep step) {
  for (int i = 0; i < 60; ++i) {
    events();
    if (asked.role == role && asked.step == step && guide.step() == step && guide.role() == role) return;
    do_it();
  }
  FAIL("never asked\n" << said);
}

void Hands::begin_again() {
  guide = Calibrating{options_};
  last_.clear();
  asked = {};
  said.clear();
  guide.advance(now);
  guide.meet(1, unit);
  speak();
}

void Hands::come_back() {
  for (const auto& [code, value] : last_) unit.state.push_back({code, value});
  guide.meet(1, unit);
}

void Hands::speak() {
  std::vector<Change> changes;
  const auto say = [&](Code code, double raw) {
    const auto value = static_cast<std::int32_t>(std::lround(raw));
    const auto known = last_.find(code);
    if (known != last_.end() && known->second == value) return;
    last_[code] = value;
    changes.push_back({code, value});
  };
  for (int s = 0; s < 2; ++s) {
    const MadeStick& stick = sticks[s];
    RawPoint raw = stick.reading(at[s][0] + creep[s][0], at[s][1] + creep[s][1], dice);
    const auto spoil = [&](Code code, double& value) {
      int& left = spike_[code];
      if (left == 0 && std::uniform_real_distribution<double>{0, 1}(dice) < stick.long_spikes)
        left = 1 + static_cast<int>(dice() % 4);
      if (left == 0) return;
      --left;
      value = std::uniform_real_distribution<double>{double(stick.range.minimum), double(stick.range.maximum)}(dice);
    };
    const double ends = double(stick.range.minimum) + stick.range.maximum;
    if (s == 0 && is_mirrored) raw.x = ends - raw.x;
    const Code x = absolute(s == 0 ? 0 : 3), y = absolute(s == 0 ? 1 : 4);
    spoil(x, raw.x);
    spoil(y, raw.y);
    say(x, raw.x);
    say(y, raw.y);
  }
  say(absolute(2),
      20 + 200 * std::max(std::pow(trigger, 2.0), trigger_left_) + std::uniform_real_distribution<double>{-1, 1}(dice));
  say(absolute(9), 500 + 400 * paddle);
  say(key(0x130), down ? 1 : 0);
  if (!changes.empty()) guide.feed(1, {now, changes});
}

}  // namespace omnipar::test
