// A user calibrates: patiently, or with slips.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <numbers>
#include <set>

#include "calibrate/hands.hpp"
#include "omnipar/sheets.hpp"
#include "shape/measured.hpp"

using namespace omnipar;
using test::Hands, test::MadeStick;
using Kind = CalibrateEvent::Kind;

namespace {

constexpr double pi = std::numbers::pi;

/// The saved stick is as accurate as the data allows; the rotation of a round one is left out.
void check_good(const MadeStick& stick, StickCalibration kept) {
  if (stick.gate == StickGate::round) {
    CHECK(std::fabs(kept.turned - stick.turned) <= 11);  // pushes have errors of 5 degrees
    kept.turned = stick.turned;
  }
  const auto map = shape::stick_map(kept);
  REQUIRE(map);
  const double step = 0.5 / std::min(stick.width_x, stick.width_y);
  std::vector<double> direction, magnitude;
  for (int i = 0; i < 72; ++i) {
    const double angle = 5 * i * pi / 180, reach = stick.reach(angle);
    for (const double part : {0.4, 0.7, 1.0}) {
      const RawPoint raw = stick.exact(part * reach * std::cos(angle), part * reach * std::sin(angle));
      if (stick.is_clipped(raw)) continue;
      const shape::Point out = shape::position(*map, stick.rounded(raw).x, stick.rounded(raw).y);
      direction.push_back(std::fabs(std::remainder(std::atan2(out.y, out.x) - angle, 2 * pi)) * 180 / pi -
                          std::atan(step / (part * reach)) * 180 / pi);
      magnitude.push_back(std::fabs(std::hypot(out.x, out.y) - part) - step / reach);
    }
  }
  std::ranges::sort(direction);
  std::ranges::sort(magnitude);
  CHECK(direction[direction.size() * 99 / 100] <= 1);
  CHECK(magnitude[magnitude.size() * 99 / 100] <= 0.03);  // where a sweep was fast, the reach counts
}

const StickCalibration& stick_in(const Hands& hands, int stick) {
  const Code x = absolute(stick == 0 ? 0 : 3);
  const auto& sticks = hands.guide.found().sticks;
  const auto at = std::ranges::find(sticks, x, &StickCalibration::x);
  REQUIRE(at != sticks.end());
  return *at;
}

}  // namespace

TEST_CASE("A patient person calibrates a whole pad without typing", "[calibrate]") {
  const unsigned count = std::getenv("OMNIPAR_FULL_COUNTS") != nullptr ? 60 : 6;
  for (unsigned seed = 100; seed < 100 + count; ++seed) {
    CAPTURE(seed);
    Hands hands{seed};
    hands.to_the_end();
    INFO(hands.said);
    REQUIRE(hands.guide.kept());
    CHECK(hands.guide.measured() == 4);
    for (int s = 0; s < 2; ++s) check_good(hands.sticks[s], stick_in(hands, s));
    const auto& axes = hands.guide.found().axes;
    REQUIRE(axes.size() == 2);
    CHECK(std::abs(axes[0].rest - 20) <= 1);
    CHECK(axes[0].minimum == axes[0].rest);
    CHECK((axes[0].maximum >= 215 && axes[0].maximum <= 220));
    CHECK_FALSE(axes[1].self_centering);
    CHECK(std::abs(axes[1].minimum - 100) <= 10);
    CHECK(std::abs(axes[1].maximum - 900) <= 10);
    CHECK(std::abs(axes[1].rest - 500) <= 4);
  }
}

