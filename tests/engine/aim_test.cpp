// Guns, sticks and d-pads with a game that fills a part of its screen: where shots land, what is off-screen, when aim
// is held, and the game's calibration shots.
#include <catch2/catch.hpp>

#include <cmath>

#include "omnipar/sheets.hpp"
#include "stage/table.hpp"
#include "support/laid_table.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

constexpr double full_range = 65535;

Attachment booth_gun() {
  Attachment unit;
  unit.unit = "Marrowby Gun";
  unit.seat = "seat-1";
  for (const auto& [code, axis] : {std::pair{code::abs_x, Axis::x}, std::pair{code::abs_y, Axis::y}})
    unit.controls.push_back({code, ControlType::pointer, "gun", axis, 0, 65535, 0});
  unit.controls.push_back({code::btn_south, ControlType::button, "trigger"});
  Control beside{code::btn_east, ControlType::button, "trigger"};
  beside.off_screen = true;
  unit.controls.push_back(beside);
  unit.controls.push_back({code::btn_north, ControlType::button, "reload"});
  unit.controls.push_back({code::btn_start, ControlType::button, "start"});
  return unit;
}

Profile booth(const std::string& area = "", std::vector<Binding> bind = {}) {
  Profile profile = propose(built_in_catalogue(), "gun-booth").value();
  profile.area = area;
  profile.ports.resize(1);
  profile.ports[0].bind = std::move(bind);
  return profile;
}

Catalogue room() {
  Catalogue catalogue = built_in_catalogue();
  catalogue.screens = {{"booth", 1920, 1080}, {"side", 1080, 1920, 1920, 0}};
  catalogue.screens.back().turned = QuarterTurn::none;
  return catalogue;
}

Plan plan_for(Profile profile) {
  if (!profile.area.empty()) profile.screen = "booth";
  return plan_of(room(), profile);
}

/// A gun at a booth, aimed at fractions of the whole screen.
struct Booth : Table {
  explicit Booth(const Profile& profile, const Attachment& unit = booth_gun())
      : Table(plan_for(profile)), unit_(engine.attach(unit).value()) {}

  void aim(double x, double y) {
    say({{code::abs_x, static_cast<std::int32_t>(std::lround(x * full_range))},
         {code::abs_y, static_cast<std::int32_t>(std::lround(y * full_range))}});
  }
  void say(const Changes& changes) { feed(unit_, now_, changes); }
  void pass(std::int64_t us) { engine.advance(at_us(now_ += us)); }
  /// "0.25 0.50" or "off", followed by "!" while the trigger is down.
  std::string seen() {
    reader.next_frame();  // a press and a release between two samples show one of them first
    return seen_next();
  }
  std::string seen_next() {
    reader.next_frame();
    const std::string fire = down("trigger") ? "!" : "";
    if (!down("aim-on")) return "off" + fire;
    char text[32];
    std::snprintf(text, sizeof text, "%.2f %.2f", value("aim-x"), value("aim-y"));
    return text + fire;
  }
  std::string seen_at(double x, double y) {
    aim(x, y);
    return seen();
  }

 private:
  UnitId unit_;
  std::int64_t now_ = 0;
};

Use with_setting(std::string role, const char* field, double value) {
  Use use{std::move(role)};
  stage::set(use.settings, *stage::field(field), value);
  return use;
}

}  // namespace

