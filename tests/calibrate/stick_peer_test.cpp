// A calibration is never worse than the plain method: the median at rest, and the minimum and maximum of a sweep.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

#include <fmt/format.h>

#include "attach/measured.hpp"
#include "calibrate/hands.hpp"
#include "shape/measured.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

constexpr double per_degree = std::numbers::pi / 180;

double part_of(std::vector<double> values, double part) {
  if (values.empty()) return 0;
  std::ranges::sort(values);
  return values[static_cast<std::size_t>(part * double(values.size() - 1))];
}

/// Each side of each axis separately, from rest to the furthest reading.
class Plain {
 public:
  explicit Plain(const StickReadings& readings) {
    std::vector<double> x, y;
    for (const RawPoint& raw : readings.rest) x.push_back(raw.x), y.push_back(raw.y);
    rest_ = {part_of(x, 0.5), part_of(y, 0.5)};
    low_ = high_ = rest_;
    for (const RawPoint& raw : readings.sweep) {
      low_ = {std::min(low_.x, raw.x), std::min(low_.y, raw.y)};
      high_ = {std::max(high_.x, raw.x), std::max(high_.y, raw.y)};
    }
  }
  [[nodiscard]] shape::Point position(RawPoint raw) const {
    const auto part = [](double value, double rest, double low, double high) {
      return value < rest ? (value - rest) / (rest - low) : (value - rest) / (high - rest);
    };
    const shape::Point p{part(raw.x, rest_.x, low_.x, high_.x), part(raw.y, rest_.y, low_.y, high_.y)};
    const double length = std::hypot(p.x, p.y);
    return length > 1 ? shape::Point{p.x / length, p.y / length} : p;
  }

 private:
  RawPoint rest_, low_, high_;
};

struct Errors {
  std::vector<double> direction, missing;
  void add(shape::Point out, double angle) {
    direction.push_back(std::fabs(std::remainder(std::atan2(out.y, out.x) - angle, 2 * std::numbers::pi)) / per_degree);
    missing.push_back(1 - std::hypot(out.x, out.y));
  }
};

MadeStick healthy(std::mt19937& dice) {
  MadeStick stick;
  stick.range = {0, 1023};
  stick.rest_x = stick.rest_y = 512;
  stick.width_x = stick.width_y = 460;
  stick.noise = 0.002 + 0.004 * double(dice() % 100) / 100;
  return stick;
}

struct Kind {
  const char* name;
  void (*change)(MadeStick&, std::mt19937&);
};
constexpr Kind kinds[] = {
    {"healthy, round", [](MadeStick&, std::mt19937&) {}},
    {"saturates at 90 % on one side", [](MadeStick& stick, std::mt19937&) { stick.saturates = 0.9; }},
    {"declares 1,023 and reports 820",
     [](MadeStick& stick, std::mt19937&) {
       stick.rest_x = stick.rest_y = 410;
       stick.width_x = stick.width_y = 410;
     }},
    {"square with rounded corners",
     [](MadeStick& stick, std::mt19937&) {
       stick.gate = StickGate::square;
       stick.corner_radius = 0.5;
     }},
    {"round, 40 steps", [](MadeStick& stick, std::mt19937&) { stick.step = 23; }},
    {"round, turned by 15 degrees", [](MadeStick& stick, std::mt19937&) { stick.turned = 15; }},
    {"off centre, an ellipse",
     [](MadeStick& stick, std::mt19937&) {
       stick.rest_x = 560;
       stick.width_y = 400;
     }},
};

}  // namespace

