// The shooting booth on a real kernel: two guns of one model without serial numbers are calibrated, play a game in an
// area with artwork around it, and are reconnected in another order; and a game's calibration shots are exact.
#include <catch2/catch.hpp>

#include <array>
#include <cmath>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <utility>

#include "hid/descriptors.hpp"
#include "made_units.hpp"

using namespace omnipar::test;

namespace {

/// Four buttons and a position of 16 bits along each axis, as a joystick; the screen covers a part of its range.
class BoothGun : public GadgetUnit {
 public:
  BoothGun(const std::string& id, double left, double top, double width, double height)
      : GadgetUnit(id, "Rook Booth Gun", "", 0x000d,
                   {application(0x04) + buttons(1, 4, 4) +
                    Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x27, 0xff, 0xff, 0x00, 0x00, 0x75, 0x10,
                          0x95, 0x02, 0x81, 0x02} +
                    end_collection},
                   5),
        left_(left),
        top_(top),
        width_(width),
        height_(height) {}

  /// Aimed at a point of the screen.
  void point(double x, double y, std::uint8_t pressed = 0) const {
    const auto raw = [](double part) { return static_cast<unsigned>(std::lround(part * 65535)); };
    const unsigned across = raw(left_ + x * width_), down = raw(top_ + y * height_);
    const auto low = [](unsigned value) { return static_cast<std::uint8_t>(value); };
    send_bytes(0, {pressed, low(across), low(across >> 8), low(down), low(down >> 8)});
  }
  void shoot(double x, double y) const {
    for (int i = 0; i < 40; ++i) {  // a hand is never quite still
      point(x + 0.0004 * (i % 5 - 2), y + 0.0004 * (i % 3 - 1));
      sleep_ms(8);
    }
    point(x, y, 1);
    sleep_ms(60);
    point(x, y);
    sleep_ms(400);
  }

 private:
  double left_, top_, width_, height_;
};

constexpr const char* sights[] = {"Omnipar port 1 pointer", "Omnipar port 2 pointer"};

/// A screen position in a 4:3 game in the area 10% 5% 90% 95% of a 16:9 screen.
double across(double x) { return (x - 0.5) / (0.9 * 4 / 3 * 9 / 16) + 0.5; }
double down(double y) { return (y - 0.05) / 0.9; }

/// Of a virtual pointer that covers the game's picture, or the screen.
void expect_at(const NodeReader& game, double x, double y, bool of_screen) {
  constexpr double near = 0.005 * 65535;
  CHECK(std::abs(game.value(EV_ABS, ABS_X) - (of_screen ? x : across(x)) * 65535) < near);
  CHECK(std::abs(game.value(EV_ABS, ABS_Y) - (of_screen ? y : down(y)) * 65535) < near * 16 / 9);
}

void fit(const BoothGun& gun, const BoothGun* other, const std::string& seat) {
  Program guide{from_home("booth", "calibrate gun --no-test --seat " + seat)};
  REQUIRE(guide.wait_for(other == nullptr ? "Shot 1 of 5" : "Fire the one to calibrate"));
  sleep_ms(300);
  if (other != nullptr) gun.shoot(0.5, 0.5);
  int shot = 0;
  for (const auto& [x, y] :
       {std::pair{0.5, 0.35}, std::pair{0.1, 0.1}, std::pair{0.9, 0.1}, std::pair{0.9, 0.9}, std::pair{0.1, 0.9}}) {
    REQUIRE(guide.wait_for("Shot " + std::to_string(++shot) + " of 5"));
    if (shot == 3 && other != nullptr) {
      other->shoot(0.5, 0.5);
      CHECK(guide.wait_for("so the shot does not count"));
    }
    gun.shoot(x, y);
  }
  REQUIRE(guide.wait_for("Pull the trigger to save"));
  gun.shoot(0.5, 0.5);
  CHECK(guide.wait_for_end() == 0);
  INFO(guide.output());
  CHECK(guide.output().find("Saved to /tmp/booth/.config/omnipar/calibrations/rook-booth-gun") != std::string::npos);
}

void write_profile(const std::string& more, bool of_screen) {
  std::ofstream{"/tmp/booth/booth.toml"}
      << "omnipar = 1\nkind = \"profile\"\nname = \"booth\"\nsystem = \"gun-booth\"\n"
      << (of_screen ? "pointer-span = \"screen\"\n" : "")
      << "screen = \"wide\"\narea = \"4:3, within 10% 5% 90% 95%\"\n"
      << "[port.1]\nseat = \"left\"\n"
      << more << "[port.2]\nseat = \"right\"\n";
}

/// Moves the gun until the game sees it: reports sent before the session has opened the gun are lost.
void move_until_seen(const BoothGun& gun, NodeReader& game) {
  bool seen = false;
  for (int tries = 0; tries < 100 && !seen; ++tries) {
    gun.point(0.45 + 0.01 * (tries % 10), 0.5);
    sleep_ms(100);
    REQUIRE(game.drain());
    for (const input_event& event : game.events()) seen |= event.type == EV_ABS;
  }
  REQUIRE(seen);
  game.forget_events();
}

/// One pull after the other, wherever the gun is aimed.
void expect_game_shots(const BoothGun& gun, NodeReader& game, const std::array<std::pair<int, int>, 2>& places) {
  for (const auto& [x, y] : places) {
    CAPTURE(x, y);
    sleep_ms(100);
    gun.point(0.41, 0.29, 1);
    CHECK(game.wait_for(EV_ABS, ABS_X, x));
    CHECK(game.wait_for(EV_ABS, ABS_Y, y));
    gun.point(0.42, 0.28);
    REQUIRE(game.wait_for(EV_KEY, BTN_LEFT, 0));
    game.forget_events();
  }
}

}  // namespace

