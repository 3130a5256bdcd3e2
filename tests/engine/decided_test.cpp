// Cases in which independent models, built from the contracts alone, disagreed with the engine.
#include <catch2/catch.hpp>

#include <cstdlib>
#include <functional>
#include <random>

#include <fmt/format.h>

#include "omnipar/bindings.hpp"
#include "omnipar/screen.hpp"
#include "stage/table.hpp"
#include "support/laid_table.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Use with(std::string role, std::initializer_list<std::pair<const char*, double>> settings) {
  Use use{std::move(role)};
  for (const auto& [field, value] : settings) stage::set(use.settings, *stage::field(field), value);
  return use;
}

/// A pad with two buttons on the two-button machine, with this rule for opposites.
struct Opposed : Table {
  explicit Opposed(Opposites opposites) : Table(plan(opposites)), pad(engine.attach(unit()).value()) {}
  static Plan plan(Opposites opposites) {
    Profile profile = propose(built_in_catalogue(), "pad-2b").value();
    profile.ports[0].opposites = opposites;
    return plan_of(built_in_catalogue(), profile);
  }
  static Attachment unit() {
    Attachment unit;
    unit.unit = "Marrowby Mat";
    unit.seat = "seat-1";
    for (const auto& [code, role] :
         {std::pair{code::btn_dpad_up, "dpad-up"}, std::pair{code::btn_dpad_down, "dpad-down"},
          std::pair{code::btn_dpad_left, "dpad-left"}, std::pair{code::btn_dpad_right, "dpad-right"}})
      unit.controls.push_back({code, ControlType::button, role});
    return unit;
  }
  UnitId pad;
};

Attachment counter(const std::string& role, bool pair) {
  Attachment unit;
  unit.unit = "Marrowby Counter";
  unit.seat = "seat-1";
  unit.controls.push_back({relative(0), ControlType::counts, role, pair ? Axis::x : Axis::none});
  if (pair) unit.controls.push_back({relative(1), ControlType::counts, role, Axis::y});
  return unit;
}

}  // namespace

TEST_CASE("Opposite directions are resolved after all presses of a report, in any order", "[order]") {
  struct Case {
    Opposites rule;
    const char* negative;  ///< up, and left
    const char* positive;  ///< down, and right
  };
  // Together: both, neither, or the one pressed last.
  for (const Case& wanted : {Case{Opposites::both, "####", "####"}, Case{Opposites::neutral, "....", "...."},
                             Case{Opposites::last, "....", "####"}})
    for (const bool across : {false, true})
      for (const bool turned : {false, true}) {
        CAPTURE(static_cast<int>(wanted.rule), across, turned);
        Opposed table{wanted.rule};
        const Code one = across ? code::btn_dpad_left : code::btn_dpad_up;
        const Code other = across ? code::btn_dpad_right : code::btn_dpad_down;
        const char *first = across ? "left" : "up", *second = across ? "right" : "down";
        const Changes together = turned ? Changes{{other, 1}, {one, 1}} : Changes{{one, 1}, {other, 1}};
        table.feed(table.pad, 1000, together);
        std::string up, down;
        for (int sample = 0; sample < 4; ++sample) {
          table.reader.next_frame();
          up += table.down(first) ? '#' : '.';
          down += table.down(second) ? '#' : '.';
        }
        CHECK(up == wanted.negative);
        CHECK(down == wanted.positive);
        CHECK(table.presses(first) == (wanted.negative[0] == '#' ? 1U : 0U));
        CHECK(table.presses(second) == (wanted.positive[0] == '#' ? 1U : 0U));
        table.feed(table.pad, 2000, {{one, 0}});  // the one still held counts alone
        CHECK(table.next(second) == 1);
        table.feed(table.pad, 3000, {{other, 0}});
        CHECK(table.next(second) == 0);
      }
}

TEST_CASE("A press that ends within its report counts, even beside its opposite", "[order]") {
  Opposed table{Opposites::neutral};
  table.feed(table.pad, 1000, {{code::btn_dpad_up, 1}, {code::btn_dpad_up, 0}, {code::btn_dpad_up, 1}});
  CHECK(table.shown("up", 4) == "#.##");
  table.feed(table.pad, 2000, {{code::btn_dpad_up, 0}, {code::btn_dpad_down, 1}});
  CHECK(table.shown("down", 2) == "##");
}

