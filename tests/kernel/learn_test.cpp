// Mapping by pressing on real nodes: panels that type are learned and played, and no other program receives their keys.
#include <catch2/catch.hpp>

#include <array>
#include <csignal>
#include <cstdlib>
#include <string>

#include "made_units.hpp"

using namespace omnipar::test;

namespace {

constexpr int enough_for_the_menu = 1900;

/// Presses until the program reacts: presses before it has opened the node are lost.
bool press_until(const UhidUnit& keyboard, Key key, Program& program, const std::string& words) {
  for (int tries = 0; tries < 20; ++tries) {
    press(keyboard, key, 100);
    if (program.wait_for(words, 1, 500)) return true;
  }
  return false;
}

/// The number of key presses that another program has received.
int seen_keys(NodeReader& reader) {
  reader.drain();
  int keys = 0;
  for (const input_event& event : reader.events()) keys += event.type == EV_KEY ? 1 : 0;
  return keys;
}

/// The menu at the end, and its first choice.
void keep(const UhidUnit& keyboard, Key key, Program& learn) {
  REQUIRE(learn.wait_for("Done."));
  sleep_ms(200);
  press(keyboard, key, enough_for_the_menu);
  REQUIRE(learn.wait_for("[save]"));
  press(keyboard, key, enough_for_the_menu);
}

}  // namespace

