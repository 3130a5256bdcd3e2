// A worn stick on a real node is calibrated, saved and played: the virtual device reaches every corner.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <numbers>
#include <string>
#include <tuple>

#include "made_units.hpp"

using namespace omnipar::test;

namespace {

/// A square gate, rest off-centre, rotated by 5 degrees, and narrower vertically.
class WornPad : public UhidPad {
 public:
  WornPad() : UhidPad("Worn Pad", "worn") {}

  /// Pushes it to a position: a full push is 1 at the gate's sides.
  void push(double x, double y) {
    constexpr double turn = 5 * std::numbers::pi / 180;
    PadReport report;
    report.buttons = buttons;
    report.x = raw(139 + 84 * (std::cos(turn) * x - std::sin(turn) * y));
    report.y = raw(121 + 76 * (std::sin(turn) * x + std::cos(turn) * y));
    report.rx = static_cast<std::uint8_t>(128 + (++count_ & 1));  // it must report each time
    send(report);
  }
  /// Along the gate.
  void sweep(double turns, int steps) {
    for (int i = 0; i <= steps; ++i) {
      const double angle = 2 * std::numbers::pi * turns * i / steps;
      const double x = std::cos(angle), y = std::sin(angle);
      const double reach = std::min({1.0, i / 12.0, (steps - i) / 12.0}) / std::max(std::fabs(x), std::fabs(y));
      push(reach * x, reach * y);
      sleep_ms(10);
    }
  }
  void rest(int ms) {
    for (int i = 0; i < ms / 20; ++i) {
      push(0, 0);
      sleep_ms(20);
    }
  }
  std::uint16_t buttons = 0;

 private:
  static std::uint8_t raw(double value) { return static_cast<std::uint8_t>(std::clamp(std::lround(value), 0L, 255L)); }
  int count_ = 0;
};

}  // namespace

TEST_CASE("A worn stick is calibrated and played, and the virtual device reaches every corner", "[units]") {
  WornPad pad;
  REQUIRE(wait_for_nodes("Worn Pad", 1));
  Program measure{from_home("measuring", "calibrate unit --only left-stick --seat sofa")};
  REQUIRE(measure.wait_for("release it and wait"));
  for (int i = 0; i < 10 && !measure.wait_for("move it slowly", 1, 100); ++i) pad.rest(600);
  REQUIRE(measure.wait_for("move it slowly"));
  pad.sweep(2.6, 520);
  for (const auto& [way, x, y] : {std::tuple{"straight up", 0, -1},
                                  {"straight right", 1, 0},
                                  {"straight down", 0, 1},
                                  {"straight left", -1, 0}}) {
    for (int i = 0; i < 10 && !measure.wait_for(way, 1, 100); ++i) pad.rest(400);
    for (int i = 1; i <= 60; ++i) {
      const double far = std::min(1.0, i / 10.0);
      pad.push(x * far, y * far);
      sleep_ms(10);
    }
    pad.rest(400);
  }
  for (int i = 0; i < 10 && !measure.wait_for("left-stick: measured.", 1, 100); ++i) pad.rest(400);
  INFO(measure.output());
  REQUIRE(measure.wait_for("Press a button to save"));
  pad.buttons = south;
  pad.rest(120);
  pad.buttons = 0;
  pad.rest(60);
  CHECK(measure.wait_for_end() == 0);
  CHECK(measure.output().find("square gate, rotated by") != std::string::npos);
  CHECK(measure.output().find("Saved to /tmp/measuring/.config/omnipar/calibrations/worn-pad.toml.") !=
        std::string::npos);

  std::ofstream{"/tmp/measuring/square.toml"} << R"(omnipar = 1
kind = "system"
name = "square"
title = "a machine whose sticks have square gates"
[[port]]
number = 1
takes = ["square"]
[[controller]]
name = "square"
title = "a stick"
[[controller.target]]
name = "stick"
type = "stick"
place = "left-stick"
gate = "square"
default = ["left-stick"]
)";
  std::ofstream{"/tmp/measuring/corners.toml"}
      << "omnipar = 1\nkind = \"profile\"\nname = \"corners\"\nsystem = \"square\"\n[port.1]\nseat = \"sofa\"\n";
  Program play{from_home("measuring", "play /tmp/measuring/corners.toml --data /tmp/measuring/square.toml")};
  REQUIRE(wait_for_nodes(port_1, 1));
  NodeReader game{node_of(port_1)};
  sleep_ms(500);
  constexpr int end = 32767;
  for (const auto& [x, y] : {std::pair{1, 1}, {-1, 1}, {-1, -1}, {1, -1}}) {
    CAPTURE(x, y);
    for (int i = 1; i <= 8; ++i) {
      pad.push(x * i / 8.0, y * i / 8.0);
      sleep_ms(10);
    }
    CHECK(game.wait_for(EV_ABS, ABS_X, x > 0 ? end : -end - 1));
    CHECK(game.wait_for(EV_ABS, ABS_Y, y > 0 ? end : -end - 1));
    game.forget_events();
    pad.push(0, 0);
    CHECK(game.wait_for(EV_ABS, ABS_X, 0));  // and the exact rest
    CHECK(game.wait_for(EV_ABS, ABS_Y, 0));
    game.forget_events();
  }
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  CHECK(all_is_gone());
}
