// Calibrated units in the engine: by the rig's calibration, or with ranges learned while playing.
#include <catch2/catch.hpp>

#include <cmath>
#include <random>

#include "calibrate/made_stick.hpp"
#include "omnipar/sheets.hpp"
#include "shape/measured.hpp"
#include "support/laid_table.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Attachment worn_unit(DeclaredRange range) {
  Attachment unit;
  unit.unit = "Marrowby Worn Stick";
  unit.seat = "seat-1";
  const std::int32_t rest = (range.minimum + range.maximum + 1) / 2;
  unit.controls = {{code::abs_x, ControlType::two_sided, "left-stick", Axis::x, range.minimum, range.maximum, rest},
                   {code::abs_y, ControlType::two_sided, "left-stick", Axis::y, range.minimum, range.maximum, rest},
                   {code::abs_rz, ControlType::one_sided, "right-trigger", Axis::none, 0, 255, 0}};
  return unit;
}

Rig rig_with(const Calibration& calibration) {
  Rig rig;
  rig.calibrations = {calibration};
  return rig;
}

}  // namespace

TEST_CASE("A worn, calibrated stick is exactly at rest when released and reaches its end in every direction",
          "[measured]") {
  for (unsigned seed = 0; seed < 12; ++seed) {
    CAPTURE(seed);
    const MadeStick stick = made_stick(seed);
    std::mt19937 dice{seed};
    const auto fit = fit_stick(readings_of(stick, dice));
    REQUIRE(fit);
    Calibration calibration{"Marrowby Worn Stick", {}};
    calibration.sticks = {fit->stick};
    calibration.sticks[0].x = code::abs_x;
    calibration.sticks[0].y = code::abs_y;
    Attachment unit = worn_unit(stick.range);
    calibrate(unit, rig_with(calibration));
    REQUIRE(unit.sticks.size() == 1);
    Table table{plan_of("kit")};
    const UnitId id = table.engine.attach(unit).value();
    std::int64_t time = 0;
    const auto push = [&](double x, double y) {
      const RawPoint raw = stick.reading(x, y, dice);
      table.feed(id, ++time, {{code::abs_x, std::int32_t(raw.x)}, {code::abs_y, std::int32_t(raw.y)}});
      table.reader.next_frame();
      return std::hypot(table.value("stick-x"), table.value("stick-y"));
    };
    if (stick.spikes == 0)
      for (int i = 0; i < 300; ++i) CHECK(push(0, 0) == 0);  // including noise
    MadeStick quiet = stick;
    quiet.noise = quiet.spikes = 0;
    for (int degrees = 0; degrees < 360; degrees += 15) {
      const double angle = degrees * 3.14159265358979 / 180, reach = stick.reach(angle);
      const RawPoint raw = quiet.reading(reach * std::cos(angle), reach * std::sin(angle), dice);
      table.feed(id, ++time, {{code::abs_x, std::int32_t(raw.x)}, {code::abs_y, std::int32_t(raw.y)}});
      table.reader.next_frame();
      CHECK(std::hypot(table.value("stick-x"), table.value("stick-y")) == Approx(1).margin(1e-9));
    }
  }
}

TEST_CASE("The default dead zone covers the noise and is never added to the unit's built-in one", "[measured]") {
  const auto at_rest_up_to = [](const AxisCalibration& axis, const std::vector<Binding>& bind) {
    Attachment unit = worn_unit({0, 255});
    calibrate(unit, rig_with({"Marrowby Worn Stick", {axis}}));
    Table table{bind};
    const UnitId id = table.engine.attach(unit).value();
    int last = 0;
    for (int raw = 0; raw <= 255; ++raw) {
      table.feed(id, raw + 1, {{code::abs_rz, raw}});
      if (table.next("pedal") == 0) last = raw;
    }
    return last / 255.0;
  };
  const std::vector<Binding> plain{{"pedal", {{"right-trigger"}}}};
  Use written{"right-trigger"};
  written.settings.set("dead-zone", 0.3);
  AxisCalibration axis{code::abs_rz, 0, 255, 0};
  CHECK(at_rest_up_to(axis, plain) == Approx(0.15).margin(0.005));  // its noise is unknown
  axis.measured = {"", 500, 0, 6};
  CHECK(at_rest_up_to(axis, plain) == Approx(1.5 * 6 / 255 + 0.005).margin(0.005));
  axis.measured.returns = 10;
  CHECK(at_rest_up_to(axis, plain) == Approx((1.5 * 6 + 1.25 * 10) / 255 + 0.005).margin(0.005));
  axis.measured.noise = axis.measured.returns = 0;
  CHECK(at_rest_up_to(axis, plain) == Approx(0.01).margin(0.005));
  CHECK(at_rest_up_to(axis, {{"pedal", {written}}}) == Approx(0.3).margin(0.005));  // explicit settings win
  axis.own_dead_zone = 0.08;
  CHECK(at_rest_up_to(axis, plain) == Approx(0.08).margin(0.005));
}

