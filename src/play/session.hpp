// The playing itself: nodes in, virtual devices out, until somebody ends it or the program that it is for ends.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/rig.hpp"
#include "os/door.hpp"
#include "play/feedback.hpp"
#include "play/stats.hpp"

namespace omnipar::play {

struct SessionOptions {
  Catalogue catalogue;                          ///< the sheets by which units are known
  Rig rig;                                      ///< units in it sit down by themselves
  Profile profile;                              ///< that is played; its ports can be swapped by a hotkey
  bool with_virtual = false;                    ///< take units that other programs made, too
  std::function<void(const std::string&)> say;  ///< one line for the person at a time
  FeedbackWish feedback{};                      ///< what else tells of changes

  std::vector<std::string> command;      ///< the program to start and its words; may be empty
  std::optional<Duration> longest_wait;  ///< for the units that are needed; without it: as long as it takes
  Duration insist_after{5'000'000};      ///< from asking the program to end to ending it by force
  bool alone = false;                    ///< the program cannot open the units that are played on
  double rumble = 1;                     ///< how strongly, 0..1
  bool stats = false;                    ///< measure how long reports take
  bool urgent = false;                   ///< with real-time priority, if the system lets us
};

enum class SessionEnd {
  asked,    ///< by a signal
  hands,    ///< by the exit action or the built-in exit combination
  program,  ///< the program ended
  failed,
};

struct Played {
  SessionEnd how = SessionEnd::asked;
  Rig rig;                            ///< with the units that sat down
  std::optional<int> program_status;  ///< its exit status, 128 + the signal that killed it; nothing if it never ran
  Stats stats;
};

/// Plays a profile until SIGINT, SIGTERM, SIGHUP, its exit action, the built-in exit combination, or the end of the
/// program. When it returns, everything is at rest, the virtual devices are gone, and of the program and what it
/// started nothing is left. Failures have been said.
[[nodiscard]] Played play(os::Door& door, const SessionOptions& options);

}  // namespace omnipar::play
