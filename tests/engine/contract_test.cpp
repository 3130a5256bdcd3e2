// Promises of the public headers that they once left out.
#include <catch2/catch.hpp>

#include "support/laid_table.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

TEST_CASE("A trigger with release 0 is released at rest", "[order]") {
  Use any{"right-trigger"};
  any.settings.set("threshold", 0.3);
  any.settings.set("release", 0);
  OnePad table{{{"a", {any}}}};
  std::string seen;
  std::int64_t now = 0;
  for (const int raw : {60, 90, 20, 1, 0, 1, 90}) {
    table.feed(++now, {{code::abs_rz, raw}});
    seen += table.next("a") != 0 ? '#' : '.';
  }
  CHECK(seen == ".###..#");
}

TEST_CASE("A press has no dead zone unless one is set; an analog value grows from its threshold to 1 and no further",
          "[order]") {
  Use bare{"left-stick-right"};
  bare.settings.set("threshold", 0.2);
  bare.settings.set("release", 0.1);
  Use shaped = bare;
  shaped.settings.set("dead-zone", 0.9);
  Use stick{"right-stick"};
  stick.settings.set("dead-zone", 0.5);
  OnePad table{{{"a", {bare}}, {"b", {shaped}}, {"stick", {stick}}}};
  table.feed(1, {{code::abs_x, 7000}, {code::abs_rx, 24575}});
  CHECK(table.next("a") == 1);
  CHECK(table.value("b") == 0);
  CHECK(table.value("stick-x") == Approx(0.5).epsilon(1e-4));
  table.feed(2, {{code::abs_rx, 32767}, {code::abs_ry, 32767}});
  table.reader.next_frame();
  CHECK(table.value("stick-x") == Approx(0.70710678).epsilon(1e-6));
}

TEST_CASE("Native values are rounded to the nearest number, halves away from zero", "[order]") {
  Catalogue catalogue = kit_catalogue();
  catalogue.systems[0].controllers[0].targets[5].native = {-10, 10, 0};    // throttle
  catalogue.systems[0].controllers[0].targets[7].native = {-100, 100, 0};  // wheel
  Attachment unit;
  unit.unit = "Marrowby Wheel";
  unit.seat = "seat-1";
  unit.controls = {{code::abs_x, ControlType::two_sided, "wheel", Axis::none, -200, 200, 0}};
  Profile profile = propose(catalogue, "kit").value();
  Use exact{"wheel"};
  exact.settings.set("dead-zone", 0);
  profile.ports[0].bind = {{"wheel", {exact}}};
  Table table{plan_of(catalogue, profile)};
  const UnitId wheel = table.engine.attach(unit).value();
  for (const auto& [raw, native] :
       {std::pair{1, 1}, std::pair{-1, -1}, std::pair{3, 2}, std::pair{-3, -2}, std::pair{200, 100}}) {
    table.feed(wheel, 1, {{code::abs_x, raw}});
    table.reader.next_frame();
    CHECK(table.reader.port(1).native(table.at("wheel")) == native);
  }
}

TEST_CASE("A trigger that is a switch is an axis at 0 or 1", "[order]") {
  Attachment unit;
  unit.unit = "Marrowby Pad";
  unit.seat = "seat-1";
  unit.controls = {{code::btn_tr2, ControlType::button, "right-trigger"}};
  Table table{plan_of("kit")};
  const UnitId pad = table.engine.attach(unit).value();
  table.feed(pad, 1, {{code::btn_tr2, 1}});
  CHECK((table.next("pedal") == 1 && table.value("c") == 1));
  table.feed(pad, 2, {{code::btn_tr2, 0}});
  CHECK((table.next("pedal") == 0 && table.value("c") == 0));
  table.feed(pad, 3, {{code::btn_tr2, 1}, {code::btn_tr2, 0}, {code::btn_tr2, 1}, {code::btn_tr2, 0}});
  CHECK(table.shown("c", 4) == "#.#.");  // each crossing within a report counts
}

TEST_CASE("Between equal lengths, the first binding wins, then the unit attached first", "[order]") {
  Use plain{"left-stick"};
  Use second{"right-stick"};
  OnePad table{{{"stick", {plain, second}}}};
  const UnitId other = table.plug(plain_pad());
  table.feed(other, 1, {{code::abs_x, 32767}});
  table.feed(2, {{code::abs_y, 32767}});
  CHECK((table.next("stick-y") == 1 && table.value("stick-x") == 0));
  table.feed(3, {{code::abs_y, 0}, {code::abs_ry, -32768}});
  CHECK((table.next("stick-x") == 1 && table.value("stick-y") == 0));
}