TEST_CASE("A calibrated stick is never worse than the plain method at full deflection", "[calibrate]") {
  const int each = cases(20, 200);
  std::string table = "stick                              direction, plain      missing, plain\n";
  for (const Kind& kind : kinds) {
    Errors ours, plain;
    for (int i = 0; i < each; ++i) {
      std::mt19937 dice{static_cast<unsigned>(i)};
      MadeStick stick = healthy(dice);
      kind.change(stick, dice);
      const StickReadings readings = readings_of(stick, dice);
      const auto fit = fit_stick(readings);
      CAPTURE(kind.name, i);
      REQUIRE(fit);
      const auto map = shape::stick_map(fit->stick);
      const Plain peer{readings};
      for (int degrees = 0; degrees < 360; degrees += 3) {
        const double angle = degrees * per_degree, far = stick.to_its_gate(angle);
        const RawPoint raw = stick.rounded(stick.exact(far * std::cos(angle), far * std::sin(angle)));
        ours.add(shape::position(*map, raw.x, raw.y), angle);
        plain.add(peer.position(raw), angle);
      }
    }
    const double direction = part_of(ours.direction, 0.99), of_plain = part_of(plain.direction, 0.99);
    const double missing = part_of(ours.missing, 0.99), missing_of_plain = part_of(plain.missing, 0.99);
    table += fmt::format("{:<34} {:5.2f} {:5.2f} degrees   {:.3f} {:.3f}\n", kind.name, direction, of_plain, missing,
                         missing_of_plain);
    INFO(table);
    CHECK(direction <= of_plain + 0.3);
    CHECK(missing <= std::max(missing_of_plain, 0.006));
  }
  if (full_counts()) WARN(table);
}

TEST_CASE("A calibrated stick is at rest when released, from any side", "[calibrate]") {
  const int each = cases(6, 60);
  std::string table = "hysteresis  at rest, plain   largest dead zone\n";
  for (const double hysteresis : {0.0, 0.02, 0.04, 0.06, 0.1}) {
    int kept = 0, kept_by_plain = 0, all = 0;
    double largest = 0;
    for (int i = 0; i < each; ++i) {
      std::mt19937 dice{static_cast<unsigned>(i)};
      MadeStick stick = healthy(dice);
      stick.hysteresis = hysteresis;
      stick.creep = i % 2 == 0 ? 0.02 : 0;
      Hands hands{stick, static_cast<unsigned>(i), {.only = {"left-stick"}}};
      hands.to_the_end();
      INFO(hands.said);
      REQUIRE(hands.guide.kept());
      const StickCalibration& measured = hands.guide.found().sticks.at(0);
      CHECK(measured.self_centering);
      Attachment attachment;
      attachment.sticks = {measured};
      const double zone = attach::dead_zone_for(attachment, measured.x, 0.15);
      largest = std::max(largest, zone);
      const auto map = shape::stick_map(measured);
      const Plain peer{*hands.guide.readings_of("left-stick")};
      constexpr double noise_alone = 0.02;  // the plain method's dead zone
      for (int degrees = 0; degrees < 360; degrees += 5) {
        const double angle = degrees * per_degree;
        const double far = hysteresis * std::uniform_real_distribution<double>{0.7, 1}(dice) + stick.creep;
        const RawPoint raw = stick.reading(far * std::cos(angle), far * std::sin(angle), dice);
        const shape::Point out = shape::position(*map, raw.x, raw.y), by_plain = peer.position(raw);
        kept += std::hypot(out.x, out.y) <= zone ? 1 : 0;
        kept_by_plain += std::hypot(by_plain.x, by_plain.y) <= noise_alone ? 1 : 0;
        ++all;
      }
    }
    table += fmt::format("{:4.0f} %      {:5.1f} %, {:5.1f} %   {:.3f}\n", 100 * hysteresis, 100.0 * kept / all,
                         100.0 * kept_by_plain / all, largest);
    INFO(table);
    CHECK(100.0 * kept / all >= 99);
    CHECK(largest <= 1.5 * (hysteresis + 0.02) + 0.03);
  }
  if (full_counts()) WARN(table);
}

