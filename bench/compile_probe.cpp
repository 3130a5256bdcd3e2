// Compiles profiles of more and more bindings, for counting the instructions of `probed`: each further binding must
// cost the same.
// usage: compile-probe BINDINGS
#include <cstdio>
#include <cstdlib>
#include <string>

#include "omnipar/omnipar.hpp"

using namespace omnipar;

namespace {

constexpr int buttons = 25;  // of each controller

Catalogue catalogue_for(int ports) {
  ControllerSheet board;
  board.name = "board";
  board.title = "board of 25 buttons";
  board.directions = false;
  for (int b = 1; b <= buttons; ++b) {
    TargetSheet target;
    target.name = "button-" + std::to_string(b);
    target.defaults = {"panel-" + std::to_string(b)};
    board.targets.push_back(target);
  }
  SystemSheet system;
  system.name = "boards";
  system.title = "a machine of boards";
  for (int port = 1; port <= ports; ++port) system.ports.push_back({port, {"board"}});
  system.controllers = {board};
  return Catalogue{{system}};
}

/// Every binding has two sources, one of them with stages.
Profile profile_of(int bindings) {
  Profile profile{"boards", "boards", {}, {}};
  for (int b = 0; b < bindings; ++b) {
    if (b % buttons == 0) {
      PortProfile port;
      port.port = b / buttons + 1;
      port.seat = "seat-" + std::to_string(port.port);
      profile.ports.push_back(port);
    }
    Use held{"panel-" + std::to_string(b % buttons + 1)};
    held.settings.set("long-press", std::chrono::milliseconds{300});
    profile.ports.back().bind.push_back({"button-" + std::to_string(b % buttons + 1), {held, {"south"}}});
  }
  return profile;
}

}  // namespace

[[gnu::noinline]] bool probed(const Catalogue& catalogue, const Profile& profile) {
  return compile(catalogue, profile).has_value();
}

int main(int count, char** words) {
  const int bindings = count == 2 ? std::atoi(words[1]) : 0;
  if (bindings < buttons || bindings % buttons != 0) return EXIT_FAILURE;
  const bool good = probed(catalogue_for(bindings / buttons), profile_of(bindings));
  std::printf("%d bindings\n", bindings);
  return good ? EXIT_SUCCESS : EXIT_FAILURE;
}
