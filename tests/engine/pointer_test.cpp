// Promises of pointers: exact corners, one leader at a time, and no movement without input.
#include <catch2/catch.hpp>

#include <cmath>

#include "stage/table.hpp"
#include "support/laid_table.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

/// A gun of any range, with a button that reports that it does not see the screen.
Attachment gun(std::int32_t minimum = 0, std::int32_t maximum = 65535) {
  Attachment unit;
  unit.unit = "Marrowby Gun";
  unit.seat = "seat-1";
  for (const auto& [code, axis] : {std::pair{code::abs_x, Axis::x}, std::pair{code::abs_y, Axis::y}})
    unit.controls.push_back({code, ControlType::pointer, "gun", axis, minimum, maximum, minimum});
  unit.controls.push_back({code::btn_south, ControlType::button, "off-screen"});
  return unit;
}

Use with(std::string role, const char* field, double value) {
  Use use{std::move(role)};
  stage::set(use.settings, *stage::field(field), value);
  return use;
}

/// A table with a pointer fed by these bindings.
struct Pointing : Table {
  explicit Pointing(const std::vector<Use>& uses = {{"gun"}, {"mouse"}, {"right-stick"}})
      : Table(std::vector<Binding>{{"aim", uses}}) {}
  UnitId plug_in(const Attachment& unit) { return engine.attach(unit).value(); }
  /// "320,240", or "off"; the kit's raster is 640 wide and high.
  std::string seen() {
    reader.next_frame();
    if (!down("aim-on")) return "off";
    return std::to_string(native("aim-x")) + "," + std::to_string(native("aim-y"));
  }
  std::string seen_at(UnitId unit, std::int64_t us, const Changes& changes) {
    feed(unit, us, changes);
    return seen();
  }
};

Changes place(std::int32_t x, std::int32_t y) { return {{code::abs_x, x}, {code::abs_y, y}}; }
Changes push(std::int32_t x, std::int32_t y) { return {{code::abs_rx, x}, {code::abs_ry, y}}; }

}  // namespace

TEST_CASE("A gun reaches all corners exactly, whatever its range, and is off-screen beyond them", "[pointer]") {
  const auto& [low, high] = GENERATE(table<std::int32_t, std::int32_t>(
      {{0, 65535}, {0, 255}, {-32768, 32767}, {37, 981}, {-2'000'000'000, 2'000'000'000}}));
  CAPTURE(low, high);
  Pointing aiming;
  const UnitId unit = aiming.plug_in(gun(low, high));
  CHECK(aiming.seen() == "off");
  CHECK(aiming.seen_at(unit, 1000, place(low, low)) == "0,0");
  CHECK(aiming.seen_at(unit, 2000, place(high, low)) == "639,0");
  CHECK(aiming.seen_at(unit, 3000, place(high, high)) == "639,639");
  CHECK(aiming.seen_at(unit, 4000, place(low, high)) == "0,639");
  std::int64_t now = 5000;
  for (const auto& [x, y] : {std::pair{low - 1, low}, {high + 1, low}, {low, low - 1}, {low, high + 1}}) {
    CHECK(aiming.seen_at(unit, now += 1000, place(x, y)) == "off");
    CHECK(aiming.seen_at(unit, now += 1000, place(low, low)) == "0,0");
  }
  CHECK(aiming.presses("aim-on") == 5);
}

TEST_CASE("Inverted, the corners change places", "[pointer]") {
  Pointing aiming{{with("gun", "invert-y", 1)}};
  const UnitId unit = aiming.plug_in(gun());
  CHECK(aiming.seen_at(unit, 1000, place(0, 0)) == "0,639");
  CHECK(aiming.seen_at(unit, 2000, place(65535, 65535)) == "639,0");
}

TEST_CASE("A gun that does not see the screen is off-screen wherever it points, and losing sight is no sighting",
          "[pointer]") {
  Pointing aiming;
  const UnitId unit = aiming.plug_in(gun());
  CHECK(aiming.seen_at(unit, 1000, place(0, 0)) == "0,0");
  CHECK(aiming.seen_at(unit, 2000, {{code::btn_south, 1}}) == "off");
  CHECK(aiming.seen_at(unit, 3000, place(65535, 0)) == "off");
  CHECK(aiming.native("aim-x") == 639);  // it still follows
  CHECK(aiming.seen_at(unit, 4000, {{code::btn_south, 0}}) == "639,0");
  aiming.feed(unit, 5000, {{code::btn_south, 1}});
  aiming.engine.detach(unit);
  CHECK(aiming.seen() == "off");
  CHECK(aiming.presses("aim-on") == 2);
}

