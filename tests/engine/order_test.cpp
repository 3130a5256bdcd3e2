// Two of everything, units that return, and every order of calls: one test for each bug found, and for promises that
// the headers once left out.
#include <catch2/catch.hpp>

#include <limits>

#include "support/settings.hpp"
#include "support/laid_table.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

/// A stick that is not self-centering, with a key pad.
Description still_stick() {
  Description d = plain_pad("Marrowby Still Stick");
  d.codes = {{code::btn_south}, {code::abs_x, 0, 255, 0}, {code::abs_y, 0, 255, 0}};
  return d;
}

}  // namespace

// -- a new plan --------------------------------------------------------------------------------------------

TEST_CASE("Every shipped plan follows every other, with two and four units", "[order]") {
  std::vector<Plan> plans;
  for (const SystemSheet& system : built_in_catalogue().systems) plans.push_back(plan_of(system.name));
  const Changes pushed{{code::abs_x, 32767}, {code::abs_rx, -32768}, {code::btn_south, 1}, {code::abs_z, 255}};
  for (const Plan& from : plans)
    for (const Plan& to : plans)
      for (const std::size_t units : {2U, 4U}) {
        CAPTURE(from.system(), to.system(), units);
        Engine engine{from};
        Reader reader{engine};
        std::vector<UnitId> ids;
        for (std::size_t i = 0; i < units; ++i)
          ids.push_back(engine.attach(seated(plain_pad(), from.seats()[i % from.seats().size()])).value());
        for (const UnitId id : ids) engine.feed(id, {at_us(1), pushed});
        engine.adopt(to);
        for (int i = 0; i < 3; ++i) reader.next_frame();
        for (const UnitId id : ids) engine.detach(id);
        reader.next_frame();
        for (std::uint16_t t = 0; t < engine.plan().targets().size(); ++t)
          if (engine.plan().targets()[t].self_centering) CHECK(reader.value({t}) == 0);
      }
}

TEST_CASE("Adopting a plan returns the units that it cannot use", "[order]") {
  OnePad table{plan_of("pad-2b")};
  const UnitId ball = table.engine.attach(trackball("seat-2")).value();
  CHECK(table.engine.adopt(plan_of("pad-4b")).empty());  // its button is shared
  CHECK(table.engine.adopt(plan_of("paddle-pair")).empty());
  Profile other_seats = propose(built_in_catalogue(), "pad-2b").value();
  other_seats.ports[0].seat = "left";
  other_seats.ports[1].seat = "seat-2";
  const std::vector<UnitId> idle = table.engine.adopt(plan_of(built_in_catalogue(), other_seats));
  REQUIRE(idle.size() == 1);
  CHECK(idle.front() == table.pad);
  CHECK_FALSE(idle.front() == ball);
}

TEST_CASE("Samples and target indices from before a new plan are harmless", "[order]") {
  OnePad table;
  const PortSample kept = table.reader.port(1);
  const TargetIndex pedal = table.at("pedal");
  table.feed(1, {{code::abs_rz, 255}});
  table.reader.next_frame();
  CHECK((kept.has(pedal) && kept.native(pedal) == 0));
  table.engine.adopt(plan_of("pad-2b"));
  table.reader.next_frame();
  CHECK_FALSE(kept.has(pedal));
  CHECK((kept.value(pedal) == 0 && kept.native(pedal) == 255 && kept.presses(pedal) == 0));  // at rest, which is 255
  const TargetIndex fire = table.at("inner");
  CHECK((kept.has(fire) && table.reader.port(2).has(fire)));  // the same controller
  CHECK_FALSE(table.reader.port(7).has(fire));
  table.engine.adopt(plan_of("kit"));
  table.reader.next_frame();
  CHECK((kept.has(pedal) && !kept.has(fire)));
}

TEST_CASE("Taps that no reader has seen survive a new plan", "[order]") {
  OnePad table;
  const UnitId ball = table.engine.attach(trackball("seat-1")).value();
  table.feed(1, {{code::btn_south, 1}, {code::btn_south, 0}});
  CHECK(table.shown("b", 2) == "#.");
  table.feed(2, {{code::btn_south, 1}, {code::btn_south, 0}, {code::btn_south, 1}, {code::btn_south, 0}});
  table.feed(ball, 3, {{relative(0), 5}, {relative(8), -2}});
  table.engine.adopt(Table::plan_with({{"c", {}}}));
  table.feed(ball, 4, {{relative(0), 2}});
  CHECK(table.next("b") == 0);  // all at rest
  CHECK(table.next("b") == 1);
  CHECK((table.value("ball-x") == 7 && table.value("dial") == -2));
  CHECK(table.shown("b", 3) == ".#.");
  CHECK(table.presses("b") == 3);
}

