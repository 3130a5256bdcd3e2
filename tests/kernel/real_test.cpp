// Quirks of devices as sold, and sessions with several programs and players, beyond what one well-made pad shows.
#include <catch2/catch.hpp>

#include <sys/ioctl.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <fstream>
#include <memory>
#include <optional>
#include <random>

#include "hid/descriptors.hpp"
#include "made_units.hpp"

using namespace omnipar::test;

namespace {

/// A pad with numbered buttons, two sticks, and triggers that are axes.
class NumberedPad : public UhidUnit {
 public:
  NumberedPad(const std::string& name, std::uint8_t buttons_there)
      : UhidUnit(name, name, 0x20,
                 application(0x05) + buttons(1, buttons_there, static_cast<std::uint8_t>(16 - buttons_there)) +
                     Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x33, 0x09, 0x34, 0x09, 0x32, 0x09,
                           0x35, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x02} +
                     end_collection) {}
  /// One bit per button; the triggers 0..255.
  void say(unsigned pressed, std::uint8_t left = 0, std::uint8_t right = 0) const {
    send_bytes(
        {static_cast<std::uint8_t>(pressed), static_cast<std::uint8_t>(pressed >> 8), 128, 128, 128, 128, left, right});
  }
};

/// Repeats a report until the program reacts: reports sent before it has opened the node are lost.
template <typename Say>
bool say_until(Program& program, const std::string& words, const Say& say) {
  for (int tries = 0; tries < 40; ++tries) {
    say();
    if (program.wait_for(words, 1, 250)) return true;
  }
  return false;
}

/// A gun of 16 bits along each axis that identifies itself as a joystick.
class JoystickGun : public UhidUnit {
 public:
  JoystickGun(const std::string& name, std::uint16_t product)
      : UhidUnit(name, "", product,
                 application(0x04) + buttons(1, 4, 4) +
                     Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x27, 0xff, 0xff, 0x00, 0x00, 0x75, 0x10,
                           0x95, 0x02, 0x81, 0x02} +
                     end_collection) {}
  void point(unsigned x, unsigned y, std::uint8_t pressed = 0) const {
    const auto byte = [](unsigned value) { return static_cast<std::uint8_t>(value); };
    send_bytes({pressed, byte(x), byte(x >> 8), byte(y), byte(y >> 8)});
  }
};

void write_file(const std::string& path, const std::string& text) { std::ofstream{path} << text; }

constexpr const char* booth_sheet = R"(omnipar = 1
[[sheet]]
kind = "unit"
name = "reloading-gun"
title = "Reloading gun"
identity = [{ vendor = 0x1209, product = 0x0078 }]
control = [
  { code = "ABS_X", role = "gun", axis = "x" }, { code = "ABS_Y", role = "gun", axis = "y" },
  { code = "BTN_TRIGGER", role = "trigger" }, { code = "BTN_THUMB", role = "reload" },
  { code = "BTN_THUMB2", role = "start" }, { code = "BTN_TOP", role = "coin" },
]
)";

/// Grabs a node, as another program does.
class Holder {
 public:
  explicit Holder(const std::string& node) : node_(std::make_unique<NodeReader>(node)) {
    held_ = ::ioctl(node_->descriptor(), EVIOCGRAB, 1) == 0;
  }
  [[nodiscard]] bool held() const { return held_; }
  void let_go() { node_.reset(); }

 private:
  std::unique_ptr<NodeReader> node_;
  bool held_ = false;
};

}  // namespace