TEST_CASE("A reader opened while a button is down shows it as down and counts no press", "[order]") {
  OnePad table;
  table.feed(1, {{code::btn_south, 1}});
  Reader late{table.engine};
  CHECK((late.port(1).pressed(table.at("b")) && late.port(1).presses(table.at("b")) == 0));
  late.next_frame();
  CHECK((late.port(1).pressed(table.at("b")) && late.changed().empty()));
  table.feed(2, {{code::btn_south, 0}, {code::btn_south, 1}});
  late.next_frame();
  CHECK_FALSE(late.port(1).pressed(table.at("b")));
  late.next_frame();
  CHECK((late.port(1).pressed(table.at("b")) && late.port(1).presses(table.at("b")) == 1));
}

TEST_CASE("'like': a group binding replaces the other port's members, a member binding only that member", "[order]") {
  Profile profile = propose(kit_catalogue(), "kit").value();
  profile.ports[0].bind = {{"up", {{"north"}}}, {"directions", {{"left-stick"}}}};
  profile.ports[1].like = 1;
  const auto shown = [&](const std::string& name, const Changes& changes) {
    Table table{plan_of(kit_catalogue(), profile)};
    const UnitId pad = table.plug(plain_pad(), {}, "seat-2");
    table.feed(pad, 1, changes);
    table.reader.next_frame();
    return table.value(name, 2) != 0;
  };
  const Changes hat_up{{code::abs_hat0y, -1}}, stick_up{{code::abs_y, -32768}}, stick_left{{code::abs_x, -32768}};
  CHECK((shown("up", {{code::btn_north, 1}}) && !shown("up", stick_up) && shown("left", stick_left)));
  profile.ports[1].bind = {{"directions", {{"dpad"}}}};
  CHECK((shown("up", hat_up) && !shown("up", {{code::btn_north, 1}}) && !shown("left", stick_left)));
  profile.ports[1].bind = {{"up", {{"south"}}}};
  CHECK((shown("up", {{code::btn_south, 1}}) && !shown("up", {{code::btn_north, 1}}) && shown("left", stick_left)));
}

TEST_CASE("A source may be bound twice, to one target or to two", "[order]") {
  OnePad table{{{"a", {{"south"}, with("south", {}, Duration{100 * ms})}}, {"b", {{"south"}}}}};
  table.feed(0, {{code::btn_south, 1}});
  CHECK((table.next("a") == 1 && table.value("b") == 1));
  table.engine.advance(at_us(200 * ms));
  CHECK((table.next("a") == 1 && table.presses("a") == 1));
  table.feed(201 * ms, {{code::btn_south, 0}});
  CHECK((table.next("a") == 0 && table.value("b") == 0));
}

namespace {
/// The shipped sheets, read before main: the initialization order of other files' constants must not matter.
const std::size_t systems_before_main = built_in_catalogue().systems.size();
}  // namespace

TEST_CASE("The built-in catalogue can be read before main", "[order]") {
  CHECK(systems_before_main == built_in_catalogue().systems.size());
}

TEST_CASE("Impossible units are not attached", "[contract]") {
  OnePad table;
  const auto refused = [&](auto change) {
    Attachment unit = seated(plain_pad(), "seat-1");
    change(unit);
    const std::vector<std::byte> before{table.engine.state().begin(), table.engine.state().end()};
    const auto id = table.engine.attach(unit);
    const auto after = table.engine.state();
    if (!id) CHECK(std::equal(before.begin(), before.end(), after.begin(), after.end()));
    return id ? std::string{} : id.error().id;
  };
  const auto axis = [](Attachment& unit) -> Control& {
    return *std::ranges::find(unit.controls, ControlType::two_sided, &Control::type);
  };
  CHECK(refused([&](Attachment& unit) { std::swap(axis(unit).minimum, axis(unit).maximum); }) == "bad-range");
  CHECK(refused([&](Attachment& unit) { axis(unit).minimum = axis(unit).maximum; }) == "bad-range");
  CHECK(refused([&](Attachment& unit) { axis(unit).role = "wheel-of-fortune"; }) == "unknown-role");
  CHECK(refused([&](Attachment& unit) { unit.seat = "nobody's"; }) == "unknown-seat");
  CHECK(refused([&](Attachment& unit) { unit.seat.clear(); }).empty());
}

TEST_CASE("Times can be set to durations only", "[contract]") {
  const auto id_with = [](const char* field, auto value) {
    Use use{"south"};
    use.settings.set(field, value);
    Profile profile = propose(kit_catalogue(), "kit").value();
    profile.ports[0].bind = {{"a", {use}}};
    const auto plan = compile(kit_catalogue(), profile);
    return plan ? std::string{} : plan.error().front().id;
  };
  CHECK(id_with("debounce", 20) == "bad-number");
  CHECK(id_with("debounce", 20.0) == "bad-number");
  CHECK(id_with("autofire", std::chrono::milliseconds{20}) == "bad-number");
  CHECK(id_with("debounce", std::chrono::milliseconds{20}).empty());
  CHECK(id_with("autofire", 10).empty());
}