TEST_CASE("Targets that are not self-centering keep their position across plans and port swaps", "[order]") {
  const Profile profile = propose(built_in_catalogue(), "stick-keypad").value();
  Table table{plan_of(built_in_catalogue(), profile)};
  const UnitId left = table.plug(still_stick(), {}, "seat-1");
  table.feed(left, 1, {{code::abs_x, 0}, {code::abs_y, 128}});
  CHECK(table.next("stick-x") == -1);
  table.engine.detach(left);
  SECTION("the same machine") {
    table.engine.adopt(plan_of(built_in_catalogue(), profile));
    CHECK((table.next("stick-x") == -1 && table.next("stick-x") == -1));
  }
  SECTION("swapped: the port keeps its position until a unit reports another one") {
    table.engine.adopt(plan_of(built_in_catalogue(), with_ports_swapped(built_in_catalogue(), profile, 1, 2)));
    CHECK((table.next("stick-x") == -1 && table.next("stick-x") == -1));
    CHECK(table.value("stick-x", 2) == 0);
    const UnitId right = table.plug(still_stick(), {{code::abs_x, 255}}, "seat-2");  // now port 1
    CHECK(table.next("stick-x") == 1);
    table.feed(right, 2, {{code::abs_x, 128}});
    CHECK(table.next("stick-x") == 0);
  }
}

// -- targets that are not self-centering -------------------------------------------------------------------

TEST_CASE("Targets that are not self-centering follow their unit again after its next report", "[order]") {
  Table table{plan_of("stick-keypad")};
  UnitId stick = table.plug(still_stick());
  table.feed(stick, 1, {{code::abs_x, 0}, {code::abs_y, 128}});
  CHECK(table.next("stick-x") == -1);
  const auto middle = [&] { table.feed(stick, 2, {{code::abs_x, 128}}); };
  SECTION("after a reconnect, by a report") {
    table.engine.detach(stick);
    stick = table.plug(still_stick());
    CHECK(table.next("stick-x") == -1);
    middle();
    CHECK(table.next("stick-x") == 0);
  }
  SECTION("after a reconnect, by its state") {
    table.engine.detach(stick);
    stick = table.plug(still_stick(), {{code::abs_x, 130}});
    CHECK(table.next("stick-x") == 0);
  }
  SECTION("after a freeze") {
    table.engine.freeze();
    middle();
    CHECK(table.next("stick-x") == -1);
    table.engine.thaw();
    CHECK(table.next("stick-x") == 0);
  }
  SECTION("a freeze alone moves nothing") {
    table.engine.freeze();
    CHECK(table.next("stick-x") == -1);
    table.engine.thaw();
    CHECK(table.next("stick-x") == -1);
  }
  SECTION("a d-pad that held it releases it") {
    const UnitId pad = table.plug(panel());
    table.feed(stick, 2, {{code::abs_x, 128}});
    table.feed(pad, 3, {{code::abs_hat0x, 1}});
    CHECK(table.next("stick-x") == 1);
    table.engine.freeze();
    CHECK(table.next("stick-x") == 0);
  }
}

TEST_CASE("A disconnected unit releases its buttons before its axes are removed", "[order]") {
  OnePad table{{{"throttle", {{"left-trigger"}, ramped("left-shoulder", 100)}}}};
  table.feed(0, {{code::abs_z, 128}});
  const double left_at = table.next("throttle");
  table.feed(1, {{code::btn_tl, 1}});
  table.engine.advance(at_us(50 * ms));
  CHECK((left_at > 0 && left_at < 1 && table.next("throttle") == 1));
  table.engine.detach(table.pad);
  CHECK(table.next("throttle") == left_at);
}

// -- opposite directions --------------------------------------------------------------------------------------

TEST_CASE("A hat that crosses over within a frame is never on both sides, and no tap is lost", "[order]") {
  Table table{plan_of("kit")};
  const UnitId pad = table.plug(panel());
  std::int64_t now = 0;
  const auto hat = [&](std::initializer_list<int> places) {
    for (const int place : places) table.feed(pad, ++now, {{code::abs_hat0x, place}});
  };
  const auto seen = [&](int samples) {
    std::string text;
    for (; samples > 0; --samples) {
      table.reader.next_frame();
      const bool left = table.value("left") != 0, right = table.value("right") != 0;
      REQUIRE_FALSE((left && right));
      text += left ? 'L' : (right ? 'R' : '.');
    }
    return text;
  };
  SECTION("right, then left") {
    hat({1, -1});
    CHECK(seen(3) == "RLL");
  }
  SECTION("left was already held") {
    hat({-1});
    CHECK(seen(1) == "L");
    hat({1, -1});
    CHECK(seen(3) == "RLL");
  }
  SECTION("back and forth") {
    hat({1, -1, 1, -1, 0});
    CHECK(seen(5) == "RLRL.");
  }
  SECTION("in one report") {
    table.feed(pad, 1, {{code::abs_hat0x, 1}, {code::abs_hat0x, -1}, {code::abs_hat0x, 0}});
    CHECK(seen(3) == "RL.");
  }
  SECTION("paced: the second waits until the first has been shown long enough") {
    PacedReader outlet{table.engine, Duration{20 * ms}};
    hat({1, -1});
    std::string shown;
    for (std::int64_t us = now; us < 50 * ms;
         us = outlet.next_due() ? (*outlet.next_due()).time_since_epoch().count() : 50 * ms) {
      outlet.catch_up(at_us(us));
      shown += outlet.port(1).pressed(table.at("right")) ? 'R' : '.';
      shown += outlet.port(1).pressed(table.at("left")) ? 'L' : '.';
      shown += ' ';
    }
    CHECK(shown == "R. .L ");
  }
}