TEST_CASE("A stick with a reversed axis is calibrated in the user's directions", "[calibrate]") {
  for (unsigned seed = 150; seed < 156; ++seed) {
    CAPTURE(seed);
    Hands hands{seed, {.only = {"left-stick"}}};
    hands.is_mirrored = true;
    hands.unit.controls[0].reversed = true;
    hands.begin_again();
    hands.until("left-stick", CalibrateStep::sweep);
    hands.sweep(0, 0.55, 2);
    hands.wait(1200);
    hands.events();
    CHECK(hands.said.find("upper left") != std::string::npos);  // including what is missing
    hands.to_the_end();
    INFO(hands.said);
    REQUIRE(hands.guide.kept());
    const MadeStick& stick = hands.sticks[0];
    StickCalibration kept = stick_in(hands, 0);
    if (stick.gate == StickGate::round) {
      CHECK(std::fabs(kept.turned - stick.turned) <= 11);
      kept.turned = stick.turned;
    }
    const auto map = shape::stick_map(kept, true, false);
    REQUIRE(map);
    const double ends = double(stick.range.minimum) + stick.range.maximum;
    for (int degrees = 0; degrees < 360; degrees += 10) {
      const double angle = degrees * pi / 180, reach = stick.reach(angle);
      const RawPoint raw = stick.exact(0.8 * reach * std::cos(angle), 0.8 * reach * std::sin(angle));
      const shape::Point out = shape::position(*map, ends - raw.x, raw.y);
      CHECK(std::fabs(std::remainder(std::atan2(out.y, out.x) - angle, 2 * pi)) * 180 / pi < 1.2);
      CHECK(std::hypot(out.x, out.y) == Approx(0.8).margin(0.02));
    }
  }
}

TEST_CASE("Slips are rejected with the right reason and leave the rest of the calibration intact", "[calibrate]") {
  for (unsigned seed = 200; seed < 206; ++seed) {
    CAPTURE(seed);
    SECTION("too fast " + std::to_string(seed)) {
      Hands hands{seed, {.only = {"left-stick"}}};
      hands.until("left-stick", CalibrateStep::sweep);
      hands.sweep(0, 12, 0.06);
      hands.wait(3500);
      const auto events = hands.events();
      CHECK(hands.refused(SweepRefusal::too_fast, events));
      hands.to_the_end();
      INFO(hands.said);
      REQUIRE(hands.guide.kept());
      check_good(hands.sticks[0], stick_in(hands, 0));
    }
    SECTION("stops halfway " + std::to_string(seed)) {
      Hands hands{seed, {.only = {"left-stick"}}};
      hands.until("left-stick", CalibrateStep::sweep);
      hands.sweep(0, 0.55, 2);
      hands.wait(1200);
      const auto events = hands.events();
      INFO(hands.said);
      REQUIRE(hands.refused(SweepRefusal::not_around, events));
      CHECK(hands.said.find("upper left") != std::string::npos);  // it names what is missing
      hands.to_the_end();
      REQUIRE(hands.guide.kept());
      check_good(hands.sticks[0], stick_in(hands, 0));
    }
    SECTION("releases early " + std::to_string(seed)) {
      Hands hands{seed, {.only = {"left-stick"}}};
      hands.until("left-stick", CalibrateStep::sweep);
      for (int i = 0; i < 6; ++i) {
        hands.sweep(0, 0.4, 2);
        hands.wait(100);
      }
      hands.to_the_end();
      INFO(hands.said);
      REQUIRE(hands.guide.kept());
      check_good(hands.sticks[0], stick_in(hands, 0));
    }
    SECTION("the wrong stick " + std::to_string(seed)) {
      Hands hands{seed};
      hands.until("left-stick", CalibrateStep::sweep);
      hands.sweep(1, 2.5, 1.8);
      hands.wait(1200);
      const auto events = hands.events();
      INFO(hands.said);
      REQUIRE(hands.refused(SweepRefusal::wrong_control, events));
      CHECK(hands.said.find("left-stick: that was right-stick.") != std::string::npos);
      CHECK(hands.guide.step() == CalibrateStep::sweep);
      hands.to_the_end();
      REQUIRE(hands.guide.kept());
      for (int s = 0; s < 2; ++s) check_good(hands.sticks[s], stick_in(hands, s));
    }
    SECTION("moved while it should rest " + std::to_string(seed)) {
      Hands hands{seed, {.only = {"left-stick"}}};
      hands.events();
      hands.wait(900);
      hands.put(0, 0.6, 0);
      hands.wait(300);
      hands.put(0, 0, 0);
      hands.to_the_end();
      INFO(hands.said);
      CHECK(hands.said.find("left-stick: it is still moving or held: release it.") != std::string::npos);
      REQUIRE(hands.guide.kept());
      check_good(hands.sticks[0], stick_in(hands, 0));
    }
    // (a square that is not pushed to one of its sides looks exactly like a narrower one)
    if (test::made_stick(seed).gate == StickGate::square) continue;
    SECTION("not pushed to its edge on one side " + std::to_string(seed)) {
      Hands hands{seed, {.only = {"left-stick"}}};
      hands.until("left-stick", CalibrateStep::sweep);
      for (int turn = 0; turn < 3; ++turn)
        for (int i = 0; i < 250; ++i) {
          const double angle = 2 * pi * i / 250;
          const double part = std::cos(angle) < -0.7 ? 0.65 : 1;  // to the left it was incomplete
          const double far = part * hands.sticks[0].reach(angle);
          hands.put(0, far * std::cos(angle), far * std::sin(angle));
        }
      hands.put(0, 0, 0);
      hands.wait(1600);
      const auto events = hands.events();
      INFO(hands.said);
      CHECK(hands.refused(SweepRefusal::not_at_edge, events));
      CHECK(hands.said.find("not far enough: move it around again") != std::string::npos);
      hands.to_the_end();
      REQUIRE(hands.guide.kept());
      check_good(hands.sticks[0], stick_in(hands, 0));
    }
  }
}