TEST_CASE("Counts can be inverted", "[order]") {
  for (const bool turned : {false, true}) {
    CAPTURE(turned);
    const double by = turned ? 1 : 0;
    Table table{{{"ball", {with("mouse", {{"invert-x", by}, {"invert-y", 0}})}},
                 {"dial", {with("spinner", {{"invert-x", by}})}}}};
    const UnitId mouse = table.engine.attach(counter("mouse", true)).value();
    const UnitId spinner = table.engine.attach(counter("spinner", false)).value();
    table.feed(mouse, 1000, {{relative(0), 5}, {relative(1), 3}});
    table.feed(spinner, 1000, {{relative(0), -7}});
    table.reader.next_frame();
    CHECK(table.native("ball-x") == (turned ? -5 : 5));
    CHECK(table.native("ball-y") == 3);
    CHECK(table.native("dial") == (turned ? 7 : -7));
  }
}

TEST_CASE(
    "a ramp goes back by ramp-return while the other side is down, and slows no axis that a diagonal makes shorter",
    "[order]") {
  Table table{{{"stick", {with("dpad", {{"ramp", 100}, {"ramp-release", 1}, {"ramp-return", 10}})}}}};
  const UnitId pad = table.plug(plain_pad());
  table.feed(pad, 1000, {{code::abs_hat0x, 1}});
  table.engine.advance(at_us(100 * ms));
  CHECK(table.next("stick-x") == 1);
  table.feed(pad, 100 * ms, {{code::abs_hat0y, -1}});  // a diagonal: x travels less, and nothing is released
  table.engine.advance(at_us(110 * ms));
  table.reader.next_frame();
  CHECK(table.value("stick-x") == Approx(0.70710678).epsilon(1e-6));
  CHECK(table.value("stick-y") == Approx(-0.70710678).epsilon(1e-6));

  Attachment buttons;
  buttons.unit = "Marrowby Panel";
  buttons.seat = "seat-1";
  buttons.controls = {{code::btn_dpad_left, ControlType::button, "dpad-left"},
                      {code::btn_dpad_right, ControlType::button, "dpad-right"}};
  Table other{{{"wheel", {with("dpad", {{"ramp", 100}, {"ramp-release", 1}, {"ramp-return", 10}})}}}};
  const UnitId panel = other.engine.attach(buttons).value();
  other.feed(panel, 1000, {{code::btn_dpad_right, 1}});
  other.engine.advance(at_us(100 * ms));
  other.feed(panel, 100 * ms, {{code::btn_dpad_left, 1}});  // both: back to the centre at 10 per second
  other.engine.advance(at_us(150 * ms));
  CHECK(other.next("wheel") == Approx(0.5).epsilon(0.03));
  other.engine.advance(at_us(250 * ms));
  CHECK(other.next("wheel") == 0);
}

TEST_CASE("A trigger button held when its unit connects counts from its next press", "[order]") {
  Attachment unit;
  unit.unit = "Marrowby Pad";
  unit.seat = "seat-1";
  unit.controls = {{code::btn_tr2, ControlType::button, "right-trigger"}};
  unit.state = {{code::btn_tr2, 1}};
  Table table{plan_of("kit")};
  const UnitId pad = table.engine.attach(unit).value();
  CHECK((table.next("pedal") == 0 && table.value("c") == 0));
  table.feed(pad, 1000, {{code::btn_tr2, 0}});
  CHECK((table.next("pedal") == 0 && table.value("c") == 0));
  table.feed(pad, 2000, {{code::btn_tr2, 1}});
  CHECK((table.next("pedal") == 1 && table.value("c") == 1));
}

TEST_CASE("A trigger button held across a thaw or a new plan counts from its next press", "[order]") {
  Attachment unit;
  unit.unit = "Marrowby Pad";
  unit.seat = "seat-1";
  unit.controls = {{code::btn_tr2, ControlType::button, "right-trigger"},
                   {code::btn_tr, ControlType::button, "right-trigger"}};
  Table table{plan_of("kit")};
  const UnitId pad = table.engine.attach(unit).value();
  const auto thaws = [&table] {
    table.engine.freeze();
    table.engine.thaw();
  };
  const auto adopts = [&table] { static_cast<void>(table.engine.adopt(plan_of("kit"))); };
  std::int64_t now = 0;
  const auto feed = [&](Code code, int value) { table.feed(pad, now += 1000, {{code, value}}); };
  for (const auto& turn : {std::function<void()>{thaws}, std::function<void()>{adopts}}) {
    feed(code::btn_tr2, 1);
    CHECK((table.next("pedal") == 1 && table.value("c") == 1));
    turn();
    CHECK((table.next("pedal") == 0 && table.value("c") == 0));
    CHECK(table.engine.present(pad).front() == Change{code::btn_tr2, 1});
    feed(code::btn_tr2, 1);  // repeated, as by units that always send their full state
    CHECK((table.next("pedal") == 0 && table.value("c") == 0));
    feed(code::btn_tr, 1);  // another trigger of the same role pulls the lever and releases it
    CHECK(table.next("pedal") == 1);
    feed(code::btn_tr, 0);
    CHECK(table.next("pedal") == 0);
    feed(code::btn_tr2, 0);
    feed(code::btn_tr2, 1);
    CHECK((table.next("pedal") == 1 && table.value("c") == 1));
    feed(code::btn_tr2, 0);
    CHECK((table.next("pedal") == 0 && table.value("c") == 0));
  }
}