TEST_CASE("Up is up, however a stick is mounted", "[calibrate]") {
  struct Mounted {
    StickGate gate;
    double turned;
    bool mirrored;
  };
  for (const Mounted& mounted :
       {Mounted{StickGate::square, 90, false}, Mounted{StickGate::square, 0, true}, Mounted{StickGate::round, 0, true},
        Mounted{StickGate::octagon, 30, false}, Mounted{StickGate::octagon, 180, true},
        Mounted{StickGate::round, -90, true}, Mounted{StickGate::square, 45, false}})
    for (unsigned seed = 0; seed < 8; ++seed) {
      CAPTURE(word_of(mounted.gate), mounted.turned, mounted.mirrored, seed);
      std::mt19937 dice{seed};
      MadeStick stick = healthy(dice);
      stick.gate = mounted.gate;
      stick.turned = mounted.turned;
      stick.mirrored = mounted.mirrored;
      const auto fit = fit_stick(readings_of(stick, dice));
      REQUIRE(fit);
      const auto map = shape::stick_map(fit->stick);
      for (int degrees = 0; degrees < 360; degrees += 30) {
        const double angle = degrees * per_degree;
        const RawPoint raw = stick.exact(0.6 * std::cos(angle), 0.6 * std::sin(angle));
        const shape::Point out = shape::position(*map, raw.x, raw.y);
        CHECK(std::fabs(std::remainder(std::atan2(out.y, out.x) - angle, 2 * std::numbers::pi)) < 10 * per_degree);
      }
    }
}

TEST_CASE("An incomplete sweep is noticed from the pushes, repeated, and then extended to them", "[calibrate]") {
  for (const double second : {1.0, 0.8}) {
    std::mt19937 dice{5};
    Hands hands{healthy(dice), 5, {.only = {"left-stick"}}};
    hands.manner.sweep = 0.8;
    hands.until("left-stick", CalibrateStep::push);
    hands.manner.sweep = second;
    hands.to_the_end();
    INFO(hands.said);
    CHECK(hands.said.find("not far enough: move it around again") != std::string::npos);
    REQUIRE(hands.guide.kept());
    const auto map = shape::stick_map(hands.guide.found().sticks.at(0));
    for (int degrees = 0; degrees < 360; degrees += 15) {
      const double angle = degrees * per_degree;
      const RawPoint raw = hands.sticks[0].exact(0.7 * std::cos(angle), 0.7 * std::sin(angle));
      const shape::Point out = shape::position(*map, raw.x, raw.y);
      CHECK(std::hypot(out.x, out.y) == Approx(0.7).margin(0.05));  // not 0.875
    }
  }
}

TEST_CASE("A coarse stick is not said to straighten pushes or to have a built-in dead zone", "[calibrate]") {
  for (unsigned seed = 0; seed < 20; ++seed) {
    std::mt19937 dice{seed};
    MadeStick stick = healthy(dice);
    stick.step = 23;
    stick.noise = 0;
    const auto fit = fit_stick(readings_of(stick, dice));
    CAPTURE(seed);
    REQUIRE(fit);
    CHECK(fit->stick.own_snap == 0);
    CHECK(fit->stick.own_dead_zone == 0);
    CHECK(fit->stick.gate != StickGate::octagon);
  }
}

TEST_CASE("A trigger that creeps back is at rest as soon as it is released", "[calibrate]") {
  for (unsigned seed = 0; seed < 6; ++seed) {
    Hands hands{seed, {.only = {"left-trigger"}}};
    hands.trigger_creep = 0.03;
    hands.to_the_end();
    INFO(hands.said);
    REQUIRE(hands.guide.kept());
    const AxisCalibration& trigger = hands.guide.found().axes.at(0);
    Attachment attachment;
    attachment.axes = {trigger};
    const double zone = attach::dead_zone_for(attachment, trigger.code, 0.15);
    const double just_released = (20 + 200 * 0.03 + 1 - trigger.rest) / (trigger.maximum - trigger.rest);
    CHECK(zone >= just_released);
    CHECK(zone < 0.08);
  }
}

TEST_CASE("A wheel that stops beside its centre rests between its stopping points", "[calibrate]") {
  AxisReadings wheel;
  wheel.declared = {0, 1023};
  wheel.rest.assign(500, 540);  // it came from the right
  for (int i = 0; i < 2; ++i)
    for (int k = 0; k < 400; ++k) wheel.sweep.push_back(512 + 480 * std::sin(2 * std::numbers::pi * k / 400));
  for (const double stops : {540.0, 486.0, 538.0, 488.0}) wheel.returns.emplace_back(100, stops);
  wheel.rest_after.assign(150, 486);
  const auto fit = fit_axis(wheel);
  REQUIRE(fit);
  CHECK(fit->axis.self_centering);
  CHECK(std::abs(fit->axis.rest - 513) <= 1);
  CHECK(fit->axis.measured.returns == Approx(27).margin(1));
}
