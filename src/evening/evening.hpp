// A session of play for people: an embedded session with virtual devices, its messages, and the program to play.
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
  SessionOptions session;                       ///< the profile to play, with virtual devices and signals enabled
  std::function<void(const std::string&)> say;  ///< receives one line for the user at a time
  FeedbackOptions feedback{};                   ///< other ways to signal changes

  std::vector<std::string> command;      ///< the program to start and its arguments; may be empty
  std::optional<Duration> longest_wait;  ///< how long to wait for the required units; unset: without a limit
  Duration insist_after{5'000'000};      ///< from the request to end to ending the program by force
  bool alone = false;                    ///< the program cannot open the units in play
  bool urgent = false;                   ///< with real-time priority, if the system permits it
};

enum class End {
  asked,    ///< by a signal
  hands,    ///< by the exit action or the built-in exit combination
  program,  ///< the program ended
  failed,
};

struct Played {
  End how = End::asked;
  Rig rig;                            ///< including the units that were seated
  std::vector<Calibration> ranges{};  ///< learned while playing
  std::optional<int> program_status;  ///< its exit status, 128 + the signal that killed it; nothing if it never ran
  SessionStats stats;
};

/// Plays a profile until SIGINT, SIGTERM, SIGHUP, its exit action, the built-in exit combination, or the end of the
/// program. When it returns, everything is at rest, the virtual devices are removed, and no process of the program
/// is left. Failures have been reported. The door is used for the program; the session has its own.
[[nodiscard]] Played play(os::Door& door, const Options& options);

/// The measurements, as lines for people.
[[nodiscard]] std::vector<std::string> lines_of(const SessionStats& stats);

}  // namespace omnipar::inline abi_0::evening
