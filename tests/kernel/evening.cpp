// The commands print a first session for the pictures in the documentation. Runs only when named.
#include <catch2/catch.hpp>

#include <csignal>
#include <cstdio>
#include <memory>

#include "made_units.hpp"

using namespace omnipar::test;

namespace {

void show(const std::vector<std::string>& command) {
  std::string line = "$";
  for (const std::string& word : command) line += " " + word;
  Program program{command};
  program.wait_for_end();
  std::printf("%s\n%s", line.c_str(), program.output().c_str());
}

}  // namespace

TEST_CASE("A first session, shown on screen", "[.show-an-evening]") {
  std::puts("== doctor");
  show({"omnipar", "doctor"});
  show({"omnipar", "doctor", "--fix"});
  auto pad = std::make_unique<UhidPad>("Fenwick Reading-Room Pad", "12:09:00:00:00:01");
  GadgetPad panel{"panel", "Marrowby Cabinet, right panel"};
  panel.plug_into(1);
  wait_for_nodes("Fenwick Reading-Room Pad", 1);
  wait_for_nodes("Marrowby Cabinet, right panel", 1);
  show({"omnipar", "doctor"});
  std::puts("== units");
  show({"omnipar", "units"});
  std::puts("== play\n$ omnipar play pad-2b");
  Program play{{"omnipar", "play", "pad-2b"}};
  play.wait_for("press any button");
  pad->send({south});
  play.wait_for("Player 1 plays");
  panel.send({south});
  play.wait_for("Player 2 plays");
  pad.reset();
  play.wait_for("was disconnected");
  pad = std::make_unique<UhidPad>("Fenwick Reading-Room Pad", "12:09:00:00:00:01");
  play.wait_for("continues");
  play.signal(SIGINT);
  play.wait_for_end();
  std::printf("%s", play.output().c_str());
  std::puts("$ omnipar play pad-2b --alone --stats -- sh -c 'sleep 2; ls /dev/input; exit 7'");
  Program game{{"omnipar", "play", "pad-2b", "--alone", "--stats", "--", "sh", "-c", "sleep 2; ls /dev/input; exit 7"}};
  tap_until(*pad, game, "Starting sh");
  for (int i = 0; i < 50; ++i) {
    pad->send({static_cast<std::uint16_t>(i % 2 == 0 ? east : 0)});
    sleep_ms(30);
  }
  const int status = game.wait_for_end();
  std::printf("%s$ echo $?\n%d\n== end\n", game.output().c_str(), status);
}