TEST_CASE("Directions held together are shown together", "[order]") {
  Description mat = panel("Marrowby Mat");
  mat.codes = {{code::btn_dpad_left}, {code::btn_dpad_right}, {code::btn_south}};
  Table table{plan_of("kit")};
  const UnitId pad = table.plug(mat);
  table.feed(pad, 1, {{code::btn_dpad_left, 1}, {code::btn_dpad_right, 1}});
  CHECK((table.next("left") == 1 && table.value("right") == 1));
  table.feed(pad, 2, {{code::btn_dpad_left, 0}});
  table.feed(pad, 3, {{code::btn_dpad_left, 1}, {code::btn_dpad_left, 0}});  // a tap while right is held
  CHECK(table.next("left") == 0);
  CHECK((table.next("left") == 1 && table.value("right") == 1));
}

TEST_CASE("A debounced hat that is on one side has left the other", "[order]") {
  Table table{{{"directions", {with("dpad", Duration{12 * ms})}}}};
  const UnitId pad = table.plug(panel());
  table.feed(pad, 1, {{code::abs_hat0x, 1}});
  CHECK(table.next("right") == 1);
  table.feed(pad, 2 * ms, {{code::abs_hat0x, -1}});
  CHECK((table.next("left") == 1 && table.value("right") == 0));
}

// -- two units of one seat ------------------------------------------------------------------------------------

TEST_CASE("A disconnect does not end another unit's pending debounce", "[order]") {
  SECTION("a debounce") {
    Table table{{{"a", {with("south", Duration{12 * ms})}}}};
    const UnitId played = table.plug(plain_pad());
    const UnitId rests = table.plug(panel());
    table.feed(played, 0, {{code::btn_south, 1}});
    table.feed(played, 2 * ms, {{code::btn_south, 0}});
    table.engine.detach(rests);
    table.feed(played, 4 * ms, {{code::btn_south, 1}});  // a bounce, not a press
    table.engine.advance(at_us(100 * ms));
    CHECK(table.shown("a", 2) == "##");
    CHECK(table.presses("a") == 1);
  }
  SECTION("a ramp") {
    Table table{{{"pedal", {ramped("left-shoulder", 10)}}}};
    const UnitId played = table.plug(plain_pad());
    const UnitId rests = table.plug(panel());
    table.feed(played, 0, {{code::btn_tl, 1}});
    table.feed(played, 200 * ms, {{code::btn_tl, 0}});
    table.engine.advance(at_us(250 * ms));
    table.engine.detach(rests);
    CHECK(table.next("pedal") == Approx(0.5).margin(1e-9));
    table.engine.detach(played);
    CHECK(table.next("pedal") == 0);
  }
  SECTION("a long press") {
    Table table{{{"a", {with("south", {}, Duration{300 * ms})}}}};
    const UnitId first = table.plug(plain_pad());
    const UnitId second = table.plug(panel());
    table.feed(first, 0, {{code::btn_south, 1}});
    table.feed(second, 200 * ms, {{code::btn_south, 1}});
    table.engine.detach(first);
    table.engine.advance(at_us(499 * ms));
    CHECK(table.next("a") == 0);  // the second one's own time has not expired
    table.engine.advance(at_us(500 * ms));
    CHECK(table.next("a") == 1);
  }
}

TEST_CASE("Bounce on one unit hides no tap on another", "[order]") {
  OnePad table{{{"a", {with("south", Duration{12 * ms})}}}};
  const UnitId other = table.plug(panel());
  table.feed(0, {{code::btn_south, 1}});
  table.feed(20 * ms, {{code::btn_south, 0}});  // debounced until 32 ms
  CHECK(table.shown("a", 2) == "#.");
  table.feed(other, 22 * ms, {{code::btn_south, 1}});
  CHECK(table.next("a") == 1);
}

// -- counts -----------------------------------------------------------------------------------------------------

