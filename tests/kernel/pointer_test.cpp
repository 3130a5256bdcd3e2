// Guns, sticks and mats on a real kernel: a game reads what they aim at.
#include <catch2/catch.hpp>

#include <algorithm>
#include <array>
#include <fstream>

#include "hid/descriptors.hpp"
#include "made_units.hpp"

using namespace omnipar::test;

namespace {

constexpr const char* sight = "Omnipar port 1 pointer";

/// Three buttons and a position of 16 bits along each axis.
Bytes gun_report() {
  return buttons(1, 4, 4) + Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x27, 0xff,
                                  0xff, 0x00, 0x00, 0x75, 0x10, 0x95, 0x02, 0x81, 0x02};
}

/// A gun that appears as a pointer and a keyboard, or as a joystick; both have a sheet.
struct Gun {
  explicit Gun(bool joystick, const std::string& joysticks_name = "Rook Booth Gun", std::uint16_t product = 0x000d)
      : by_joystick(joystick),
        unit{joystick ? joysticks_name : "Lark Booth Gun", "", joystick ? product : std::uint16_t{0x000c},
             joystick ? application(0x04) + gun_report() + end_collection
                      : application(0x02) + Bytes{0x85, 1} + gun_report() + end_collection + keyboard_descriptor(2)} {}

  void point(unsigned x, unsigned y, std::uint8_t pressed = 0) const {
    const auto low = [](unsigned value) { return static_cast<std::uint8_t>(value); };
    const Bytes report{pressed, low(x), low(x >> 8), low(y), low(y >> 8)};
    unit.send_bytes(by_joystick ? report : Bytes{1} + report);
  }

  bool by_joystick;
  UhidUnit unit;
};

}  // namespace

TEST_CASE("A gun aims at all four corners, with all its 16 bits", "[pointer]") {
  const bool by_joystick = GENERATE(false, true);
  const Gun gun{by_joystick};
  REQUIRE(wait_for_nodes(by_joystick ? "Rook Booth Gun" : "Lark Booth Gun Mouse", 1));
  Playing play{"gun-booth"};
  gun.point(100, 100, 1);
  play.expect("Player 1 plays with");
  gun.point(100, 100);
  NodeReader game{node_of(sight)};
  constexpr std::array places{std::pair{0U, 0U},         std::pair{65535U, 0U},    std::pair{65535U, 65535U},
                              std::pair{0U, 65535U},     std::pair{1U, 2U},        std::pair{65534U, 32769U},
                              std::pair{30001U, 30000U}, std::pair{30002U, 29999U}};
  for (const auto& [x, y] : places) {
    CAPTURE(by_joystick, x, y);
    gun.point(x, y);
    // The outermost two positions are off-screen.
    const int shown_x = std::clamp(static_cast<int>(x), 1, 65534), shown_y = std::clamp(static_cast<int>(y), 1, 65534);
    CHECK(game.wait_for(EV_ABS, ABS_X, shown_x));
    CHECK(game.wait_for(EV_ABS, ABS_Y, shown_y));
    gun.point(x, y, 1);
    CHECK(game.wait_for(EV_KEY, BTN_LEFT, 1));
    gun.point(x, y, 2);
    CHECK(game.wait_for(EV_KEY, BTN_RIGHT, 1));
    gun.point(x, y);
    CHECK(game.wait_for(EV_KEY, BTN_RIGHT, 0));
    CHECK(game.value(EV_KEY, BTN_LEFT) == 0);
    CHECK(game.value(EV_ABS, ABS_X) == shown_x);
  }
}

