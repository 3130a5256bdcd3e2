// The promises of the engine, each with a test that can fail.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cstring>
#include <random>

#include "evening.hpp"
#include "support/allocations.hpp"
#include "support/laid_table.hpp"
#include "support/settings.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Plan ramp_plan(double pushes_per_second) {
  Use slow{"left-shoulder"};
  slow.settings.set("ramp", pushes_per_second);
  return Table::plan_with({{"pedal", {slow}}});
}

}  // namespace

// -- promise 1: deterministic -------------------------------------------------------------------------

TEST_CASE("However advance is divided, the state is the same to the last byte", "[promise]") {
  Use debounced{"south"};
  debounced.settings.set("debounce", Duration{4700});
  Use held{"east"};
  held.settings.set("long-press", Duration{33'333});
  Use ramped{"dpad"};
  ramped.settings.set("ramp", 7);
  Use fires{"west"};
  fires.settings.set("autofire", 17);
  const Plan plan = Table::plan_with({{"a", {debounced, held}}, {"b", {fires}}, {"stick", {ramped}}});
  const auto play = [&plan](std::uint32_t seed) {
    OnePad table{plan};
    std::mt19937 cut{seed};
    std::mt19937 hand{7};
    std::int64_t now = 0;
    for (int i = 0; i < 200; ++i) {
      const std::int64_t next = now + 1 + static_cast<std::int64_t>(hand() % 30'000);
      if (seed > 0)
        for (std::int64_t t = now; t < next; t += 1 + static_cast<std::int64_t>(cut() % (1 << (seed % 16))))
          table.engine.advance(at_us(t));
      const auto bit = static_cast<std::int32_t>(hand() % 2);
      table.feed(next, {{hand() % 2 == 0 ? code::btn_south : code::btn_east, bit},
                        {code::abs_hat0x, static_cast<std::int32_t>(hand() % 3) - 1},
                        {code::abs_hat0y, static_cast<std::int32_t>(hand() % 3) - 1},
                        {code::abs_rx, static_cast<std::int32_t>(hand() % 65'536) - 32'768},
                        {code::btn_west, static_cast<std::int32_t>(hand() % 2)}});
      now = next;
    }
    const auto state = table.engine.state();
    return std::vector<std::byte>{state.begin(), state.end()};
  };
  const auto whole = play(0);
  REQUIRE(whole.size() == plan.state_size());
  for (std::uint32_t seed = 1; seed <= static_cast<std::uint32_t>(cases(20, 200)); ++seed) {
    CAPTURE(seed);
    CHECK(std::memcmp(play(seed).data(), whole.data(), whole.size()) == 0);
  }
}

// -- promise 2: a predictable hot path ----------------------------------------------------------------

TEST_CASE("Feeding, advancing, reading and detaching allocate nothing", "[promise]") {
  const auto evening = marrowby::make_evening(5'000);
  Engine engine{plan_of(marrowby::evening_catalogue(), marrowby::evening_profile())};
  std::vector<UnitId> ids;
  const auto units = marrowby::evening_units();
  for (std::size_t i = 0; i < units.size(); ++i)
    ids.push_back(engine.attach(seated(units[i], "seat-" + std::to_string(i + 1))).value());
  Reader reader{engine};
  PacedReader paced{engine, shortest_press(engine.plan())};
  std::size_t shown = 0;
  CHECK(allocations_during([&] {
          std::int64_t frame = 0;
          for (const marrowby::EveningReport& r : evening.reports) {
            engine.feed(ids[r.unit], evening.report(r));
            paced.catch_up(engine.now());
            for (; frame < r.time_us; frame += 16'667) reader.next_frame();
            for (const TargetPlace target : reader.changed()) shown += target.number + 1U;
          }
          engine.freeze();
          engine.thaw();
          engine.advance(engine.now() + std::chrono::seconds{5});
          engine.detach(ids[0]);
          reader.next_frame();
        }) == 0);
  CHECK(shown > 0);
  std::string proof_that_the_counter_counts;
  CHECK(allocations_during([&] { proof_that_the_counter_counts.resize(1000 + shown % 2); }) > 0);
}

// -- promise 3: a tap is never lost -------------------------------------------------------------------

TEST_CASE("Every tap is shown once by every reader, however slowly it samples", "[promise]") {
  OnePad table;
  Reader slow{table.engine};
  for (int tap = 0; tap < 3; ++tap) {
    table.feed(tap * 4 * ms, {{code::btn_south, 1}});
    table.feed(tap * 4 * ms + 1, {{code::btn_south, 0}});
  }
  CHECK(table.shown("b", 8) == "#.#.#...");
  CHECK(table.reader.port(1).presses(table.at("b")) == 3);
  slow.next_frame();
  CHECK(slow.port(1).pressed(table.at("b")));
}

TEST_CASE("A release and a new press between two samples show one released sample first", "[promise]") {
  OnePad table;
  table.feed(0, {{code::btn_south, 1}});
  CHECK(table.next("b"));
  table.feed(10, {{code::btn_south, 0}});
  table.feed(20, {{code::btn_south, 1}});
  CHECK_FALSE(table.next("b"));
  CHECK(table.next("b"));
  CHECK(table.next("b"));
}

TEST_CASE("A tap within one report counts", "[promise]") {
  OnePad table;
  table.feed(0, {{code::btn_south, 1}, {code::btn_south, 0}, {code::btn_south, 1}, {code::btn_south, 0}});
  CHECK(table.next("b"));
  CHECK_FALSE(table.next("b"));
  CHECK(table.next("b"));
  CHECK_FALSE(table.next("b"));
}

TEST_CASE("A reader that pauses for a long time misses no press", "[promise]") {
  OnePad table;
  for (int tap = 0; tap < 1000; ++tap) {
    table.feed(tap * ms, {{code::btn_south, 1}, {code::btn_start, tap % 2}});
    table.feed(tap * ms + 1, {{code::btn_south, 0}});
  }
  int presses = 0;
  bool before = false;
  for (int frame = 0; frame < 2100; ++frame) {
    const bool now = table.next("b") != 0;
    presses += now && !before ? 1 : 0;
    before = now;
  }
  CHECK(presses == 1000);
}

TEST_CASE("Paced: a press is immediate, and only its release waits", "[promise]") {
  OnePad table;
  PacedReader outlet{table.engine, Duration{20'000}};
  std::string shown;
  const auto look = [&](std::int64_t us) {
    table.engine.advance(at_us(us));
    outlet.catch_up(at_us(us));
    for (const TargetPlace target : outlet.changed())
      shown += std::to_string(us / ms) +
               (table.engine.plan().targets()[target.number].name == "b" && outlet.value(target) == 1 ? "+" : "-") +
               " ";
  };
  table.feed(5 * ms, {{code::btn_south, 1}});
  look(5 * ms);
  table.feed(6 * ms, {{code::btn_south, 0}});
  look(6 * ms);
  CHECK(outlet.next_due() == at_us(25 * ms));
  look(24 * ms);
  table.feed(24 * ms, {{code::btn_south, 1}});  // the second press waits until the first is over
  look(24 * ms);
  look(25 * ms);
  CHECK(outlet.next_due() == at_us(45 * ms));
  look(45 * ms);
  table.feed(100 * ms, {{code::btn_south, 0}});
  look(100 * ms);
  CHECK(shown == "5+ 25- 45+ 100- ");
  CHECK(outlet.next_due() == std::nullopt);
}

// -- promise 4: nothing sticks ------------------------------------------------------------------------

TEST_CASE("A freeze releases everything at once, and held controls count from their next press", "[promise]") {
  OnePad table;
  table.feed(
      0, {{code::btn_south, 1}, {code::btn_tl, 1}, {code::abs_x, 32767}, {code::abs_z, 255}, {code::abs_hat0y, -1}});
  table.reader.next_frame();
  REQUIRE((table.down("b") && table.down("up")));
  REQUIRE(table.value("stick-x") == 1);
  REQUIRE(table.value("throttle") == 1);
  table.engine.freeze();
  table.reader.next_frame();
  for (const std::string_view name :
       {"a", "b", "c", "d", "up", "down", "left", "right", "stick-x", "stick-y", "pedal", "wheel"})
    CHECK(table.value(name) == 0);
  CHECK(table.value("throttle") == 1);  // stays in place
  table.feed(10, {{code::btn_east, 1}});
  table.engine.thaw();
  table.reader.next_frame();
  CHECK_FALSE(table.down("b"));
  CHECK_FALSE(table.down("a"));
  CHECK(table.value("stick-x") == 1);  // analog values immediately
  table.feed(20, {{code::btn_south, 0}, {code::btn_east, 0}});
  table.feed(30, {{code::btn_south, 1}});
  CHECK(table.next("b"));
}

TEST_CASE("Hotkeys are never frozen", "[promise]") {
  Profile profile = propose(built_in_catalogue(), "pad-2b").value();
  profile.hotkeys.push_back({"freeze", "select", "south"});
  OnePad table{plan_of(built_in_catalogue(), profile)};
  const auto shown = [&table](std::string_view action) {
    return table.reader.port(0).pressed(table.engine.plan().target(0, action).value());
  };
  table.feed(0, {{code::btn_select, 1}, {code::btn_start, 1}});
  table.feed(10, {{code::btn_south, 1}});
  table.reader.next_frame();
  REQUIRE((shown("freeze") && table.down("inner")));
  table.engine.freeze();
  table.reader.next_frame();
  CHECK_FALSE(table.down("inner"));
  CHECK(shown("freeze"));  // still held
  table.feed(20, {{code::btn_south, 0}});
  table.reader.next_frame();
  CHECK_FALSE(shown("freeze"));
  SECTION("the same press again, while its modifier is still held") {
    table.feed(30, {{code::btn_south, 1}});
    table.reader.next_frame();
    CHECK(shown("freeze"));
    CHECK_FALSE(table.down("inner"));
    table.engine.thaw();
    table.reader.next_frame();
    CHECK_FALSE(table.down("inner"));  // counts from its next press
    table.feed(40, {{code::btn_south, 0}});
    table.reader.next_frame();
    table.feed(50, {{code::btn_south, 1}});
    CHECK(table.next("inner"));
    CHECK(shown("freeze"));
  }
  SECTION("a control held for a long time stays held") {
    table.engine.advance(at_us(1'999'999));
    table.reader.next_frame();
    CHECK_FALSE(shown("exit"));
    table.engine.advance(at_us(2'000'000));
    table.reader.next_frame();
    CHECK(shown("exit"));
    table.engine.detach(table.pad);
    table.reader.next_frame();
    CHECK_FALSE(shown("exit"));
    CHECK(table.engine.next_due() == std::nullopt);
  }
  SECTION("a unit that joins by a press may already hold a hotkey") {
    Attachment pad = seated(plain_pad(), "seat-2");
    pad.state = {{code::btn_select, 1}, {code::btn_south, 1}};
    pad.by_press = true;
    const UnitId comes = table.engine.attach(pad).value();
    table.reader.next_frame();
    CHECK(shown("freeze"));
    table.engine.detach(comes);
    table.reader.next_frame();
    CHECK_FALSE(shown("freeze"));
  }
  SECTION("controls down at a connection or a new plan count from their next press") {
    Attachment pad = seated(plain_pad(), "seat-2");
    pad.state = {{code::btn_select, 1}, {code::btn_south, 1}};
    REQUIRE(table.engine.attach(pad));
    table.engine.adopt(table.engine.plan());
    table.feed(30, {{code::btn_south, 1}});
    table.reader.next_frame();
    CHECK_FALSE(shown("freeze"));
    table.engine.advance(at_us(3'000'000));
    table.reader.next_frame();
    CHECK_FALSE(shown("exit"));
    CHECK(table.engine.frozen());
  }
}

TEST_CASE("A detached unit releases what only it held", "[promise]") {
  OnePad table;
  const UnitId other = table.engine.attach(seated(panel(), "seat-1")).value();
  table.feed(0, {{code::btn_south, 1}, {code::btn_north, 1}});
  table.engine.feed(other, {at_us(1), std::vector<Change>{{code::btn_south, 1}, {code::abs_hat0x, 1}}});
  table.reader.next_frame();
  REQUIRE((table.down("b") && table.down("d") && table.down("right")));
  SECTION("the pad disconnects") {
    table.engine.detach(table.pad);
    table.reader.next_frame();
    CHECK(table.down("b"));
    CHECK_FALSE(table.down("d"));
    CHECK(table.down("right"));
    table.feed(2, {{code::btn_north, 1}});
    CHECK(table.engine.ignored() == 1);
    CHECK_FALSE(table.next("d"));
  }
  SECTION("the panel disconnects") {
    table.engine.detach(other);
    table.reader.next_frame();
    CHECK(table.down("b"));
    CHECK_FALSE(table.down("right"));
  }
}

TEST_CASE("Buttons held at connection count from their next press, sticks at once", "[promise]") {
  Engine engine{plan_of("kit")};
  Attachment pad = seated(plain_pad(), "seat-1");
  pad.state = {{code::btn_south, 1}, {code::abs_x, -32768}, {code::abs_ry, -32768}};
  const UnitId unit = engine.attach(pad).value();
  Reader reader{engine};
  const auto value = [&](std::string_view name) { return reader.port(1).value(*engine.plan().target(1, name)); };
  CHECK(value("b") == 0);
  CHECK(value("stick-x") == -1);
  CHECK(value("d") == 0);  // the right stick is already up: no press
  engine.feed(unit, {at_us(1), std::vector<Change>{{code::abs_ry, 0}, {code::btn_south, 0}}});
  engine.feed(unit, {at_us(2), std::vector<Change>{{code::abs_ry, -32768}, {code::btn_south, 1}}});
  reader.next_frame();
  CHECK(value("b") == 1);
  CHECK(value("d") == 1);
}

TEST_CASE("A new plan returns everything to rest and keeps units and readers", "[promise]") {
  OnePad table;
  table.feed(0, {{code::btn_south, 1}, {code::abs_x, 32767}});
  table.reader.next_frame();
  REQUIRE(table.down("b"));
  PacedReader paced{table.engine, std::chrono::milliseconds{20}};
  table.engine.adopt(Table::plan_with({{"a", {{"south"}}}, {"b", {{"east"}}}}));
  const auto paced_stick = [&] { return paced.port(1).value(*table.engine.plan().target(1, "stick-x")); };
  paced.catch_up(at_us(5));
  CHECK(paced_stick() == 0);
  CHECK(paced.next_due() == at_us(5));  // because the stick is still pushed
  paced.catch_up(at_us(5));
  CHECK(paced_stick() == 1);
  CHECK_FALSE(paced.next_due().has_value());
  table.reader.next_frame();
  CHECK_FALSE((table.down("a") || table.down("b")));
  table.reader.next_frame();
  CHECK(table.value("stick-x") == 1);
  table.feed(10, {{code::btn_south, 0}});
  table.feed(20, {{code::btn_south, 1}});
  CHECK(table.next("a"));
  CHECK_FALSE(table.down("b"));
}

// -- shapes, deadlines and ticks ------------------------------------------------------------------------

TEST_CASE("Native values reach both ends and rest exactly", "[shape]") {
  struct Row {
    std::int32_t raw;
    std::int32_t native;
  };
  const auto row = GENERATE(Row{-32768, 0}, Row{0, 128}, Row{32767, 255}, Row{4914, 128}, Row{-4914, 128});
  OnePad table;
  table.feed(0, {{code::abs_x, row.raw}, {code::abs_rz, row.raw < 0 ? 0 : (row.raw == 0 ? 0 : 255)}});
  table.reader.next_frame();
  CHECK(table.native("stick-x") == row.native);
  CHECK(table.native("stick-y") == 128);
  CHECK(table.native("pedal") == (row.raw > 0 ? 0 : 255));  // this one is reversed
}

TEST_CASE("A stick's length never exceeds 1, and a d-pad's diagonal has length 1", "[shape]") {
  OnePad table;
  const auto length = [&] {
    return table.value("stick-x") * table.value("stick-x") + table.value("stick-y") * table.value("stick-y");
  };
  table.feed(0, {{code::abs_x, 32767}, {code::abs_y, -32768}});
  table.reader.next_frame();
  CHECK(length() == Approx(1));
  table.feed(1, {{code::abs_x, 0}, {code::abs_y, 0}, {code::abs_hat0x, 1}, {code::abs_hat0y, 1}});
  table.reader.next_frame();
  CHECK(length() == Approx(1));
  CHECK(table.value("stick-x") == table.value("stick-y"));
}

TEST_CASE("Directions from a stick have hysteresis", "[shape]") {
  OnePad table;
  std::string seen;
  std::int64_t now = 0;
  for (const double push : {0.0, 0.45, 0.52, 0.45, 0.41, 0.38, 0.45, 0.52}) {
    table.feed(++now, {{code::abs_x, static_cast<std::int32_t>(push * 32767)}});
    seen += table.shown("right", 1);
  }
  CHECK(seen == "..###..#");
}

TEST_CASE("The greatest of several sources counts, on any unit", "[shape]") {
  OnePad table;
  const UnitId other = table.engine.attach(seated(plain_pad(), "seat-1")).value();
  const auto push = [&](UnitId unit, std::int32_t x) {
    table.engine.feed(unit, {table.engine.now(), std::vector<Change>{{code::abs_x, x}}});
    table.reader.next_frame();
    return table.value("stick-x");
  };
  const double small = push(table.pad, 12'000);
  CHECK(small > 0);
  CHECK(push(other, 30'000) > small);
  CHECK(push(other, 0) == small);
  CHECK(push(table.pad, 0) == 0);
}

TEST_CASE("Debounce accepts the first change and hides the rest", "[shape]") {
  Use bouncing{"south"};
  bouncing.settings.set("debounce", Duration{12'000});
  OnePad table{Table::plan_with({{"a", {bouncing}}})};
  std::int64_t now = 0;
  for (const int value : {1, 0, 1, 0, 1}) table.feed(now += 2 * ms, {{code::btn_south, value}});
  table.engine.advance(at_us(100 * ms));
  CHECK(table.next("a"));
  CHECK(table.next("a"));
  for (const int value : {0, 1, 0}) table.feed(100 * ms + (now += 2 * ms), {{code::btn_south, value}});
  table.engine.advance(at_us(300 * ms));
  CHECK_FALSE(table.next("a"));
  CHECK_FALSE(table.next("a"));
  CHECK(table.reader.port(1).presses(table.at("a")) == 1);
  CHECK(table.engine.next_due() == std::nullopt);
}

TEST_CASE("A long press counts from its deadline, to the microsecond", "[shape]") {
  Use held{"south"};
  held.settings.set("long-press", std::chrono::milliseconds{300});
  OnePad table{Table::plan_with({{"a", {held}}})};
  table.feed(1000, {{code::btn_south, 1}});
  CHECK(table.engine.next_due() == at_us(301'000));
  table.engine.advance(at_us(300'999));
  CHECK_FALSE(table.next("a"));
  table.engine.advance(at_us(301'000));
  CHECK(table.next("a"));
  table.feed(400'000, {{code::btn_south, 0}});
  CHECK_FALSE(table.next("a"));
}

TEST_CASE("A ramp moves tick by tick and then needs no more time", "[shape]") {
  OnePad table{ramp_plan(10)};
  table.feed(500, {{code::btn_tl, 1}});
  CHECK(table.engine.next_due() == at_us(1000));
  table.engine.advance(at_us(50 * ms));
  table.reader.next_frame();
  CHECK(table.value("pedal") == Approx(0.5).margin(1e-6));
  table.engine.advance(at_us(101 * ms));
  table.reader.next_frame();
  CHECK(table.value("pedal") == 1);
  CHECK(table.engine.next_due() == std::nullopt);
  table.feed(200 * ms, {{code::btn_tl, 0}});
  table.engine.advance(at_us(225 * ms));
  table.reader.next_frame();
  CHECK(table.value("pedal") == Approx(0.75).margin(1e-6));
  table.engine.detach(table.pad);
  table.reader.next_frame();
  CHECK(table.value("pedal") == 0);
}

TEST_CASE("The exit combination is start and select of one seat held for two seconds, not of two seats", "[shape]") {
  OnePad table{"pad-2b"};
  const UnitId other = table.engine.attach(seated(plain_pad(), "seat-2")).value();
  const TargetIndex exit = *table.engine.plan().target(0, "exit");
  const auto fired = [&](std::int64_t us) {
    table.engine.advance(at_us(us));
    table.reader.next_frame();
    return table.reader.port(0).pressed(exit);
  };
  table.feed(0, {{code::btn_start, 1}});
  table.engine.feed(other, {at_us(1), std::vector<Change>{{code::btn_select, 1}}});
  CHECK_FALSE(fired(3'000'000));
  table.feed(3'000'000, {{code::btn_select, 1}});
  CHECK_FALSE(fired(4'999'999));
  CHECK(fired(5'000'000));
  CHECK(table.down("start"));  // both keep their own effect
}

// -- malformed input --------------------------------------------------------------------------------------

TEST_CASE("Late, malformed and foreign reports are harmless", "[odd]") {
  OnePad table;
  table.engine.advance(at_us(10 * ms));
  table.feed(5 * ms, {{code::btn_south, 1}});  // older than the engine's time
  CHECK(table.engine.now() == at_us(10 * ms));
  CHECK(table.next("b"));
  table.feed(11 * ms, {{key(0x2ff), 1}, {absolute(0x3f), 5}, {{ev_rel, 0}, 3}, {{77, 9999}, 1}, {{1, 0xffff}, 1}});
  CHECK(table.engine.ignored() == 5);
  table.engine.feed({1599}, {at_us(12 * ms), std::vector<Change>{{code::btn_south, 0}}});
  table.engine.feed({}, {at_us(12 * ms), std::vector<Change>{{code::btn_south, 0}}});
  CHECK(table.engine.ignored() == 7);
  table.feed(13 * ms, {{code::abs_x, 2'147'483'647}, {code::abs_y, -2'147'483'647 - 1}, {code::btn_south, 2}});
  table.reader.next_frame();
  CHECK(table.down("b"));
  CHECK(table.native("stick-x") <= 255);
  CHECK(table.native("stick-y") >= 0);
  table.engine.detach({131});
  CHECK(table.reader.port(7).native(table.at("b")) == 0);
  CHECK(table.reader.port(1).value({200}) == 0);
}

TEST_CASE("A seventeenth unit is rejected with a reason", "[odd]") {
  Engine engine{plan_of("kit")};
  for (std::size_t i = 0; i < max_units; ++i) REQUIRE(engine.attach(seated(panel(), "seat-1")));
  const auto refused = engine.attach(seated(panel(), "seat-1"));
  REQUIRE_FALSE(refused);
  CHECK(to_text(refused.error()) ==
        "Marrowby Panel: too many units [too-many-units]\n  the limit is 16 units at a time");
}
