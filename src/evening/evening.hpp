// An evening of play for people: a session with virtual devices, what is said of it, and the program that it is for.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "evening/feedback.hpp"
#include "omnipar/session.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::evening {

struct Options {
  SessionOptions session;  ///< what is played; here it has virtual devices, and its signals are set
  std::function<void(const std::string&)> say;  ///< one line for the person at a time
  FeedbackOptions feedback{};                   ///< other ways to signal changes

  std::vector<std::string> command;      ///< the program to start and its words; may be empty
  std::optional<Duration> longest_wait;  ///< for the units that are needed; without it: as long as it takes
  Duration insist_after{5'000'000};      ///< from asking the program to end to ending it by force
  bool alone = false;                    ///< the program cannot open the units that are played on
  bool urgent = false;                   ///< with real-time priority, if the system lets us
};

enum class End {
  asked,    ///< by a signal
  hands,    ///< by the exit action or the built-in exit combination
  program,  ///< the program ended
  failed,
};

struct Played {
  End how = End::asked;
  Rig rig;                            ///< with the units that sat down
  std::vector<Calibration> ranges{};  ///< that were found by use
  std::optional<int> program_status;  ///< its exit status, 128 + the signal that killed it; nothing if it never ran
  SessionStats stats;
};

/// Plays a profile until SIGINT, SIGTERM, SIGHUP, its exit action, the built-in exit combination, or the end of the
/// program. When it returns, everything is at rest, the virtual devices are gone, and of the program and what it
/// started nothing is left. Failures have been said. The door serves the program; the session has its own.
[[nodiscard]] Played play(os::Door& door, const Options& options);

/// What was measured, in lines for people.
[[nodiscard]] std::vector<std::string> lines_of(const SessionStats& stats);

}  // namespace omnipar::inline abi_0::evening