TEST_CASE("A calibrated trigger spans rest to full, even if its sheet reverses axes", "[measured]") {
  Use exact{"right-trigger"};
  exact.settings.set("dead-zone", 0);
  for (const bool has_marks : {false, true})
    for (const bool rests_at_top : {false, true})
      for (const bool reversed : {false, true}) {
        CAPTURE(has_marks, rests_at_top, reversed);
        AxisCalibration axis{code::abs_rz, 10, 210, rests_at_top ? 210 : 10};
        if (has_marks) axis.marks = {{110, 0.3}};
        Attachment unit = worn_unit({0, 255});
        unit.controls.back().reversed = reversed;
        calibrate(unit, rig_with({"Marrowby Worn Stick", {axis}}));
        Table table{{{"pedal", {exact}}}};
        const UnitId id = table.engine.attach(unit).value();
        std::int64_t time = 0;
        const auto at = [&](int raw) {
          table.feed(id, ++time, {{code::abs_rz, raw}});
          return table.next("pedal");
        };
        CHECK(at(rests_at_top ? 10 : 210) == Approx(1));
        CHECK(at(110) == Approx(has_marks ? 0.3 : 0.5).margin(0.01));
        CHECK(at(axis.rest) == Approx(0).margin(1e-9));
      }
}

TEST_CASE("A stick with a reversed axis has a negative width and plays in the direction pushed", "[measured]") {
  for (const bool mirrored : {false, true}) {
    StickCalibration stick{code::abs_x, code::abs_y, {128, 128}, {100, mirrored ? -100.0 : 100.0}};
    stick.edge = {{228, 128}, {128, 228}, {28, 128}, {128, 28}};
    const auto map = shape::stick_map(stick);
    REQUIRE(map);
    const shape::Point up = shape::position(*map, 128, mirrored ? 228 : 28);
    CHECK(up.x == Approx(0).margin(1e-9));
    CHECK(up.y == Approx(-1));
    Calibration calibration{"Marrowby Worn Stick", {}};
    calibration.sticks = {stick};
    const Sheets again = read_sheets("t.toml", to_toml(calibration));
    REQUIRE(again.problems.empty());
    CHECK(again.rig.calibrations.at(0) == calibration);
  }
}

TEST_CASE("A calibration for a different range is not used, and this is reported", "[measured]") {
  Calibration calibration{"Marrowby Worn Stick", {{code::abs_rz, 10, 200, 10, {0, 1023}}}};
  Attachment unit = worn_unit({0, 255});
  calibrate(unit, rig_with(calibration));
  CHECK(unit.controls.back().maximum == 255);
  CHECK(unit.axes.empty());
  CHECK(outdated_notes(unit) ==
        std::vector<std::string>{
            "the range of 'right-trigger' has changed since it was calibrated, so its calibration is not used"});
  calibration.axes[0].declared = {0, 255};
  unit = worn_unit({0, 255});
  calibrate(unit, rig_with(calibration));
  CHECK(unit.controls.back().maximum == 200);
  CHECK(outdated_notes(unit).empty());
}

TEST_CASE("Learned ranges start at 0.7 of the declared range and grow by two consecutive readings, never by a spike",
          "[measured]") {
  Use exact{"right-trigger"};
  exact.settings.set("dead-zone", 0);
  Table table{{{"pedal", {exact}}}};
  Attachment unit = worn_unit({0, 255});
  unit.ranges_by_use = true;
  const UnitId id = table.engine.attach(unit).value();
  std::int64_t time = 0;
  const auto say = [&](int raw) {
    table.feed(id, ++time, {{code::abs_rz, raw}});
    return table.next("pedal");
  };
  CHECK(say(89) == Approx(89 / 178.0));  // 0.7 of 255 is 178
  CHECK(say(178) == 1);
  CHECK(say(250) == 1);  // a spike
  CHECK(say(100) == Approx(100 / 178.0));
  CHECK(table.engine.ranges_by_use(id).empty());
  CHECK(say(210) == 1);
  CHECK(say(215) == 1);  // both were beyond: the nearer one counts
  CHECK(say(105) == Approx(0.5));
  table.engine.adopt(Table::plan_with({{"pedal", {exact}}, {"a", {}}}));  // a new plan keeps learned ranges
  table.reader.next_frame();                                              // a new plan's first sample is at rest
  CHECK(say(104) == Approx(104 / 210.0).margin(0.01));
  const auto ranges = table.engine.ranges_by_use(id);
  REQUIRE(ranges.size() == 1);
  CHECK(ranges[0] == AxisCalibration{code::abs_rz, 0, 210, 0, {0, 255}});
  // dividing the same readings over calls changes nothing
  Table one{{{"pedal", {exact}}}}, other{{{"pedal", {exact}}}};
  const UnitId a = one.engine.attach(unit).value(), b = other.engine.attach(unit).value();
  std::mt19937 dice{2};
  for (int i = 0; i < 500; ++i) {
    const Changes change{{code::abs_rz, static_cast<std::int32_t>(dice() % 256)}};
    one.feed(a, 10 * i, change);
    for (int k = 0; k < 3; ++k) other.engine.advance(at_us(10 * i - 10 + 3 * k));
    other.feed(b, 10 * i, change);
  }
  CHECK(std::ranges::equal(one.engine.state(), other.engine.state()));
}

