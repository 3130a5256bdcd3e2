// The run of the program that is played, with messages about it: from its start to the end of every process that it
// leaves behind.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "evening/program.hpp"

namespace omnipar::inline abi_0::evening {

class ProgramRun {
 public:
  struct Options {
    std::vector<std::string> command;             ///< empty: there is no program, and calls have no effect
    Duration insist_after{};                      ///< from the request to end to ending it by force
    std::function<void(const std::string&)> say;  ///< receives one line for the user at a time
  };
  ProgramRun(os::Door& door, Options options) : door_(door), options_(std::move(options)), program_(door) {}

  /// This child process does not belong to the program.
  void spare(pid_t child) noexcept { spared_ = child; }

  [[nodiscard]] bool is_requested() const noexcept { return !options_.command.empty(); }
  [[nodiscard]] bool started() const noexcept { return program_.started(); }
  /// Starts the program. Fails with `not-started`. `before` is called in the new process first.
  [[nodiscard]] std::optional<Diagnostic> start(const std::function<int()>& before);
  /// Must be called when a child process has ended. Returns true once the program and all that it left have ended.
  [[nodiscard]] bool follow();
  /// The process, or one that it left behind; -1 if none is running.
  [[nodiscard]] pid_t process() const { return program_.process(spared_); }
  /// Its exit status, 128 + the signal that killed it; nothing while it runs or if it never ran.
  [[nodiscard]] std::optional<int> status() const;

  /// Asks the program to quit; a second call kills it. `knows`: it received a Ctrl-C itself and gets SIGTERM only if it
  /// does not react.
  void ask(bool knows);
  /// Ends it by force if enough time has passed since the request.
  void insist_when_due(Time now);
  /// When this is due, or when it is due to receive a signal.
  [[nodiscard]] std::optional<Time> due() const;
  /// Ends the program and every process that it left behind, after a request to end if there was none yet. `pass_time`
  /// returns at the given time.
  void end(const std::function<void(Time)>& pass_time);

 private:
  void ask_by_signal();
  void insist();

  os::Door& door_;
  Options options_;
  pid_t spared_ = -1;
  Program program_;
  Time started_{};
  std::optional<Time> asked_;
  Time force_at_{};
  bool asked_by_signal_ = false;
  bool insisted_ = false;
};

}  // namespace omnipar::inline abi_0::evening