TEST_CASE("A nonlinear trigger is guided to its mark; a jumping one and a paddle with a dead spot are named",
          "[calibrate]") {
  Hands hands{300, {.only = {"left-trigger"}, .marks = true}};
  hands.to_the_end();
  INFO(hands.said);
  REQUIRE(hands.guide.kept());
  const AxisCalibration& trigger = hands.guide.found().axes.at(0);
  REQUIRE(trigger.marks.size() == 1);
  CHECK(std::abs(trigger.marks[0].raw - 70) <= 3);  // half pressed it reports a quarter
  CHECK(trigger.marks[0].part == 0.5);
  Control control;
  control.type = ControlType::one_sided;
  const auto map = shape::axis_map(trigger, control);
  REQUIRE(map);
  CHECK(shape::position(*map, trigger.rest) == 0);
  CHECK(shape::position(*map, 70) == Approx(0.5).margin(0.02));
  CHECK(shape::position(*map, 220) == 1);

  AxisReadings paddle;
  paddle.declared = {0, 255};
  paddle.rest.assign(400, 128);
  for (int i = 0; i < 4; ++i)
    for (int k = 0; k <= 230; ++k) {
      const double at = i % 2 == 0 ? 12 + k : 242 - k;
      if (at > 60 && at < 84) continue;  // it reports nothing there
      paddle.sweep.push_back(k == 100 ? 3000 : at);
    }
  const auto fit = fit_axis(paddle);
  REQUIRE(fit);
  REQUIRE(fit->notes.size() == 2);
  CHECK(fit->notes[0] == "4 spikes ignored because it jumps occasionally");
  CHECK(fit->notes[1] == "dead spot: no values between 60 and 84");
  CHECK((fit->axis.minimum >= 12 && fit->axis.minimum <= 15));
  CHECK((fit->axis.maximum >= 238 && fit->axis.maximum <= 242));
}