TEST_CASE("An off-screen trigger pull is distinguished from a hit", "[pointer]") {
  std::ofstream{"/tmp/booth.toml"} << R"(omnipar = 1
[[sheet]]
kind = "unit"
name = "sighted-gun"
title = "Sighted gun"
identity = [{ vendor = 0x1209, product = 0x0077 }]
control = [
  { code = "ABS_X", role = "gun", axis = "x" }, { code = "ABS_Y", role = "gun", axis = "y" },
  { code = "BTN_TRIGGER", role = "trigger" }, { code = "BTN_THUMB", role = "off-screen" },
]
[[sheet]]
kind = "system"
name = "range"
title = "a range that detects misses"
port = [{ number = 1, takes = ["rifle"] }]
[[sheet.controller]]
name = "rifle"
title = "rifle"
target = [
  { name = "aim", type = "pointer", place = "gun", default = ["gun"] },
  { name = "trigger", place = "trigger", default = ["trigger"] },
  { name = "beside", place = "reload", default = ["off-screen"] },
]
)";
  const Gun gun{true, "Sighted Gun", 0x0077};
  REQUIRE(wait_for_nodes("Sighted Gun", 1));
  Playing play{"range --data /tmp/booth.toml"};
  gun.point(100, 100, 1);
  play.expect("Player 1 plays with");
  gun.point(100, 100);
  NodeReader game{node_of(sight)};
  gun.point(0, 40'000, 2);
  CHECK(game.wait_for(EV_KEY, BTN_RIGHT, 1));
  gun.point(0, 40'000, 3);
  CHECK(game.wait_for(EV_KEY, BTN_LEFT, 1));
  CHECK(game.value(EV_KEY, BTN_RIGHT) == 1);
  gun.point(20'000, 40'000, 1);
  CHECK(game.wait_for(EV_KEY, BTN_RIGHT, 0));
  CHECK(game.wait_for(EV_ABS, ABS_X, 20'000));
  CHECK(game.value(EV_KEY, BTN_LEFT) == 1);
  gun.point(20'000, 40'000);
}

TEST_CASE("A stick glides a pointer to the edge and leaves it where it is released", "[pointer]") {
  const UhidPad pad{"Aiming Pad", "a"};
  Playing play{"gun-booth", pad};
  NodeReader game{node_of(sight)};
  pad.send({0, 8, 128, 128, 255, 128});
  CHECK(game.wait_for(EV_ABS, ABS_X, 65534));
  std::int32_t before = 32768;
  for (const input_event& event : game.events())
    if (event.type == EV_ABS && event.code == ABS_X) {
      CHECK(event.value >= before);
      before = event.value;
    }
  CHECK(game.value(EV_ABS, ABS_Y) == 0);  // not reported: it has not moved
  pad.send({0, 8, 128, 128, 0, 128});
  sleep_ms(200);
  pad.send({});
  sleep_ms(50);
  game.drain();
  const std::int32_t left = game.value(EV_ABS, ABS_X);
  CHECK(left < 60'000);
  CHECK(left > 0);
  sleep_ms(200);
  game.drain();
  CHECK(game.value(EV_ABS, ABS_X) == left);
}

TEST_CASE("Left and right of a mat arrive together", "[pointer]") {
  const UhidUnit mat{"Heath Dance Mat", "", 0x0008, application(0x04) + buttons(1, 10, 6) + end_collection};
  REQUIRE(wait_for_nodes("Heath Dance Mat", 1));
  Playing play{"step-mat"};
  const auto step = [&mat](unsigned panels) {
    mat.send_bytes({static_cast<std::uint8_t>(panels), static_cast<std::uint8_t>(panels >> 8)});
  };
  constexpr unsigned left = 1, right = 8, start = 0x200;
  step(start);
  play.expect("Player 1 plays with");
  step(0);
  NodeReader game{node_of(port_1)};
  step(left | right);
  CHECK(game.wait_for(EV_KEY, BTN_WEST, 1));
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 1));
  sleep_ms(50);
  game.drain();
  CHECK(game.value(EV_KEY, BTN_WEST) == 1);
  step(right);
  CHECK(game.wait_for(EV_KEY, BTN_WEST, 0));
  CHECK(game.value(EV_KEY, BTN_EAST) == 1);
  step(0);
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 0));
}