TEST_CASE("A pad with numbered buttons has its triggers as axes and as buttons", "[real]") {
  const std::uint8_t count = GENERATE(std::uint8_t{10}, std::uint8_t{12}, std::uint8_t{14});
  CAPTURE(int{count});
  const std::string name = "Numbered " + std::to_string(count);
  const NumberedPad pad{name, count};
  REQUIRE(wait_for_nodes(name, 1));
  Program play{{"/box/omnipar", "play", "pad-two-stick"}};
  REQUIRE(say_until(play, "Player 1 plays", [&] {
    pad.say(1);
    sleep_ms(60);
    pad.say(0);
  }));
  REQUIRE(wait_for_nodes(port_1, 1));
  NodeReader game{node_of(port_1)};
  constexpr int full = 65535;
  if (count > 11) {  // a pull of which only the button has been sent
    pad.say(1U << 6);
    CHECK(game.wait_for(EV_ABS, ABS_Z, full));
    pad.say(0);
    CHECK(game.wait_for(EV_ABS, ABS_Z, 0));
  }
  for (const int pulled :
       {51, 102, 204, 255, 0}) {  // once the axis has reported, it decides, and the button does nothing
    pad.say(count > 11 && pulled > 0 ? 1U << 6 : 0, static_cast<std::uint8_t>(pulled));
    constexpr int dead_zone = full / 6;
    bool near = false;
    for (int tries = 0; tries < 100 && !near; ++tries, sleep_ms(20)) {
      game.drain();
      near = std::abs(game.value(EV_ABS, ABS_Z) - pulled * full / 255) < dead_zone;
    }
    CAPTURE(pulled, game.value(EV_ABS, ABS_Z));
    CHECK(near);
  }
  pad.say(0, 0, 255);
  CHECK(game.wait_for(EV_ABS, ABS_RZ, full));
  pad.say(0);
  CHECK(game.wait_for(EV_ABS, ABS_RZ, 0));
  const unsigned start = count > 11 ? 1U << 9 : 1U << 7;
  pad.say(start);
  CHECK(game.wait_for(EV_KEY, BTN_START, 1));
  pad.say(0);
  if (count == 14) {
    CHECK(play.wait_for("on \"Numbered 14\" do nothing"));
  }
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  CHECK(all_is_gone());
}