TEST_CASE("A shot lands where it was aimed if the game fills a part of the screen", "[aim]") {
  Booth boxed{booth("4:3")};  // from 12.5 % to 87.5 % of the width
  CHECK(boxed.seen_at(0.5, 0.5) == "0.50 0.50");
  CHECK(boxed.seen_at(0.126, 0.001) == "0.00 0.00");
  CHECK(boxed.seen_at(0.874, 0.999) == "1.00 1.00");
  CHECK(boxed.seen_at(0.3125, 0.25) == "0.25 0.25");
  for (const double beside : {0.0, 0.06, 0.12, 0.88, 1.0}) CHECK(boxed.seen_at(beside, 0.5) == "off");
  Booth art{booth("4:3, within 10% 20% 60% 80%")};
  CHECK(art.seen_at(0.35, 0.5) == "0.50 0.50");
  CHECK(art.seen_at(0.35, 0.19) == "off");
  Booth turned{booth("3:4, turned right")};  // the game's top is at the right
  CHECK(turned.seen_at(0.5, 0.001) == "0.00 0.50");
  CHECK(turned.seen_at(0.70, 0.5) == "0.50 0.03");
  Booth cut{booth("4:3, cut 10%")};  // a tenth of the picture is cut off at each edge
  CHECK(cut.seen_at(0.1251, 0.5) == "0.10 0.50");
  CHECK(cut.seen_at(0.8749, 0.999) == "0.90 0.90");
  CHECK(cut.seen_at(0.12, 0.5) == "off");
}

TEST_CASE("The four edges are equivalent, and a margin counts as the edge", "[aim]") {
  for (const char* const area : {"4:3", "full", "1:1, within 20% 20% 80% 80%", "4:3, cut 5%"})
    for (const double margin : {0.0, 0.03}) {
      CAPTURE(area, margin);
      Booth gun{booth(area, {{"aim", {with_setting("gun", "edge-margin", margin)}}})};
      const AreaBox seen = seen_part(*gun.engine.plan().area());
      const GameArea& game = *gun.engine.plan().area();
      const double step_x = game.box.width * margin, step_y = game.box.height * margin;
      const double hair = 0.0003;
      for (const auto& [sign, on] : {std::pair{-1.0, true}, std::pair{1.0, false}}) {
        const double x = step_x + sign * hair, y = step_y + sign * hair;
        for (const auto& [px, py] : {std::pair{seen.left - x, 0.5}, std::pair{seen.left + seen.width + x, 0.5},
                                     std::pair{0.5, seen.top - y}, std::pair{0.5, seen.top + seen.height + y}})
          CHECK((gun.seen_at(px, py) != "off") == on);
      }
    }
}

TEST_CASE("A calibrated gun hits where it is aimed, and each of two guns has its own calibration", "[aim]") {
  Attachment left = booth_gun(), right = booth_gun();
  right.seat = "seat-2";
  left.aims = {
      {"booth", code::abs_x, code::abs_y, {{{10'000, 5'000}, {50'000, 6'000}, {52'000, 40'000}, {9'000, 38'000}}}}};
  right.aims = {
      {"booth", code::abs_x, code::abs_y, {{{50'000, 5'000}, {10'000, 5'000}, {10'000, 40'000}, {50'000, 40'000}}}},
      {"side", code::abs_x, code::abs_y, {{{0, 0}, {100, 0}, {100, 100}, {0, 100}}}}};
  Profile profile = booth("full");
  profile.ports.push_back(profile.ports[0]);
  profile.ports[1].port = 2;
  profile.ports[1].seat = "seat-2";
  Table table{plan_for(profile)};
  const UnitId one = table.engine.attach(left).value(), other = table.engine.attach(right).value();
  table.feed(one, 10, {{code::abs_x, 52'000}, {code::abs_y, 40'000}});
  table.feed(other, 20, {{code::abs_x, 30'000}, {code::abs_y, 5'000}});
  table.reader.next_frame();
  CHECK(table.value("aim-x") == Approx(1).margin(1e-9));
  CHECK(table.value("aim-y") == Approx(1).margin(1e-9));
  CHECK(table.down("aim-on"));
  CHECK(table.value("aim-x", 2) == Approx(0.5).margin(1e-9));
  CHECK(table.value("aim-y", 2) == Approx(0).margin(1e-9));
}