TEST_CASE("A stick that is not self-centering rests at the middle of its range", "[calibrate]") {
  MadeStick stick = test::made_stick(3);
  std::mt19937 dice{7};
  StickReadings readings = test::readings_of(stick, dice);
  for (RawPoint& raw : readings.rest) raw = stick.reading(0.4, -0.5, dice);
  for (int i = 0; i < 150; ++i) readings.rest_after.push_back(stick.reading(-0.6, 0.2, dice));
  for (std::size_t i = 0; i < readings.pushes.size(); ++i) readings.returns[i].assign(150, readings.pushes[i]);
  const auto fit = fit_stick(readings);
  REQUIRE(fit);
  CHECK_FALSE(fit->stick.self_centering);
  const RawPoint middle = stick.exact(stick.off_x, stick.off_y);
  CHECK(std::fabs(fit->stick.rest.x - middle.x) < 0.02 * stick.width_x + 1);
  CHECK(std::fabs(fit->stick.rest.y - middle.y) < 0.02 * stick.width_y + 1);
}

TEST_CASE("Calibration continues after a reconnect, and holding a button skips a control", "[calibrate]") {
  Hands hands{400};
  hands.until("left-stick", CalibrateStep::sweep);
  hands.guide.lose(1);
  hands.come_back();
  hands.wait(8);
  CHECK(std::ranges::count_if(hands.events(),
                              [](const auto& e) { return e.kind == Kind::pauses || e.kind == Kind::resumes; }) == 2);
  hands.until("right-stick", CalibrateStep::sweep);
  hands.button(2100);
  hands.to_the_end();
  INFO(hands.said);
  CHECK(hands.said.find("right-stick: skipped and unchanged.") != std::string::npos);
  REQUIRE(hands.guide.kept());
  CHECK(hands.guide.found().sticks.size() == 1);
  CHECK(hands.guide.found().axes.size() == 2);
}

