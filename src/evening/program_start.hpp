// Decides when the program may start: every player with a unit is present or replaced, the virtual devices are
// announced, and no button is held.
#pragma once

#include <functional>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "evening/program_run.hpp"
#include "omnipar/session.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::evening {

/// Fails with `not-alone` if units should be hidden from a program and cannot be.
[[nodiscard]] std::optional<Diagnostic> refuses_alone(os::Door& door, bool alone);

struct StartOptions {
  const Rig& rig;                        ///< the players' units
  std::optional<Duration> longest_wait;  ///< how long to wait for missing units; unset: without a limit
  bool alone = false;                    ///< the program cannot open the units in play
  const std::function<void(const std::string&)>& say;
};

class ProgramStart {
 public:
  /// All must outlive this.
  ProgramStart(os::Door& door, const StartOptions& options, const Session& session, ProgramRun& program)
      : door_(door), options_(options), session_(session), program_(program) {}

  /// Starts waiting.
  void begin();
  /// The seats that are waited for: those with units in the rig; if there are none, the first.
  [[nodiscard]] const std::vector<std::string>& seats() const noexcept { return seats_; }
  /// Returns false if no unit is missing.
  bool ask_for_the_missing() const;
  /// When to check again without an event.
  [[nodiscard]] std::optional<Time> due() const;
  /// Also hides from an isolated program every unit that has connected or joined since its start.
  void hide_what_came();
  /// Starts it when permitted. Fails as `ProgramRun::start` does.
  [[nodiscard]] std::optional<Diagnostic> start_when_ready();

 private:
  [[nodiscard]] bool is_missing(const std::string& seat) const { return !session_.is_played(seat); }
  [[nodiscard]] bool waits_for_units() const;
  [[nodiscard]] bool waits_for_announcement() const;
  [[nodiscard]] std::vector<std::string> hidden_paths() const;

  os::Door& door_;
  StartOptions options_;
  const Session& session_;
  ProgramRun& program_;
  Time began_{};
  std::vector<std::string> seats_;
  std::set<std::string> hidden_;  ///< paths in /sys of the nodes that an isolated program cannot open
  bool said_let_go_ = false;
};

}  // namespace omnipar::inline abi_0::evening