TEST_CASE("A trigger with two codes is one control, and one of the codes means off-screen", "[aim]") {
  Booth gun{booth("4:3")};
  CHECK(gun.seen_at(0.5, 0.5) == "0.50 0.50");
  gun.say({{code::btn_south, 1}});
  CHECK(gun.seen() == "0.50 0.50!");
  gun.say({{code::btn_south, 0}, {code::btn_east, 1}});  // it was aimed away while held
  CHECK(gun.seen() == "off!");
  CHECK(gun.presses("trigger") == 1);
  gun.say({{code::btn_east, 0}});
  CHECK(gun.seen() == "0.50 0.50");
  gun.say({{code::btn_east, 1}});
  CHECK(gun.seen() == "off!");
  CHECK(gun.presses("trigger") == 2);
}

TEST_CASE("A reload button aims off-screen in frames 0 to 4 and pulls the trigger in frames 1 to 3", "[aim]") {
  Booth gun{booth("", {{"aim-reload", {{"reload"}}}, {"reload", {}}})};
  gun.seen_at(0.25, 0.5);
  std::string story;
  const std::int64_t frame = gun.engine.plan().frame().count();
  gun.say({{code::btn_north, 1}});
  for (int i = 0; i < 7; ++i) {
    story += gun.seen_next() + " | ";
    if (i == 2) gun.say({{code::btn_north, 0}, {code::btn_north, 1}});  // a second press during the first has no effect
    gun.pass(frame);
  }
  CHECK(story == "off | off! | off! | off | 0.25 0.50 | 0.25 0.50 | 0.25 0.50 | ");
  CHECK(gun.presses("trigger") == 1);
}