TEST_CASE("The last unit that moved by more than its noise has the pointer", "[pointer]") {
  Pointing aiming;
  const UnitId held = aiming.plug_in(gun());
  const UnitId lying = aiming.plug_in(gun());
  aiming.feed(lying, 500, place(1000, 1000));
  aiming.feed(held, 1000, place(30'000, 30'000));
  CHECK(aiming.seen() == "10,10");  // the first to report; the other one has not moved yet
  CHECK(aiming.seen_at(held, 1500, place(31'000, 30'000)) == "302,293");
  for (std::int64_t i = 0; i < 200; ++i)  // it jitters by less than a hundredth
    CHECK(aiming.seen_at(lying, 2000 + i * 1000, place(1000 + static_cast<int>(i % 7) * 100, 1000)) == "302,293");
  CHECK(aiming.seen_at(lying, 300'000, place(1700, 1000)) == "17,10");
  CHECK(aiming.seen_at(held, 301'000, place(31'200, 30'100)) == "17,10");
  aiming.engine.detach(lying);
  CHECK(aiming.seen() == "off");
  CHECK(aiming.native("aim-x") == 17);
  CHECK(aiming.seen_at(held, 302'000, place(31'201, 30'100)) == "304,293");
}

TEST_CASE("A self-centering stick rests at the centre and reaches all corners", "[pointer]") {
  Pointing aiming{{with("right-stick", "glide", 0)}};
  const UnitId pad = aiming.plug(plain_pad());
  constexpr std::int32_t round = 23'170;  // a round stick: the length of a full push is 32767
  CHECK(aiming.seen_at(pad, 1000, push(round, -round)) == "639,0");
  CHECK(aiming.seen_at(pad, 2000, push(-round, round)) == "0,639");
  CHECK(aiming.seen_at(pad, 3000, push(32767, 32767)) == "639,639");
  CHECK(aiming.seen_at(pad, 4000, push(-32768, 0)) == "0,320");
  CHECK(aiming.seen_at(pad, 5000, push(0, 0)) == "320,320");
  CHECK_FALSE(aiming.engine.next_due());
}

TEST_CASE("A stick glides at its speed, stops where it is released, and stays within the edges", "[pointer]") {
  const double speed = GENERATE(0.25, 1.0, 8.0);
  CAPTURE(speed);
  Pointing aiming{{with("right-stick", "glide", speed)}};
  const UnitId pad = aiming.plug(plain_pad());
  aiming.feed(pad, 1000, push(32767, 0));
  const std::int64_t quarter = static_cast<std::int64_t>(0.25 / speed * 1e6);
  aiming.engine.advance(at_us(1000 + quarter));
  CHECK(std::abs(aiming.next("aim-x") - 0.75) < 0.001 * speed + 1e-9);
  CHECK(aiming.value("aim-y") == 0.5);
  aiming.feed(pad, 1000 + quarter, push(0, 0));
  CHECK_FALSE(aiming.engine.next_due());
  const double left = aiming.next("aim-x");
  aiming.engine.advance(at_us(60'000'000));
  CHECK(aiming.next("aim-x") == left);
  std::int64_t now = 60'000'000;
  for (const auto& [x, y, corner] : {std::tuple{32767, 32767, "639,639"},
                                     {-32768, 32767, "0,639"},
                                     {-32768, -32768, "0,0"},
                                     {32767, -32768, "639,0"}}) {
    aiming.feed(pad, now += 1000, push(x, y));
    aiming.engine.advance(at_us(now += 10'000'000));
    CHECK(aiming.seen() == corner);
  }
}

TEST_CASE("A mouse moves the pointer from its current position by what it counts", "[pointer]") {
  Pointing aiming{{{"gun"}, with("mouse", "counts-across", 500)}};
  const UnitId first = aiming.plug_in(gun());
  Attachment mouse;
  mouse.seat = "seat-1";
  mouse.controls = {{relative(0), ControlType::counts, "mouse", Axis::x},
                    {relative(1), ControlType::counts, "mouse", Axis::y}};
  const UnitId second = aiming.plug_in(mouse);
  CHECK(aiming.seen_at(first, 1000, place(65535, 65535)) == "639,639");
  CHECK(aiming.seen_at(second, 2000, {{relative(0), -5}}) == "639,639");  // a hundredth: still noise
  CHECK(aiming.seen_at(second, 3000, {{relative(0), -245}}) == "320,639");
  CHECK(aiming.seen_at(second, 4000, {{relative(1), -2'000'000'000}}) == "320,0");
  CHECK(aiming.seen_at(second, 5000, {{relative(1), 250}, {relative(0), 250}}) == "639,320");
}

TEST_CASE("A frozen pointer is off-screen; thawed, it returns to where it was or where its gun points now",
          "[pointer]") {
  Pointing aiming;
  const UnitId unit = aiming.plug_in(gun());
  const UnitId pad = aiming.plug(plain_pad());
  CHECK(aiming.seen_at(unit, 1000, place(0, 0)) == "0,0");
  aiming.engine.freeze();
  CHECK(aiming.seen() == "off");
  aiming.feed(unit, 2000, place(65535, 0));
  CHECK(aiming.native("aim-x") == 0);
  aiming.engine.thaw();
  CHECK(aiming.seen() == "639,0");
  aiming.feed(pad, 3000, push(-32768, 0));
  aiming.engine.advance(at_us(203'000));
  const std::string there = aiming.seen();
  aiming.engine.freeze();
  CHECK_FALSE(aiming.engine.next_due());
  aiming.feed(pad, 210'000, push(0, 0));
  CHECK(aiming.seen() == "off");
  aiming.engine.thaw();
  CHECK(aiming.seen() == there);
}

TEST_CASE("A new plan keeps the pointer's position, off-screen until it is aimed", "[pointer]") {
  Pointing aiming{{{"right-stick"}}};
  const UnitId pad = aiming.plug(plain_pad());
  aiming.feed(pad, 1000, push(32767, 0));
  aiming.engine.advance(at_us(201'000));
  aiming.feed(pad, 201'000, push(0, 0));
  const double there = aiming.next("aim-x");
  CHECK(there > 0.6);
  aiming.engine.adopt(Table::plan_with({{"aim", {with("right-stick", "glide", 3)}}}));
  aiming.reader.next_frame();
  CHECK(aiming.seen() == "off");
  CHECK(aiming.value("aim-x") == there);
  aiming.feed(pad, 300'000, push(32767, 0));
  aiming.engine.advance(at_us(301'000));
  CHECK(aiming.seen() != "off");
  CHECK(aiming.value("aim-x") > there);
}