TEST_CASE("A trigger whose axis reports rest is not pressed by its button in the same report", "[order]") {
  Table table{{{"a", {Use{"right-trigger"}}}}};
  Attachment unit = seated(numbered_pad(), "seat-1");
  const auto of = [&unit](ControlType type) {
    return std::ranges::find_if(unit.controls,
                                [=](const Control& c) { return c.role == "right-trigger" && c.type == type; })
        ->code;
  };
  const UnitId pad = table.engine.attach(unit).value();
  // When an axis reports twice, everything before the second report is evaluated.
  table.feed(pad, 1000,
             {{of(ControlType::one_sided), 0}, {of(ControlType::button), 1}, {code::abs_x, 0}, {code::abs_x, 0}});
  CHECK(table.shown("a", 3) == "...");
}

TEST_CASE("An outer dead zone adds no inner one to a pressed control", "[order]") {
  OnePad table{{{"a", {with("left-stick-right", {{"outer-dead-zone", 0.1}, {"threshold", 0.06}, {"release", 0.05}})}}}};
  table.feed(1000, {{code::abs_x, 3000}});  // 9 %
  CHECK(table.next("a") == 1);
}

TEST_CASE("A game's dead zone applies to its sticks, and 'like' copies all settings of a port", "[order]") {
  Profile profile = propose(kit_catalogue(), "kit").value();
  profile.ports[0].game_dead_zone = 0.5;
  Attachment wheel;
  wheel.unit = "Marrowby Wheel";
  wheel.seat = "seat-1";
  wheel.controls = {{code::abs_x, ControlType::two_sided, "wheel", Axis::none, -100, 100, 0}};
  Use exact{"wheel"};
  exact.settings.set("dead-zone", 0);
  profile.ports[0].bind = {{"wheel", {exact}}};
  Table table{plan_of(kit_catalogue(), profile)};
  table.feed(table.engine.attach(wheel).value(), 1000, {{code::abs_x, 10}});
  CHECK(table.next("wheel") == Approx(0.1).epsilon(1e-6));

  Profile pads = propose(built_in_catalogue(), "pad-2b").value();
  pads.ports[0].opposites = Opposites::neutral;
  pads.ports[1].like = 1;
  Table two{plan_of(built_in_catalogue(), pads)};
  Attachment second = Opposed::unit();
  second.seat = "seat-2";
  two.feed(two.engine.attach(second).value(), 1000, {{code::btn_dpad_left, 1}, {code::btn_dpad_right, 1}});
  two.reader.next_frame();
  CHECK_FALSE(two.down("left", 2));
  CHECK_FALSE(two.down("right", 2));
}

TEST_CASE("A four-way gate never exceeds a full push", "[order]") {
  OnePad table{{{"stick", {with("left-stick", {{"ways", 4}, {"dead-zone", 0}})}}}};
  std::mt19937 dice{40};
  for (int i = 0; i < 2000; ++i) {
    const auto side = [&dice] { return static_cast<std::int32_t>(dice() % 65536) - 32768; };
    table.feed(1000 * (i + 1), {{code::abs_x, side()}, {code::abs_y, side()}});
    table.reader.next_frame();
    CHECK(std::abs(table.value("stick-x")) <= 1);
    CHECK(std::abs(table.value("stick-y")) <= 1);
  }
}

TEST_CASE("The first push of a self-centering control takes over the pointer, and its release does not", "[pointer]") {
  Attachment gun;
  gun.unit = "Marrowby Gun";
  gun.seat = "seat-1";
  for (const auto& [code, axis] : {std::pair{code::abs_x, Axis::x}, std::pair{code::abs_y, Axis::y}})
    gun.controls.push_back({code, ControlType::pointer, "gun", axis, 0, 639, 0});
  for (const char* role : {"right-stick", "dpad"}) {
    CAPTURE(role);
    Table table{{{"aim", {Use{"gun"}, with(role, {{"glide", 0}, {"dead-zone", 0}})}}}};
    const UnitId aims = table.engine.attach(gun).value();
    table.feed(aims, 1000, {{code::abs_x, 200}, {code::abs_y, 200}});
    table.reader.next_frame();
    CHECK(table.native("aim-x") == 200);
    for (int replug = 0; replug < 3; ++replug) {
      const UnitId pad = table.plug(plain_pad());
      table.feed(pad, 2000, {{std::string{role} == "dpad" ? code::abs_hat0x : code::abs_rx, 32767}});
      table.reader.next_frame();
      CHECK(table.native("aim-x") == 639);
      table.engine.detach(pad);
      table.feed(aims, 3000, {{code::abs_x, 201 + replug * 50}});
      table.reader.next_frame();
      CHECK(table.native("aim-x") == 201 + replug * 50);
    }
  }
}