TEST_CASE("A gun's aim is held while its trigger flashes the screen", "[aim]") {
  Booth gun{booth("", {{"aim", {with_setting("gun", "hold-aim", 60'000)}}})};
  gun.aim(0.75, 0.5);
  gun.say({{code::btn_south, 1}, {code::abs_x, 16'384}});  // simultaneous, and evaluated before the flash
  CHECK(gun.seen() == "0.25 0.50!");
  gun.pass(30'000);
  CHECK(gun.seen_at(2, 2) == "0.25 0.50!");  // off-screen reports are the flash, too
  gun.aim(0.75, 0.5);
  gun.pass(29'000);
  CHECK(gun.seen() == "0.25 0.50!");
  gun.pass(1'000);
  CHECK(gun.seen() == "0.75 0.50!");
}

TEST_CASE("Calibration shots are exact, one per pull, and aiming resumes after the last", "[aim]") {
  Profile profile = booth("4:3", {{"aim-game-shots", {{"start"}}}});
  profile.ports[0].game_shots = {{0.1, 0.2}, {0.9, 0.2}, {0.5, 1}, {0, 0}};
  Booth gun{profile};
  gun.aim(0.5, 0.5);
  const auto pull = [&gun] {
    gun.say({{code::btn_south, 1}});
    std::string seen = gun.seen();
    gun.aim(0.3, 0.4);
    gun.say({{code::btn_south, 0}});
    return seen;
  };
  CHECK(pull() == "0.50 0.50!");
  CHECK(gun.seen() == "0.23 0.40");
  gun.say({{code::btn_start, 1}, {code::btn_start, 0}});
  CHECK(gun.seen() == "0.23 0.40");  // it aims until the first pull
  CHECK(pull() == "0.10 0.20!");
  CHECK(gun.value("aim-x") == 0.1);
  CHECK(gun.seen() == "0.10 0.20");  // held between pulls: a game may sample later
  gun.aim(0.0, 0.0);
  CHECK(gun.seen() == "0.10 0.20");
  CHECK(pull() == "0.90 0.20!");
  CHECK(pull() == "0.50 1.00!");
  CHECK(pull() == "0.00 0.00!");
  CHECK(gun.seen() == "0.23 0.40");
  CHECK(pull() == "0.23 0.40!");
  gun.say({{code::btn_start, 1}, {code::btn_start, 0}});
  CHECK(pull() == "0.10 0.20!");
  gun.say({{code::btn_start, 1}, {code::btn_start, 0}});  // another pull returns to aiming
  CHECK(gun.seen() == "0.23 0.40");
}

TEST_CASE("A port that is 'like' another one has its calibration shots, too", "[aim]") {
  Profile profile = booth("4:3", {{"aim-game-shots", {{"start"}}}});
  profile.ports[0].game_shots = {{0.25, 0.5}};
  profile.ports.push_back({2, "seat-2", "", 1, {}});
  Attachment second = booth_gun();
  second.seat = "seat-2";
  Table table{plan_for(profile)};
  const UnitId unit = table.engine.attach(second).value();
  table.feed(unit, 1000, {{code::abs_x, 40'000}, {code::abs_y, 40'000}, {code::btn_start, 1}});
  table.feed(unit, 2000, {{code::btn_south, 1}});
  table.reader.next_frame();
  CHECK(table.value("aim-x", 2) == 0.25);
  CHECK(table.value("aim-y", 2) == 0.5);
  table.engine.detach(unit);  // it disconnects in the middle of the sequence
  table.reader.next_frame();
  table.reader.next_frame();
  CHECK_FALSE(table.down("trigger", 2));
  CHECK_FALSE(table.down("aim-on", 2));
  CHECK(table.value("aim-x", 2) == 0.25);  // it stays in place
}

TEST_CASE("A profile's screen, area and shots survive a round trip", "[aim]") {
  Profile profile = booth("4:3, cut 2%", {{"aim-game-shots", {{"start"}}}});
  profile.screen = "booth";
  profile.pointer_span = PointerSpan::desktop;
  profile.ports[0].game_shots = {{0.125, 0.5}, {1, 0}};
  const Sheets again = read_sheets("t.toml", to_toml(profile));
  REQUIRE(again.problems.empty());
  const Profile& read = again.profiles.at(0);
  CHECK(read.screen == "booth");
  CHECK(read.area == "4:3, cut 2%");
  CHECK(read.pointer_span == PointerSpan::desktop);
  CHECK(read.ports[0].game_shots == profile.ports[0].game_shots);
  Rig rig;
  rig.screens = room().screens;
  rig.screens[0].turned = QuarterTurn::upside_down;
  rig.screens[0].scale = 1.25;
  CHECK(read_sheets("r.toml", to_toml(rig)).rig == rig);
}

TEST_CASE("Stick, mouse, yoke and d-pad reach all corners, however time is divided", "[aim]") {
  Attachment pad = seated(plain_pad(), "seat-1");
  Attachment yoke = pad;
  for (Control& control : yoke.controls)
    if (control.role == "left-stick") {
      control.square = true;
      control.rest = 4000;  // it rests off-centre
    }
  Attachment mouse;
  mouse.unit = "Marrowby Mouse";
  mouse.seat = "seat-1";
  for (const auto& [code, axis] : {std::pair{relative(0), Axis::x}, std::pair{relative(1), Axis::y}})
    mouse.controls.push_back({code, ControlType::counts, "mouse", axis, 0, 1, 0});
  const auto corner = [](const std::string& seen, int x, int y) {
    return seen == std::to_string(x) + ".00 " + std::to_string(y) + ".00";
  };
  for (const int x : {0, 1})
    for (const int y : {0, 1}) {
      CAPTURE(x, y);
      Booth dpad{booth("4:3", {{"aim", {with_setting("dpad", "glide", 2)}}}), pad};
      dpad.say({{code::abs_hat0x, 2 * x - 1}, {code::abs_hat0y, 2 * y - 1}});
      dpad.pass(600'000);
      CHECK(corner(dpad.seen(), x, y));
      dpad.say({{code::abs_hat0x, 0}, {code::abs_hat0y, 0}});
      dpad.pass(600'000);
      CHECK(corner(dpad.seen(), x, y));
      Booth sprung{booth("4:3", {{"aim", {with_setting("dpad", "glide", 0)}}}), pad};
      sprung.say({{code::abs_hat0x, 2 * x - 1}, {code::abs_hat0y, 2 * y - 1}});
      CHECK(corner(sprung.seen(), x, y));
      sprung.say({{code::abs_hat0x, 0}, {code::abs_hat0y, 0}});
      CHECK(sprung.seen() == "0.50 0.50");
      Booth held{booth("4:3", {{"aim", {with_setting("left-stick", "glide", 0)}}}), yoke};
      held.say({{code::abs_x, x == 0 ? -32768 : 32767}, {code::abs_y, y == 0 ? -32768 : 32767}});
      CHECK(corner(held.seen(), x, y));
      held.say({{code::abs_x, 4000}, {code::abs_y, 4000}});
      CHECK(held.seen() == "0.50 0.50");
      Booth dragged{booth("4:3", {{"aim", {with_setting("mouse", "counts-across", 500)}}}), mouse};
      for (int i = 0; i < 9; ++i) dragged.say({{relative(0), x == 0 ? -60 : 60}, {relative(1), y == 0 ? -60 : 60}});
      CHECK(corner(dragged.seen(), x, y));
    }
  Booth often{booth("", {{"aim", {with_setting("left-stick", "glide", 1)}}}), pad};
  Booth once{booth("", {{"aim", {with_setting("left-stick", "glide", 1)}}}), pad};
  for (Booth* each : {&often, &once}) each->say({{code::abs_x, 20'000}, {code::abs_y, -9'000}});
  for (int i = 0; i < 337; ++i) often.pass(1000);
  once.pass(337'000);
  often.seen();
  once.seen();
  CHECK(often.value("aim-x") == once.value("aim-x"));
  CHECK(often.value("aim-y") == once.value("aim-y"));
}

TEST_CASE("A pointer that may pass the edge is off-screen there and returns the same way", "[aim]") {
  Attachment mouse = seated(plain_pad(), "seat-1");
  mouse.controls.push_back({relative(0), ControlType::counts, "mouse", Axis::x, 0, 1, 0});
  mouse.controls.push_back({relative(1), ControlType::counts, "mouse", Axis::y, 0, 1, 0});
  Use use = with_setting("mouse", "counts-across", 100);
  use.settings.set("beyond", 0.2);
  Booth gun{booth("", {{"aim", {use}}, {"aim-centre", {{"south"}}}}), mouse};
  gun.say({{relative(0), 49}});
  CHECK(gun.seen() == "0.99 0.50");
  gun.say({{relative(0), 11}});
  CHECK(gun.seen() == "off");
  CHECK(gun.value("aim-x") == 1);
  gun.say({{relative(0), 1000}});  // no further than allowed
  gun.say({{relative(0), -19}});
  CHECK(gun.seen() == "off");
  gun.say({{relative(0), -2}});
  CHECK(gun.seen() == "0.99 0.50");
  gun.say({{relative(0), 1000}});
  gun.say({{code::btn_south, 1}});
  CHECK(gun.seen() == "0.50 0.50");  // to the centre
}

TEST_CASE("A pointer's outlet covers exactly its screen, or the game's area on it", "[aim]") {
  Profile profile = booth("4:3");
  const auto reach = [&](PointerSpan wanted, const char* area, std::string_view half) {
    profile.pointer_span = wanted;
    profile.area = area;
    const Plan plan = plan_for(profile);
    const TargetInfo& info = plan.targets()[plan.target(1, half).value().value];
    return std::tuple{Approx(info.span_from), Approx(info.span_to), info.spans_across};
  };
  CHECK(reach(PointerSpan::area, "4:3", "aim-x") == std::tuple{0, 1, false});
  CHECK(reach(PointerSpan::screen, "4:3", "aim-x") == std::tuple{0.125, 0.875, false});
  CHECK(reach(PointerSpan::screen, "4:3", "aim-y") == std::tuple{0, 1, false});
  // 1920 of 3000 across, 1080 of 1920 down
  CHECK(reach(PointerSpan::desktop, "4:3", "aim-x") == std::tuple{0.08, 0.56, false});
  CHECK(reach(PointerSpan::desktop, "4:3", "aim-y") == std::tuple{0, 0.5625, false});
  CHECK(reach(PointerSpan::screen, "3:4, turned right", "aim-y") == std::tuple{0.7109375, 0.2890625, true});
}

TEST_CASE("Impossible ways to aim are rejected with a suggestion", "[aim]") {
  const auto refusal = [](const Profile& profile, const Catalogue& catalogue = room()) {
    const auto plan = compile(catalogue, profile);
    return plan ? std::string{} : plan.error().front().id;
  };
  Profile profile = booth("4:3");
  CHECK(refusal(profile) == "unknown-screen");  // there are two
  CHECK(refusal(profile, built_in_catalogue()) == "no-screen");
  profile.screen = "both";
  CHECK(refusal(profile) == "unknown-screen");
  profile.screen = "side";
  CHECK(refusal(profile).empty());
  profile.area = "4 to 3";
  CHECK(refusal(profile) == "bad-area");
  CHECK(refusal(booth("", {{"aim-game-shots", {{"start"}}}})) == "no-game-shots");
  CHECK(refusal(booth("", {{"aim-sideways", {{"start"}}}})) == "unknown-target");
  Profile shots = booth();
  shots.ports[0].game_shots = {{0.5, 1.5}};
  CHECK(refusal(shots) == "bad-number");
  Profile no_gun = propose(built_in_catalogue(), "pad-2b").value();
  no_gun.ports[0].game_shots = {{0.5, 0.5}};
  CHECK(refusal(no_gun) == "no-trigger");
}

TEST_CASE("Each pull uses the position of its own report, also off-screen", "[aim]") {
  Booth gun{booth("", {{"aim", {with_setting("gun", "hold-aim", 60'000)}}})};
  gun.aim(0.75, 0.5);
  gun.say({{code::btn_south, 1}, {code::abs_x, 16'384}});
  CHECK(gun.seen() == "0.25 0.50!");
  gun.pass(20'000);
  gun.say({{code::btn_south, 0}, {code::abs_x, 58'982}});
  CHECK(gun.seen() == "0.25 0.50");  // still held
  gun.say({{code::btn_south, 1}, {code::abs_x, 32'768}});
  CHECK(gun.seen() == "0.50 0.50!");
  gun.pass(59'000);  // longer than the duration of the first pull
  CHECK(gun.seen_at(0.9, 0.9) == "0.50 0.50!");
  gun.say({{code::btn_south, 0}});
  gun.pass(1'000);
  CHECK(gun.seen() == "0.90 0.90");

  gun.say({{code::btn_south, 1}});
  gun.pass(8'000);
  gun.say({{code::btn_south, 0}, {code::btn_east, 1}});  // the flash blinds it
  CHECK(gun.seen() == "0.90 0.90!");
  gun.pass(60'000);
  CHECK(gun.seen() == "off!");
  gun.say({{code::btn_east, 0}});
  gun.say({{code::btn_east, 1}});  // turned away on purpose
  CHECK(gun.seen() == "off!");
}

TEST_CASE("A reload held after a pull aims off-screen, too", "[aim]") {
  Booth gun{
      booth("", {{"aim", {with_setting("gun", "hold-aim", 500'000)}}, {"aim-reload", {{"reload"}}}, {"reload", {}}})};
  gun.aim(0.75, 0.5);
  gun.say({{code::btn_south, 1}});
  gun.say({{code::btn_south, 0}});
  gun.say({{code::btn_north, 1}});
  CHECK(gun.seen() == "off");
  gun.pass(5 * gun.engine.plan().frame().count());
  CHECK(gun.seen() == "0.75 0.50");
}

TEST_CASE("A report is evaluated as a whole: losing and regaining sight within it causes no press", "[aim]") {
  Profile profile = booth("4:3", {{"aim-game-shots", {{"start"}}}});
  profile.ports[0].game_shots = {{0.1, 0.2}, {0.9, 0.2}};
  Booth gun{profile};
  PacedReader paced{gun.engine, Duration{24'000}};
  const auto sights = [&gun] { return gun.presses("aim-on"); };
  CHECK(gun.seen_at(0.5, 0.5) == "0.50 0.50");
  const auto before = sights();
  gun.say({{code::btn_start, 1}, {code::btn_start, 0}});
  gun.say({{code::btn_east, 1}});  // the pull of a calibration shot, with the code that means off-screen
  CHECK(gun.seen() == "0.10 0.20!");
  CHECK(sights() == before);
  paced.catch_up(gun.engine.now());
  CHECK(paced.value({static_cast<std::uint16_t>(gun.engine.plan().port(1)->first_target + gun.at("aim-on").value)}) ==
        1);
  gun.say({{code::btn_east, 0}});
  gun.say({{code::btn_start, 1}, {code::btn_start, 0}});
  CHECK(gun.seen_at(0.05, 0.5) == "off");  // outside a 4:3 game
  const auto off = sights();
  gun.say({{code::btn_east, 1}});
  CHECK(gun.seen() == "off!");
  gun.say({{code::btn_east, 0}, {code::abs_x, 32'768}});  // its position, and that it sees the screen again
  CHECK(gun.seen() == "0.50 0.50");
  CHECK(sights() == off + 1);
}

TEST_CASE("An off-screen button held when its unit connects counts from its next press, like all buttons", "[aim]") {
  Attachment unit = booth_gun();
  unit.state = {{code::abs_x, 32'768}, {code::abs_y, 32'768}, {code::btn_east, 1}};
  Booth gun{booth(), unit};
  CHECK(gun.seen() == "0.50 0.50");
  gun.say({{code::btn_east, 0}});
  gun.say({{code::btn_east, 1}});
  CHECK(gun.seen() == "off!");
  gun.engine.freeze();
  gun.engine.thaw();
  CHECK(gun.seen() == "0.50 0.50");
}

TEST_CASE("An inverted gun mirrors the game's picture; a reversed axis belongs to the unit", "[aim]") {
  Booth mirrored{booth("4:3, within 0% 0% 50% 100%", {{"aim", {with_setting("gun", "invert-x", 1)}}})};
  CHECK(mirrored.seen_at(0.1, 0.5) == "0.80 0.50");
  CHECK(mirrored.seen_at(0.9, 0.5) == "off");
  Attachment unit = booth_gun();
  unit.controls[0].reversed = true;
  Booth reversed{booth("4:3, within 0% 0% 50% 100%"), unit};
  CHECK(reversed.seen_at(0.9, 0.5) == "0.20 0.50");
  CHECK(reversed.seen_at(0.1, 0.5) == "off");
}

TEST_CASE("A short off-screen pull is shown, and a noisy gun at the edge is shown without delay", "[aim]") {
  Booth gun{booth("4:3")};
  CHECK(gun.seen_at(0.5, 0.5) == "0.50 0.50");
  gun.say({{code::btn_east, 1}});
  gun.pass(2'000);
  gun.say({{code::btn_east, 0}});
  CHECK(gun.seen_next() == "off!");
  CHECK(gun.seen_next() == "0.50 0.50");
  for (int i = 0; i < 1000; ++i) {
    gun.aim(i % 2 == 0 ? 0.12 : 0.13, 0.5);  // the game begins at 0.125
    gun.pass(1'000);
  }
  gun.aim(0.5, 0.5);
  CHECK(gun.seen_next() == "off");
  for (int sample = 0; sample < 10; ++sample) CHECK(gun.seen_next() == "0.50 0.50");
}