TEST_CASE("A simulated reload leaves the screen before it pulls the trigger, and so does a pull while aimed away",
          "[real]") {
  const bool by_button = GENERATE(false, true);
  CAPTURE(by_button);
  write_file("/tmp/booth-sheet.toml", booth_sheet);
  write_file("/tmp/reload.toml", std::string{"omnipar = 1\nkind = \"profile\"\nname = \"reload\"\n"
                                             "system = \"gun-booth\"\n"} +
                                     (by_button ? "off-screen = \"button\"\n" : "") +
                                     "[port.1]\nseat = \"one\"\n[port.1.bind]\naim-reload = [\"reload\"]\n"
                                     "aim-off-screen = [\"coin\"]\n");
  const JoystickGun gun{"Reloading Gun", 0x0078};
  REQUIRE(wait_for_nodes("Reloading Gun", 1));
  Program play{{"/box/omnipar", "play", "/tmp/reload.toml", "--data", "/tmp/booth-sheet.toml"}};
  REQUIRE(play.wait_for(by_button ? "holds its middle button (BTN_MIDDLE)" : "reports the edge of its range"));
  REQUIRE(say_until(play, "Player 1 plays", [&] {
    gun.point(20'000, 30'000, 4);
    sleep_ms(60);
    gun.point(20'000, 30'000);
  }));
  NodeReader game{node_of("Omnipar port 1 pointer")};
  gun.point(21'000, 30'000);
  REQUIRE(game.wait_for(EV_ABS, ABS_X, 21'000));
  const std::uint16_t says = by_button ? EV_KEY : EV_ABS, says_code = by_button ? BTN_MIDDLE : ABS_X;
  const auto where = [&](std::uint16_t type, std::uint16_t code, int value) {
    for (std::size_t i = 0; i < game.events().size(); ++i)
      if (game.events()[i].type == type && game.events()[i].code == code && game.events()[i].value == value)
        return static_cast<int>(i);
    return -1;
  };
  for (const bool held : {false, true}) {
    CAPTURE(held);
    game.forget_events();
    gun.point(21'000, 30'000, held ? 8 : 2);
    REQUIRE(game.wait_for(says, says_code, by_button ? 1 : 0));  // the nearest edge is the left one
    if (held) gun.point(21'000, 30'000, 8 | 1);
    REQUIRE(game.wait_for(EV_KEY, BTN_LEFT, 1));
    if (held) gun.point(21'000, 30'000, 8);
    REQUIRE(game.wait_for(EV_KEY, BTN_LEFT, 0));
    gun.point(21'000, 30'000);
    CHECK((by_button ? game.wait_for(EV_KEY, BTN_MIDDLE, 0) : game.wait_for(EV_ABS, ABS_X, 21'000)));
    CHECK(where(says, says_code, by_button ? 1 : 0) < where(EV_KEY, BTN_LEFT, 1));
    CHECK(where(EV_KEY, BTN_RIGHT, 1) == -1);  // the machine's own reload is not pressed as well
  }
  if (!by_button) {  // at the very corner of the picture it is not yet off-screen
    gun.point(0, 65535);
    CHECK(game.wait_for(EV_ABS, ABS_X, 1));
    CHECK(game.wait_for(EV_ABS, ABS_Y, 65534));
  }
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  CHECK(all_is_gone());
}

TEST_CASE("The holder of a unit is reported once, whenever it starts, and so is its end", "[real]") {
  const UhidPad pad{"Wanted Pad", "w"};
  REQUIRE(wait_for_nodes("Wanted Pad", 1));
  Program play{{"/box/omnipar", "play", "pad-2b"}};
  REQUIRE(play.wait_for("Player 1: press any button"));
  sleep_ms(300);
  std::optional<Holder> holder{std::in_place, node_of("Wanted Pad")};  // between the start and the first press
  REQUIRE(holder->held());
  CHECK(play.wait_for("\"Wanted Pad\" is grabbed by"));
  const UhidPad other{"Coming And Going", "c"};
  REQUIRE(wait_for_nodes("Coming And Going", 1));
  sleep_ms(1500);
  pad.send({south});  // only the holder receives it
  sleep_ms(100);
  holder.reset();
  CHECK(play.wait_for("\"Wanted Pad\" is free again"));
  pad.send({});
  CHECK(tap_until(pad, play, "Player 1 plays with \"Wanted Pad\""));
  CHECK(count(play.output(), "is grabbed by") == 1);
  CHECK(count(play.output(), "is free again") == 1);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("A gun of two nodes is not reported incomplete before both are present", "[real]") {
  const UhidUnit gun{"Lark Booth Gun", "two-nodes", 0x000c,
                     application(0x02) + Bytes{0x85, 1} + buttons(1, 4, 4) +
                         Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x27, 0xff, 0xff, 0x00, 0x00, 0x75, 0x10,
                               0x95, 0x02, 0x81, 0x02} +
                         end_collection + keyboard_descriptor(2)};
  REQUIRE(wait_for_nodes("Lark Booth Gun Mouse", 1));
  REQUIRE(wait_for_nodes("Lark Booth Gun Keyboard", 1));
  std::remove("/tmp/guns/.config/omnipar/rig.toml");
  Program call{from_home("guns", "rig rollcall seat-1")};
  REQUIRE(say_until(call, "takes seat-1", [&] {
    gun.send_bytes({1, 1, 0, 0, 0, 0});
    sleep_ms(60);
    gun.send_bytes({1, 0, 0, 0, 0, 0});
  }));
  REQUIRE(call.wait_for_end() == 0);
  Program play{from_home("guns", "play gun-booth")};
  REQUIRE(play.wait_for("Player 1 continues"));
  sleep_ms(2500);
  INFO(play.output());
  CHECK(count(play.output(), "has no control for") == 0);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  // The first roll call's changes can be undone.
  Program undo{from_home("guns", "rig undo")};
  CHECK(undo.wait_for_end() == 0);
  CHECK(::access("/tmp/guns/.config/omnipar/rig.toml", F_OK) < 0);
}

TEST_CASE("'learn profile' names controls without a role", "[real]") {
  const UhidPad pad{"Extra Pad", "x"};
  REQUIRE(wait_for_nodes("Extra Pad", 1));
  Program learn{from_home("extra", "learn profile pad-2b --ask-all")};
  REQUIRE(tap_until(pad, learn, "Using \""));
  constexpr std::uint16_t btn_c = 1 << 2;
  CHECK(say_until(learn, "BTN_C of \"Extra Pad\" has no role, so it cannot be bound. 'omnipar learn unit'", [&] {
    pad.send({btn_c});
    sleep_ms(60);
    pad.send({});
  }));
  learn.signal(SIGTERM);
  CHECK(learn.wait_for_end() == 1);
}

TEST_CASE("A control held while its unit is unplugged is not an answer", "[real]") {
  auto pad = std::make_unique<UhidPad>("Pulled Pad", "p");
  REQUIRE(wait_for_nodes("Pulled Pad", 1));
  Program learn{from_home("pulled", "learn profile pad-2b --ask-all")};
  REQUIRE(tap_until(*pad, learn, "Using \""));
  for (int round = 1; round <= 3; ++round) {
    const bool asks = learn.wait_for("1 of ", round);
    CAPTURE(round, learn.output());
    REQUIRE(asks);
    sleep_ms(400);
    pad->send({0, 0});  // up
    sleep_ms(200);
    pad.reset();
    REQUIRE(learn.wait_for("was disconnected. Reconnect it to continue.", round));
    pad = std::make_unique<UhidPad>("Pulled Pad", "p");
    REQUIRE(wait_for_nodes("Pulled Pad", 1));
    pad->send({});
  }
  INFO(learn.output());
  CHECK(learn.wait_for("1 of ", 4));
  const std::size_t second = learn.output().rfind("2 of ");  // the question may have been open for a moment
  CHECK((second == std::string::npos || second < learn.output().rfind("1 of ")));
  learn.signal(SIGTERM);
  CHECK(learn.wait_for_end() == 1);
}

TEST_CASE("A returning owner plays beside a replacement of the same model", "[real]") {
  std::remove("/tmp/owners/.config/omnipar/rig.toml");
  auto owner = std::make_unique<UhidPad>("Owned Pad", "owner");
  const UhidPad other{"Owned Pad", "other"};
  REQUIRE(wait_for_nodes("Owned Pad", 2));
  Program call{from_home("owners", "rig rollcall seat-1")};
  REQUIRE(tap_until(*owner, call, "takes seat-1"));
  REQUIRE(call.wait_for_end() == 0);
  write_file(
      "/tmp/one-seat.toml",
      "omnipar = 1\nkind = \"profile\"\nname = \"one-seat\"\nsystem = \"pad-2b\"\n[port.1]\nseat = \"seat-1\"\n");
  Program play{from_home("owners", "play /tmp/one-seat.toml")};
  REQUIRE(play.wait_for("Player 1 continues with \"Owned Pad\""));
  NodeReader game{node_of(port_1)};
  owner.reset();
  REQUIRE(play.wait_for("was disconnected"));
  REQUIRE(tap_until(other, play, "Player 1 plays with \"Owned Pad (2)\""));
  owner = std::make_unique<UhidPad>("Owned Pad", "owner");
  REQUIRE(wait_for_nodes("Owned Pad", 2));
  REQUIRE(play.wait_for("Player 1 continues with \"Owned Pad\"", 2));
  for (const UhidPad* pad : {static_cast<const UhidPad*>(owner.get()), &other}) {
    game.forget_events();
    sleep_ms(300);
    pad->send({east});
    CHECK(game.wait_for(EV_KEY, BTN_EAST, 1));
    pad->send({});
    CHECK(game.wait_for(EV_KEY, BTN_EAST, 0));
  }
  CHECK(count(play.output(), "players are seated") == 0);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("A seat survives a replug while another session waits for units", "[real]") {
  const bool has_serial = GENERATE(true, false);
  CAPTURE(has_serial);
  const std::string serial = has_serial ? "claimed" : "";
  auto pad = std::make_unique<UhidPad>("Claimed Pad", serial, "usb-0000:00:14.0-1/input0");
  Playing first{"pad-2b", *pad};
  Program second{{"/box/omnipar", "play", "pad-2b"}};
  REQUIRE(second.wait_for("Player 1: press any button"));
  const int rounds = omnipar::test::cases(5, 20);
  for (int round = 1; round <= rounds; ++round) {
    pad.reset();
    REQUIRE(first.wait_for("was disconnected", round));
    REQUIRE(wait_for_nodes("Claimed Pad", 0));
    pad = std::make_unique<UhidPad>("Claimed Pad", serial, "usb-0000:00:14.0-1/input0");
    REQUIRE(wait_for_nodes("Claimed Pad", 1));
    CAPTURE(round, second.output());
    REQUIRE((has_serial ? first.wait_for("Player 1 continues", round) : tap_until(*pad, first, "Player 1 continues")));
  }
  tap(*pad);
  sleep_ms(300);
  CHECK(count(second.output(), "Player 1 plays") == 0);
  CHECK(second.output().find("\"Claimed Pad\" is in use by omnipar (process") != std::string::npos);
  // When the first session ends, the unit is free for the other one.
  first.signal(SIGTERM);
  CHECK(first.wait_for_end() == 0);
  CHECK(tap_until(*pad, second, "Player 1 plays with \"Claimed Pad\""));
  second.signal(SIGTERM);
  CHECK(second.wait_for_end() == 0);
}

TEST_CASE("A recording marks its gaps, and 'play --record' has none", "[real]") {
  std::remove("/tmp/gap.trace");
  std::remove("/tmp/whole.trace");
  const UhidPad pad{"Recorded Pad", "r"};
  REQUIRE(wait_for_nodes("Recorded Pad", 1));
  Program record{{"/box/omnipar", "trace", "record", "/tmp/gap.trace"}};
  REQUIRE(record.wait_for("recording \"Recorded Pad\""));
  {
    Playing play{"pad-2b --record /tmp/whole.trace", pad};
    CHECK(record.wait_for("\"Recorded Pad\" is not recorded from now on"));
    for (int i = 0; i < 3; ++i) tap(pad);
    sleep_ms(200);
  }
  CHECK(record.wait_for("\"Recorded Pad\" is recorded again"));
  tap(pad);
  sleep_ms(200);
  record.signal(SIGINT);
  CHECK(record.wait_for_end() == 0);
  CHECK(record.output().find("It has gaps because another program grabbed Recorded Pad for a while") !=
        std::string::npos);
  const std::string trace = contents("/tmp/gap.trace");
  INFO(trace);
  CHECK(count(trace, "\"gap\":true") == 1);
  CHECK(count(trace, "[\"BTN_SOUTH\",1]") <= 3);
  CHECK(count(contents("/tmp/whole.trace"), "\"BTN_SOUTH\",1") >= 4);
  for (const char* file : {"/tmp/gap.trace", "/tmp/whole.trace"}) {
    Program replay{{"/box/omnipar", "trace", "replay", file, "--profile", "pad-2b"}};
    CHECK(replay.wait_for_end() == 0);
  }
}

TEST_CASE("Two units of the same model are distinguished by socket and owner", "[real]") {
  const UhidPad left{"Twin Pad", "", "usb-0000:00:14.0-1/input0"};
  const UhidPad right{"Twin Pad", "", "usb-0000:00:14.0-2/input0"};
  REQUIRE(wait_for_nodes("Twin Pad", 2));
  std::remove("/tmp/twins.trace");
  Program units{{"/box/omnipar", "units"}};
  CHECK(units.wait_for_end() == 0);
  Program record{{"/box/omnipar", "trace", "record", "/tmp/twins.trace", "--seconds", "0.3"}};
  CHECK(record.wait_for_end() == 0);
  Holder holder{nodes_named("Twin Pad").front()};
  REQUIRE(holder.held());
  Program doctor{{"/box/omnipar", "doctor"}};
  CHECK(doctor.wait_for_end() >= 0);
  Program raw{{"/box/omnipar", "units", "--raw", "--listen", "0.3"}};
  CHECK(raw.wait_for_end() == 0);
  for (const char* twin : {"Twin Pad (usb-0000:00:14.0-1", "Twin Pad (usb-0000:00:14.0-2"}) {
    CAPTURE(twin, units.output(), record.output());
    CHECK(units.output().find(twin) != std::string::npos);
    CHECK(record.output().find(twin) != std::string::npos);
  }
  INFO(raw.output());
  CHECK(raw.output().find("only its raw reports arrive") != std::string::npos);
  CHECK(raw.output().find("no input from it") == std::string::npos);
}

TEST_CASE("Root's session is visible to other users", "[real]") {
  const OpenNodes open;
  const UhidPad pad{"Roots Pad", "rp"};
  Playing play{"pad-2b", pad};
  Program doctor{as_guest("exec /box/omnipar doctor")};
  CHECK(doctor.wait_for_end() >= 0);
  INFO(doctor.output());
  CHECK(doctor.output().find("good   \"Roots Pad\" (" + node_of("Roots Pad") + ") is in use by omnipar (process ") !=
        std::string::npos);
}

TEST_CASE("A stick that is not self-centering is reported as a possible gun", "[real]") {
  const bool is_gun = GENERATE(true, false);
  CAPTURE(is_gun);
  const JoystickGun unit{is_gun ? "Plain Gun" : "Plain Stick", 0x0079};
  REQUIRE(wait_for_nodes(unit.name(), 1));
  Program play{{"/box/omnipar", "play", "pad-2b"}};
  constexpr unsigned middle = 32768;
  REQUIRE(say_until(play, "Player 1 plays", [&] {
    unit.point(middle, middle, 1);
    sleep_ms(60);
    unit.point(middle, middle);
  }));
  std::mt19937 dice{7};
  for (int i = 0; i < 24; ++i) {
    const auto below = [&dice](unsigned n) { return static_cast<unsigned>(dice() % n); };
    const unsigned x = 6000 + below(53'000), y = 6000 + below(53'000);
    for (int step = 0; step < 8; ++step) {  // even a steady hand is not quite still
      unit.point(x + below(100), y + below(100));
      sleep_ms(80);
    }
    if (is_gun) continue;
    unit.point(middle, middle);
    sleep_ms(600);
  }
  const std::string words = "stays in place like the aim of a gun. If it is a gun, run: omnipar learn unit --form gun";
  CHECK(count(play.output(), words) == (is_gun ? 1 : 0));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("Calibration at 200 reports per second loses none, even after the sweep", "[real]") {
  const NumberedPad pad{"Quick Pad", 12};
  REQUIRE(wait_for_nodes("Quick Pad", 1));
  Program measure{from_home("quick", "calibrate unit --only left-trigger --seat sofa")};
  const auto stream = [&](int ms, auto&& pull) {
    const auto begin = std::chrono::steady_clock::now();
    for (double t = 0; t < ms;) {
      pad.say(0, static_cast<std::uint8_t>(pull(t)), static_cast<std::uint8_t>(static_cast<int>(t / 5) % 2));
      sleep_ms(4);
      t = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begin).count();
    }
  };
  const auto rest = [](double) { return 0.0; };
  REQUIRE(measure.wait_for("release it and wait"));
  stream(400, [](double t) { return t < 200 ? 200.0 : 0.0; });  // its position is unknown until it moves
  for (int i = 0; i < 40 && !measure.wait_for("press it slowly", 1, 50); ++i) stream(300, rest);
  stream(6000, [](double t) { return 127.5 - 127.5 * std::cos(t / 1500 * 6.283185); });
  for (int i = 0; i < 20 && !measure.wait_for("left-trigger: measured.", 1, 50); ++i) stream(300, rest);
  INFO(measure.output());
  CHECK(measure.output().find("left-trigger: measured.") != std::string::npos);
  CHECK(count(measure.output(), "Measuring it again") == 0);
  measure.signal(SIGTERM);
  CHECK(measure.wait_for_end() >= 0);
}