TEST_CASE("A keyboard panel is mapped and played without other programs receiving its input", "[units]") {
  const UhidUnit panel{"Tern Two-Player Encoder", "e", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Tern Two-Player Encoder", 1));
  NodeReader bystander{node_of("Tern Two-Player Encoder")};
  Program learn{from_home("learning", "learn profile arcade-6b --ask-all")};
  REQUIRE(press_until(panel, tern_left[4], learn, "Using \""));
  bystander.drain();
  bystander.forget_events();
  // The buttons in reverse order: south for button-1, and so on.
  constexpr std::array<std::size_t, 12> order{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 11, 10};
  for (std::size_t i = 0; i < order.size(); ++i) {
    REQUIRE(learn.wait_for(std::to_string(i + 1) + " of 12:"));
    sleep_ms(250);
    press(panel, tern_left.at(order.at(i)), 100);
  }
  keep(panel, tern_left[4], learn);
  CHECK(learn.wait_for_end() == 0);
  INFO(learn.output());
  CHECK(learn.output().find("Saved to /tmp/learning/.config/omnipar/profiles/own-arcade-6b.toml") != std::string::npos);
  CHECK(seen_keys(bystander) == 0);
  panel.send_bytes({0, 0, tern_left[4].usage, 0, 0, 0, 0, 0});  // released
  CHECK(bystander.wait_for(EV_KEY, KEY_V, 1));
  panel.send_bytes({0, 0, 0, 0, 0, 0, 0, 0});

  Program play{from_home("learning", "play own-arcade-6b")};
  REQUIRE(press_until(panel, tern_left[4], play, "Player 1 plays"));
  REQUIRE(wait_for_nodes(port_1, 1));
  NodeReader game{node_of(port_1)};
  panel.send_bytes({0, 0, tern_left[4].usage, 0, 0, 0, 0, 0});
  CHECK(game.wait_for(EV_KEY, BTN_WEST, 1));
  panel.send_bytes({0, 0, 0, 0, 0, 0, 0, 0});
  CHECK(game.wait_for(EV_KEY, BTN_WEST, 0));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  CHECK(all_is_gone());
}

TEST_CASE("An unknown two-player encoder is learned, and both players play", "[units]") {
  const UhidUnit board{"Wick Board For Two", "w", 13, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Wick Board For Two", 1));
  NodeReader bystander{node_of("Wick Board For Two")};
  Program learn{from_home("learning", "learn unit --form panel --parts left,right")};
  const auto letter = [](std::size_t number) { return Key{0, static_cast<std::uint8_t>(4 + number)}; };
  REQUIRE(press_until(board, letter(0), learn, "Using \""));
  bystander.drain();
  bystander.forget_events();
  constexpr std::size_t controls = 24, shared = 11;
  for (std::size_t i = 0; i + 1 < controls; ++i) {
    REQUIRE(learn.wait_for(std::to_string(i + 1) + " of 24:"));
    sleep_ms(250);
    press(board, letter(i), 100);
  }
  REQUIRE(learn.wait_for("24 of 24:"));  // one coin slot for both players
  sleep_ms(250);
  press(board, letter(shared), 100);
  REQUIRE(learn.wait_for("Press it again to use it for both"));
  sleep_ms(700);
  press(board, letter(shared), 100);
  keep(board, letter(4), learn);
  CHECK(learn.wait_for_end() == 0);
  INFO(learn.output());
  CHECK(learn.output().find("/sheets/wick-board-for-two.toml: 23 controls") != std::string::npos);
  CHECK(seen_keys(bystander) == 0);

  Program play{from_home("learning", "play arcade-6b")};
  REQUIRE(press_until(board, letter(4), play, "Player 1 plays"));
  REQUIRE(press_until(board, letter(16), play, "Player 2 plays"));
  REQUIRE(wait_for_nodes(port_2, 1));
  NodeReader one{node_of(port_1)}, other{node_of(port_2)};
  board.send_bytes(
      {0, 0, letter(4).usage, letter(19).usage, 0, 0, 0, 0});  // west of the left half, south of the right one
  CHECK(one.wait_for(EV_KEY, BTN_WEST, 1));
  CHECK(other.wait_for(EV_KEY, BTN_SOUTH, 1));
  CHECK(one.held() == 1);
  CHECK(other.held() == 1);
  board.send_bytes({0, 0, 0, 0, 0, 0, 0, 0});
  CHECK(one.wait_for(EV_KEY, BTN_WEST, 0));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  CHECK(all_is_gone());
}

TEST_CASE("Learning a unit in use reports the process that holds it", "[units]") {
  const UhidPad pad{"Taken Pad", "t"};
  const Playing play{"pad-2b", pad};
  Program learn{from_home("learning", "learn profile pad-2b")};
  CHECK(learn.wait_for_end() == 3);
  INFO(learn.output());
  CHECK(learn.output().find("is in use by omnipar (process " + std::to_string(play.process()) + ") [unit-in-use]") !=
        std::string::npos);
}

TEST_CASE("Each step is confirmed by rumble", "[units]") {
  MotorPad pad{"Shaking Pad", {FF_RUMBLE}};
  REQUIRE(wait_for_nodes("Shaking Pad", 1));
  Program learn{from_home("learning", "learn profile pad-2b --ask-all --as shaken --feel --with-virtual")};
  REQUIRE(tap_until(pad, learn, "Using \""));
  REQUIRE(learn.wait_for("1 of"));
  sleep_ms(250);
  pad.send(EV_KEY, BTN_EAST, 1);
  pad.sync();
  sleep_ms(100);
  pad.send(EV_KEY, BTN_EAST, 0);
  pad.sync();
  CHECK(pad.pump_until([](const std::map<int, MotorPad::Effect>& effects) {
    for (const auto& [number, effect] : effects)
      if (effect.times > 0) return true;
    return false;
  }));
  learn.signal(SIGTERM);
  for (int tries = 0; tries < 100 && learn.wait_for_end(50) == -1; ++tries) pad.pump();
  CHECK(learn.wait_for_end() == 1);
  CHECK(learn.output().find("the session is stored") != std::string::npos);
}

TEST_CASE("A full disk during learning is reported and leaves the old profile in place", "[units]") {
  const UhidPad pad{"Last Pad", "l"};
  REQUIRE(wait_for_nodes("Last Pad", 1));
  REQUIRE(std::system("mkdir -p /tmp/full && mount -t tmpfs -o size=16k,mode=0777 none /tmp/full && "
                      "HOME=/tmp/learning /box/omnipar profile new /tmp/full/map.toml --system pad-2b") == 0);
  const std::string before = contents("/tmp/full/map.toml");
  REQUIRE_FALSE(before.empty());
  Program learn{from_home("learning", "learn profile /tmp/full/map.toml --only inner")};
  REQUIRE(tap_until(pad, learn, "1 of 1:"));
  static_cast<void>(std::system("dd if=/dev/zero of=/tmp/full/more bs=1k count=64 2>/dev/null"));
  const auto hold = [&pad](int ms) {
    pad.send({west});
    sleep_ms(ms);
    pad.send({});
    sleep_ms(200);
  };
  sleep_ms(700);
  hold(100);
  REQUIRE(learn.wait_for("Done."));
  hold(enough_for_the_menu);
  hold(enough_for_the_menu);
  CHECK(learn.wait_for_end() == 3);
  INFO(learn.output());
  CHECK(learn.output().find("[cannot-write]") != std::string::npos);
  CHECK(learn.output().find("Nothing was changed.") != std::string::npos);
  CHECK(contents("/tmp/full/map.toml") == before);
  CHECK(std::system("umount /tmp/full") == 0);
}

TEST_CASE("Missing read permission is reported before the first press", "[units]") {
  const UhidPad pad{"Shut Pad", "s"};
  REQUIRE(wait_for_nodes("Shut Pad", 1));
  REQUIRE(std::system("mkdir -p -m 777 /tmp/shut") == 0);
  Program learn{as_guest("HOME=/tmp/shut exec /box/omnipar learn profile pad-2b")};
  const bool advised = learn.wait_for("omnipar doctor");
  INFO(learn.output());
  CHECK(advised);
  learn.signal(SIGTERM);
  CHECK(learn.wait_for_end() == 1);
}