TEST_CASE("A d-pad released during a freeze is at rest after the thaw", "[pointer]") {
  Table table{{{"aim", {with("dpad", {{"glide", 0}})}}}};
  const UnitId pad = table.plug(plain_pad());
  table.feed(pad, 1000, {{code::abs_hat0x, 1}});
  table.reader.next_frame();
  CHECK(table.native("aim-x") == 639);
  table.engine.freeze();
  table.feed(pad, 2000, {{code::abs_hat0x, 0}});
  table.engine.thaw();
  table.reader.next_frame();
  CHECK(table.native("aim-x") == 320);
}

TEST_CASE("Centring a pointer brings it on screen", "[pointer]") {
  Attachment gun;
  gun.unit = "Marrowby Gun";
  gun.seat = "seat-1";
  for (const auto& [code, axis] : {std::pair{code::abs_x, Axis::x}, std::pair{code::abs_y, Axis::y}})
    gun.controls.push_back({code, ControlType::pointer, "gun", axis, 0, 639, 0});
  gun.controls.push_back({code::btn_start, ControlType::button, "start"});
  Table table{{{"aim", {Use{"gun"}}}, {"aim-centre", {Use{"start"}}}}};
  const UnitId aims = table.engine.attach(gun).value();
  table.feed(aims, 1000, {{code::abs_x, 900}, {code::abs_y, 100}});
  table.reader.next_frame();
  CHECK_FALSE(table.down("aim-on"));
  table.feed(aims, 2000, {{code::btn_start, 1}});
  table.reader.next_frame();
  CHECK(table.down("aim-on"));
  CHECK(table.native("aim-x") == 320);
  table.feed(aims, 3000, {{code::abs_x, 901}});  // it reports again that it points off-screen
  table.reader.next_frame();
  CHECK_FALSE(table.down("aim-on"));
}

TEST_CASE("A machine's own area applies to the only screen", "[pointer]") {
  Catalogue catalogue = built_in_catalogue();
  catalogue.screens = {{"booth", 1920, 1080}};
  const Profile profile = propose(catalogue, "gun-booth").value();
  const Plan plan = plan_of(catalogue, profile);
  REQUIRE(plan.area());
  CHECK(plan.area()->box.left == Approx(0.125));
  CHECK(plan.screen() == "booth");
  catalogue.screens.push_back({"other", 1280, 720});
  CHECK_FALSE(plan_of(catalogue, profile).area());
}

TEST_CASE("A game's area reads back unchanged and has no more digits than it needs", "[pointer]") {
  std::size_t long_ones = 0;
  for (int left = 0; left <= 40; ++left)
    for (int right = left + 10; right <= 100; right += 3)
      for (const int tenths : {0, 1, 3, 7}) {
        const std::string text =
            fmt::format("4:3, within {}.{}% {}% {}% {}.{}%", left, tenths, left, right, right - 1, tenths);
        const auto words = parse_area(text);
        REQUIRE(words);
        const std::string again = to_text(*words);
        REQUIRE(parse_area(again).value() == *words);
        long_ones += again.size() > text.size() ? 1 : 0;
      }
  CHECK(long_ones == 0);
  CHECK(to_text(parse_area("full, cut 3.1%").value()) == "full, cut 3.1%");
}

TEST_CASE("Positions that are not self-centering are in the first sample of a new plan", "[order]") {
  OnePad table{{{"throttle", {with("left-trigger", {{"dead-zone", 0}})}}}};
  table.feed(1000, {{code::abs_z, 255}});
  table.engine.detach(table.pad);
  table.engine.adopt(Plan{table.engine.plan()});
  CHECK(table.next("throttle") == 1);
  CHECK(table.next("throttle") == 1);
}

TEST_CASE("A press that turns a toggle off releases its target at its place in the report", "[order]") {
  Use toggled{"south"};
  toggled.settings.set("toggle", 1);
  for (const bool first : {true, false}) {
    OnePad table{{{"a", {toggled, Use{"east"}}}}};
    table.feed(1000, {{code::btn_south, 1}});
    table.feed(2000, {{code::btn_south, 0}});
    CHECK(table.shown("a", 2) == "##");
    const Change off{code::btn_south, 1}, press{code::btn_east, 1};
    table.feed(3000, first ? Changes{off, press} : Changes{press, off});
    CHECK(table.shown("a", 2) == (first ? ".#" : "##"));
    CHECK(table.presses("a") == (first ? 2 : 1));
  }
}