TEST_CASE("The guide accepts calls in any order, with any numbers", "[calibrate]") {
  const int stories = std::getenv("OMNIPAR_FULL_COUNTS") != nullptr ? 3000 : 150;
  for (int seed = 0; seed < stories; ++seed) {
    CAPTURE(seed);
    std::mt19937 dice{static_cast<unsigned>(seed)};
    const auto below = [&dice](std::uint32_t n) { return static_cast<std::int32_t>(dice() % n); };
    Calibrating guide{{.only = {}, .pushes = below(2) == 0, .marks = below(2) == 0}};
    std::vector<Attachment> nodes(2);
    for (Attachment& node : nodes)
      for (int axis = 0; axis < 3; ++axis) {
        const std::int32_t low = below(3) == 0 ? -2'000'000'000 : below(1000), high = low + (below(3) == 0 ? 1 : 255);
        const bool is_stick = below(2) == 0;
        const auto code = static_cast<std::uint16_t>(2 * axis);
        node.controls.push_back(
            {absolute(code), is_stick || below(2) == 0 ? ControlType::two_sided : ControlType::one_sided,
             is_stick ? "left-stick" : "left-trigger", is_stick ? Axis::x : Axis::none, low, high, low});
        if (is_stick && below(4) != 0)
          node.controls.push_back({absolute(static_cast<std::uint16_t>(code + 1)), ControlType::two_sided, "left-stick",
                                   Axis::y, low, high, high});
        node.controls.push_back({key(static_cast<std::uint16_t>(0x130 + axis)), ControlType::button, "south"});
      }
    std::int64_t now = 0;
    for (int step = 0; step < 400; ++step) {
      const int node = below(2);
      switch (below(12)) {
        case 0:
          guide.meet(node, nodes[static_cast<std::size_t>(node)]);
          break;
        case 1:
          if (below(6) == 0) guide.lose(node);
          break;
        case 2:
          if (below(20) == 0) guide.choose(static_cast<CalibrateChoice>(below(4)));
          break;
        case 3:
          now += below(5) == 0 ? 3'000'000 : below(60'000);
          guide.advance(at_us(now));
          break;
        default: {
          const auto& controls = nodes[static_cast<std::size_t>(node)].controls;
          std::vector<Change> changes;
          for (int i = 0; i < 3; ++i) {
            const Control& c = controls[dice() % controls.size()];
            changes.push_back({c.code, below(9) == 0 ? below(2) * 2'000'000'000 - 1'000'000'000
                                                     : c.minimum + below(static_cast<std::uint32_t>(
                                                                       std::max(1, c.maximum - c.minimum + 1)))});
          }
          guide.feed(node, {at_us(now += below(20'000)), changes});
        }
      }
      while (const auto event = guide.next_event()) CHECK(to_text(*event).size() < 600);
      CHECK((guide.progress() >= 0 && guide.progress() <= 1));
      static_cast<void>(guide.reached());
      if (guide.next_due()) CHECK(*guide.next_due() > at_us(0));
    }
    Calibration all = merged({"x", {}}, guide.found());
    const Sheets again = read_sheets("t.toml", to_toml(all));
    INFO(to_toml(all));
    REQUIRE(again.problems.empty());
    REQUIRE(again.rig.calibrations.size() == 1);
    CHECK(again.rig.calibrations[0] == all);
  }
}

TEST_CASE("Fits accept any readings, and their results can be saved and used", "[calibrate]") {
  const int rounds = std::getenv("OMNIPAR_FULL_COUNTS") != nullptr ? 4000 : 300;
  int fitted = 0;
  for (int seed = 0; seed < rounds; ++seed) {
    CAPTURE(seed);
    std::mt19937 dice{static_cast<unsigned>(seed)};
    const auto any = [&dice](double size) { return size * std::uniform_real_distribution<double>{-1, 1}(dice); };
    const double size = std::pow(10.0, static_cast<double>(dice() % 10)), squeeze = std::fabs(any(1)) + 0.05;
    const auto range = [&] { return DeclaredRange{static_cast<std::int32_t>(-size), static_cast<std::int32_t>(size)}; };
    StickReadings stick;
    AxisReadings axis;
    stick.declared_x = stick.declared_y = axis.declared = range();
    axis.type = dice() % 2 == 0 ? ControlType::one_sided : ControlType::two_sided;
    const double noise = dice() % 3 == 0 ? size : size * 0.01;
    for (auto i = dice() % 300; i > 0; --i) {
      stick.rest.push_back({any(noise), any(noise)});
      axis.rest.push_back(any(noise));
    }
    const int form = static_cast<int>(dice() % 4);
    for (auto i = dice() % 900; i > 0; --i) {
      const double angle = static_cast<double>(i) / 40, far = form == 0   ? 1
                                                              : form == 1 ? 1 + 0.5 * std::sin(5 * angle)
                                                                          : std::fabs(any(1));
      const RawPoint at{size * far * std::cos(angle), squeeze * size * far * std::sin(angle)};
      stick.sweep.push_back(form == 3 ? RawPoint{size, size} : at);
      axis.sweep.push_back(form == 3 ? 0 : at.x);
    }
    if (dice() % 3 == 0) stick.rest_after.assign(60, {any(size), any(size)});
    if (dice() % 3 == 0) stick.pushes.assign(4, {any(size), any(size)});
    stick.as_it_is = dice() % 2 == 0;
    Calibration calibration{"x", {}};
    if (const auto fit = fit_stick(stick)) {
      ++fitted;
      calibration.sticks.push_back(fit->stick);
      calibration.sticks[0].x = absolute(0);
      calibration.sticks[0].y = absolute(1);
      const auto map = shape::stick_map(fit->stick);
      REQUIRE(map);
      for (int i = 0; i < 20; ++i) {
        const shape::Point p = shape::position(*map, any(2e9), any(2e9));
        CHECK(std::hypot(p.x, p.y) <= 1 + 1e-9);
      }
    } else {
      CHECK_FALSE(to_text(fit.error()).empty());
    }
    if (const auto fit = fit_axis(axis)) {
      ++fitted;
      calibration.axes.push_back(fit->axis);
      calibration.axes[0].code = absolute(2);
    } else {
      CHECK_FALSE(to_text(fit.error()).empty());
    }
    const Sheets again = read_sheets("t.toml", to_toml(calibration));
    INFO(to_toml(calibration));
    REQUIRE(again.problems.empty());
    CHECK(again.rig.calibrations.at(0) == calibration);
  }
  CHECK(fitted > rounds / 10);
}