TEST_CASE("No count is lost, however many accumulate between two samples", "[order]") {
  Table table{plan_of("kit")};
  const UnitId ball = table.engine.attach(trackball("seat-1")).value();
  const UnitId pad = table.plug(plain_pad());
  Reader rare{table.engine};
  double x = 0, dial = 0;
  for (int i = 1; i <= 8000; ++i) {
    table.feed(ball, i * 125, {{relative(0), 1}, {relative(8), -1}});
    if (i % 3 == 0) table.feed(pad, i * 125, {{code::btn_south, i % 2}, {code::abs_x, i}});
    if (i % 133 != 0) continue;
    table.reader.next_frame();
    x += table.value("ball-x");
    dial += table.value("dial");
    for (const TargetPlace target : table.reader.changed())
      CHECK(std::ranges::count(table.reader.changed(), target) == 1);
  }
  table.reader.next_frame();
  CHECK(x + table.value("ball-x") == 8000);
  CHECK(dial + table.value("dial") == -8000);
  rare.next_frame();
  CHECK(rare.port(1).value(table.at("ball-x")) == 8000);
  CHECK(rare.port(1).value(table.at("dial")) == -8000);
  CHECK(rare.port(1).value(table.at("ball-y")) == 0);
  const auto& targets = table.engine.plan().targets();
  for (const TargetPlace target : rare.changed()) CHECK(targets[target.number].name != "ball-y");
}

TEST_CASE("Counts beyond 31 bits are split over several samples and never change sign", "[order]") {
  Table table{plan_of("kit")};
  const UnitId ball = table.engine.attach(trackball("seat-1")).value();
  constexpr std::int32_t most = std::numeric_limits<std::int32_t>::max();
  for (int i = 1; i <= 3; ++i) table.feed(ball, i, {{relative(0), most}, {relative(1), -most}});
  for (int i = 1; i <= 3; ++i) {
    table.reader.next_frame();
    CHECK(table.reader.port(1).native(table.at("ball-x")) == most);
    CHECK(table.reader.port(1).native(table.at("ball-y")) == -most);
  }
  CHECK(table.next("ball-x") == 0);
}

// -- bounds -----------------------------------------------------------------------------------------------------

TEST_CASE("Calls at the end of the time range return", "[order]") {
  OnePad table{{{"a", {with("south", Duration{12 * ms})}}, {"pedal", {ramped("left-shoulder", 0.01)}}}};
  table.feed(0, {{code::btn_south, 1}, {code::btn_tl, 1}});
  const auto end = Time{Duration::max()};
  SECTION("by advancing") { table.engine.advance(end); }
  SECTION("by a report") { table.engine.feed(table.pad, {end, Changes{{code::btn_east, 1}}}); }
  SECTION("with nothing pending") {
    table.engine.advance(at_us(200'000 * ms));
    CHECK_FALSE(table.engine.next_due());
    table.engine.feed(table.pad, {end, Changes{{code::btn_east, 1}}});
  }
  CHECK(table.engine.now() == latest_time);
  CHECK(table.next("pedal") == 1);
  table.engine.feed(table.pad, {end, Changes{{code::btn_south, 0}, {code::btn_tl, 0}}});
  table.engine.advance(end);
  CHECK(table.engine.now() == latest_time);
  table.engine.detach(table.pad);
  CHECK((table.next("a") == 0 && table.value("pedal") == 0));
  table.engine.feed(table.pad, {Time{Duration::min()}, {}});
  CHECK(table.engine.now() == latest_time);
}

TEST_CASE("Ids are never reused, even after forty thousand units in one slot", "[order]") {
  Table table{plan_of("pad-2b")};
  const Attachment attachment = seated(panel(), "seat-1");
  const UnitId first = table.engine.attach(attachment).value();
  table.engine.detach(first);
  for (int i = 0; i < 40'000; ++i) {
    const UnitId later = table.engine.attach(attachment).value();
    if (later == first) FAIL("the id of the first at " << i);
    if (i < 39'999) table.engine.detach(later);
  }
  table.feed(first, 1, {{code::btn_south, 1}});
  CHECK((table.next("inner") == 0 && table.engine.ignored() == 1));
}

TEST_CASE("A ramp ends on time", "[order]") {
  const auto [rate, last] = GENERATE(table<double, int>({{5, 200}, {10, 100}, {3, 334}, {1000, 1}, {7, 143}}));
  OnePad table{{{"pedal", {ramped("left-shoulder", rate)}}}};
  table.feed(0, {{code::btn_tl, 1}});
  table.engine.advance(at_us((last - 1) * ms));
  CHECK(table.next("pedal") < 1);
  table.engine.advance(at_us(last * ms));
  CHECK(table.next("pedal") == 1);
  CHECK_FALSE(table.engine.next_due());
}