TEST_CASE("Two guns of one model are calibrated, play a game in an area, and are exchanged", "[units]") {
  BoothGun left{"left", 0.1, 0.05, 0.8, 0.85}, right{"right", 0.02, 0.1, 0.9, 0.8};
  left.plug_into(0);
  right.plug_into(1);
  REQUIRE(wait_for_nodes("Rook Booth Gun", 2));
  {
    Program screen{from_home("booth", "calibrate screen wide --size 1920x1080")};
    REQUIRE(screen.wait_for_end() == 0);
  }
  fit(left, &right, "left");
  fit(right, &left, "right");
  for (const bool exchanged : {false, true}) {
    CAPTURE(exchanged);
    write_profile("game-shots = [[0.125, 0.25], [0.875, 0.75]]\nbind = { aim-game-shots = \"coin\" }\n", exchanged);
    if (exchanged) {  // disconnected, and reconnected in the other order
      left.pull_out();
      right.pull_out();
      REQUIRE(wait_for_nodes("Rook Booth Gun", 0));
      right.plug_into(1);
      REQUIRE(wait_for_nodes("Rook Booth Gun", 1));
      left.plug_into(0);
      REQUIRE(wait_for_nodes("Rook Booth Gun", 2));
    }
    Program play{from_home("booth", "play /tmp/booth/booth.toml")};
    REQUIRE(wait_for_nodes(sights[1], 1));
    NodeReader one{node_of(sights[0])}, two{node_of(sights[1])};
    move_until_seen(left, one);
    move_until_seen(right, two);
    for (const auto& [x, y] : {std::pair{0.6, 0.4}, std::pair{0.2, 0.1}, std::pair{0.8, 0.9}}) {
      CAPTURE(x, y);
      left.point(x, y, 1);
      right.point(1 - x, y, 1);
      REQUIRE(one.wait_for(EV_KEY, BTN_LEFT, 1));
      REQUIRE(two.wait_for(EV_KEY, BTN_LEFT, 1));
      expect_at(one, x, y, exchanged);
      expect_at(two, 1 - x, y, exchanged);
      left.point(x, y);
      right.point(1 - x, y);
      REQUIRE(one.wait_for(EV_KEY, BTN_LEFT, 0));
      REQUIRE(two.wait_for(EV_KEY, BTN_LEFT, 0));
      one.forget_events();
      two.forget_events();
    }
    // the requested shots are exact, wherever the gun is aimed
    left.point(0.3, 0.3, 8);
    sleep_ms(100);
    left.point(0.3, 0.3);
    const auto out = [exchanged](double part, double from, double width) {
      return static_cast<int>(std::lround((exchanged ? from + part * width : part) * 65535));
    };
    const double wide = 0.9 * 4 / 3 * 9 / 16;
    const auto place = [&out, wide](double x, double y) {
      return std::pair{out(x, 0.5 - wide / 2, wide), out(y, 0.05, 0.9)};
    };
    expect_game_shots(left, one, {place(0.125, 0.25), place(0.875, 0.75)});
    play.signal(SIGTERM);
    CHECK(play.wait_for_end() == 0);
  }
  CHECK(all_is_gone());
}

TEST_CASE("A positional gun is calibrated by sweeping and gives exact calibration shots", "[units]") {
  BoothGun gun{"turret", 0.12, 0.08, 0.7, 0.8};
  gun.plug_into(2);
  REQUIRE(wait_for_nodes("Rook Booth Gun", 1));
  Program guide{from_home("turret", "calibrate gun --sweep --seat left")};
  REQUIRE(guide.wait_for("turn it slowly from the left end"));
  sleep_ms(300);
  const auto sweep = [&gun](double x, double y, double to_x, double to_y) {
    for (int i = 0; i <= 50; ++i) {
      gun.point(x + (to_x - x) * i / 50, y + (to_y - y) * i / 50);
      sleep_ms(8);
    }
    gun.point(to_x, to_y, 1);
    sleep_ms(60);
    gun.point(to_x, to_y);
    sleep_ms(400);
  };
  sweep(0, 0, 1, 1);
  REQUIRE(guide.wait_for("Both axes moved"));
  sweep(0, 0.5, 1, 0.5);
  REQUIRE(guide.wait_for("turn it slowly from the top"));
  sweep(0.5, 0, 0.5, 1);
  REQUIRE(guide.wait_for("Pull the trigger to save"));
  gun.point(0.5, 0.5, 1);
  sleep_ms(60);
  gun.point(0.5, 0.5);
  CHECK(guide.wait_for_end() == 0);
  INFO(guide.output());
  Program play{from_home("turret", "play gun-booth --game-shots '0.125,0.25 0.875,0.75'")};
  REQUIRE(wait_for_nodes(sights[0], 1));
  NodeReader game{node_of(sights[0])};
  move_until_seen(gun, game);
  gun.point(0.4, 0.2, 1);
  REQUIRE(game.wait_for(EV_KEY, BTN_LEFT, 1));
  CHECK(std::abs(game.value(EV_ABS, ABS_X) - 0.4 * 65535) < 400);
  CHECK(std::abs(game.value(EV_ABS, ABS_Y) - 0.2 * 65535) < 400);
  gun.point(0.4, 0.2, 4);  // start, held
  sleep_ms(2000);
  gun.point(0.4, 0.2);
  expect_game_shots(gun, game, {std::pair{8192, 16384}, std::pair{57343, 49151}});
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  CHECK(all_is_gone());
}