TEST_CASE("Two pedals on one axis are added, and one axis can be two pedals", "[measured]") {
  Use brake{"left-trigger"};
  brake.settings.set("negative", 1);
  brake.settings.set("dead-zone", 0);
  Use gas{"right-trigger"};
  gas.settings.set("dead-zone", 0);
  Table table{{{"wheel", {gas, brake}}}};
  const UnitId pad = table.plug(plain_pad());
  const auto wheel = [&](int right, int left) {
    table.feed(pad, table.engine.now().time_since_epoch().count() + 1, {{code::abs_rz, right}, {code::abs_z, left}});
    return table.next("wheel");
  };
  CHECK(wheel(255, 0) == 1);
  CHECK(wheel(255, 255) == 0);
  CHECK(wheel(255, 51) == Approx(0.8));
  CHECK(wheel(0, 255) == -1);
  CHECK(wheel(0, 0) == 0);

  Use left{"wheel"}, right{"wheel"}, up{"right-stick-up"};
  left.settings.set("invert-x", 1);
  for (Use* use : {&left, &right, &up}) use->settings.set("dead-zone", 0);
  Table split{{{"pedal", {right}}, {"throttle", {left}}}};
  Attachment unit;
  unit.unit = "Marrowby Wheel";
  unit.seat = "seat-1";
  unit.controls = {{code::abs_x, ControlType::two_sided, "wheel", Axis::none, -100, 100, 0}};
  const UnitId id = split.engine.attach(unit).value();
  split.feed(id, 1, {{code::abs_x, 60}});
  CHECK(split.next("pedal") == Approx(0.6));
  CHECK(split.value("throttle") == 0);
  split.feed(id, 2, {{code::abs_x, -30}});
  CHECK(split.next("pedal") == 0);
  CHECK(split.value("throttle") == Approx(0.3));

  Table pushed{{{"pedal", {up}}}};
  const UnitId stick = pushed.plug(plain_pad());
  pushed.feed(stick, 1, {{code::abs_ry, -32768}});
  CHECK(pushed.next("pedal") == 1);
  pushed.feed(stick, 2, {{code::abs_ry, 32767}});
  CHECK(pushed.next("pedal") == 0);
}

TEST_CASE("How time is divided changes no bit of smoothing, slew limits or gates", "[measured]") {
  Use shaped{"left-stick"};
  for (const auto& [field, value] : {std::pair{"smoothing", 1.5}, {"slew", 3.0}, {"ways", 8.0}, {"curve", 1.5}})
    shaped.settings.set(field, value);
  Table one{{{"stick", {shaped}}}}, other{{{"stick", {shaped}}}};
  const UnitId a = one.plug(plain_pad()), b = other.plug(plain_pad());
  std::mt19937 dice{6};
  std::int64_t now = 0;
  for (int i = 0; i < 400; ++i) {
    const Changes change{{code::abs_x, static_cast<std::int32_t>(dice() % 65536) - 32768},
                         {code::abs_y, static_cast<std::int32_t>(dice() % 65536) - 32768}};
    const std::int64_t next = now + 1 + static_cast<std::int64_t>(dice() % 30'000);
    for (std::int64_t t = now; t < next; t += 1 + static_cast<std::int64_t>(dice() % 4000))
      other.engine.advance(at_us(t));
    now = next;
    one.feed(a, now, change);
    other.feed(b, now, change);
    REQUIRE(std::ranges::equal(one.engine.state(), other.engine.state()));
  }
}
