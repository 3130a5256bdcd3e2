// One system call fails, each in turn: nothing may be left behind, and calls that are only
// interrupted or cut short must not be noticeable.
#include <catch2/catch.hpp>

#include <linux/uinput.h>

#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <memory>

#include "made_units.hpp"
#include "support/settings.hpp"

using namespace omnipar::test;

namespace {

std::vector<std::string> shimmed(int at, const std::string& how) {
  return {"/bin/env",
          "LD_PRELOAD=/box/shim.so",
          "OMNIPAR_SHIM_AT=" + std::to_string(at),
          "OMNIPAR_SHIM_HOW=" + how,
          "OMNIPAR_SHIM_COUNT=/tmp/calls",
          "/box/omnipar",
          "play",
          "pad-2b"};
}

struct Evening {
  bool played = false;  ///< a press and its release both reached the virtual pad
  int left_down = 0;    ///< controls that a game saw go down and not up again by the end
  int status = -1;
  std::string output;
};

/// Claims a seat, presses, and ends; the session must end whatever happens.
Evening play_with_fault(const UhidPad& pad, int at, const std::string& how) {
  Evening evening;
  Program play{shimmed(at, how)};
  std::unique_ptr<NodeReader> game;
  if (play.wait_for("Player 1: press any button")) {
    pad.send({start_button});
    const bool seated = play.wait_for("Player 1 plays", 1, 1500);
    pad.send({});
    if (seated && !nodes_named(port_1).empty()) {
      game = std::make_unique<NodeReader>(nodes_named(port_1).front());
      pad.send({south});
      const bool pressed = game->wait_for(EV_KEY, BTN_SOUTH, 1, 1500);
      pad.send({});
      evening.played = pressed && game->wait_for(EV_KEY, BTN_SOUTH, 0, 1500);
    }
    if (play.process() > 0) play.signal(SIGTERM);
  }
  evening.status = play.wait_for_end();
  evening.output = play.output();
  if (game) game->wait_for_end(2000);
  if (game) evening.left_down = game->held();
  return evening;
}

int calls_of_an_evening(const UhidPad& pad) {
  const Evening evening = play_with_fault(pad, 0, "fail");
  REQUIRE(evening.played);
  REQUIRE(evening.status == 0);
  return std::atoi(contents("/tmp/calls").c_str());
}

}  // namespace

TEST_CASE("Any call may fail, be interrupted or return short", "[fault]") {
  const UhidPad pad{"Unlucky Pad", "u"};
  REQUIRE(wait_for_nodes("Unlucky Pad", 1));
  const int calls = calls_of_an_evening(pad);
  REQUIRE(calls > 100);
  int not_played = 0;
  for (const std::string how : {"fail", "interrupt", "short"}) {
    const int step = full_counts() ? 1 : calls / 5 + 1;
    for (int at = 1; at <= calls; at += step) {
      CAPTURE(how, at, calls);
      const Evening evening = play_with_fault(pad, at, how);
      CAPTURE(evening.output);
      const bool unread = evening.status == 2 && count(evening.output, "[unreadable]") > 0;  // a user's own file
      CHECK((evening.status == 0 || evening.status == 3 || unread));
      if (how != "fail") CHECK(evening.status == 0);
      CHECK(evening.left_down == 0);
      not_played += evening.played ? 0 : 1;
      CHECK(all_is_gone());
    }
  }
  WARN("calls " << calls << ", evenings that a fault ended early or kept from playing: " << not_played);
}

TEST_CASE("A device that rejects reports gets the state once it accepts them, and delays no exit", "[fault]") {
  const char* refusing = "/tmp/refusing";
  std::remove(refusing);
  const UhidPad pad{"Refused Pad", "r"};
  Playing play{{"/bin/env", "LD_PRELOAD=/box/shim.so", std::string{"OMNIPAR_SHIM_REFUSE="} + refusing, "/box/omnipar",
                "play", "pad-2b", "--stats"},
               pad};
  NodeReader game{nodes_named(port_1).front()};
  pad.send({south});
  REQUIRE(game.wait_for(EV_KEY, BTN_SOUTH, 1));
  std::ofstream{refusing} << "yes";
  pad.send({});
  pad.send({east});
  CHECK_FALSE(game.wait_for(EV_KEY, BTN_EAST, 1, 300));
  CHECK(game.value(EV_KEY, BTN_SOUTH) == 1);
  std::remove(refusing);
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 1));
  CHECK(game.wait_for(EV_KEY, BTN_SOUTH, 0));
  std::ofstream{refusing} << "yes";  // permanently
  play.signal(SIGTERM);
  sleep_ms(100);
  pad.send({});
  CHECK(game.wait_for_end());
  CHECK(game.held() == 0);  // the keeper has released it
  CHECK(play.wait_for_end() == 0);
  CHECK(all_is_gone());
  std::remove(refusing);
}
