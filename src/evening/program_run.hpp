// The run of the program that a play is for, with what is said of it: from its start to the end of all that it
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
    std::vector<std::string> command;             ///< empty: there is no program, and nothing here does anything
    Duration insist_after{};                      ///< from asking it to end to ending it by force
    std::function<void(const std::string&)> say;  ///< one line for the person at a time
  };
  ProgramRun(os::Door& door, Options options) : door_(door), options_(std::move(options)), program_(door) {}

  /// This child of ours is no part of the program.
  void spare(pid_t child) noexcept { spared_ = child; }

  [[nodiscard]] bool is_requested() const noexcept { return !options_.command.empty(); }
  [[nodiscard]] bool started() const noexcept { return program_.started(); }
  /// Fails with `not-started`. `before` is called in the new process first.
  [[nodiscard]] std::optional<Diagnostic> start(const std::function<int()>& before);
  /// To be called when a child has ended; true once the program and all that it left are over.
  [[nodiscard]] bool follow();
  /// The process, or one that it left; -1 if nothing runs.
  [[nodiscard]] pid_t process() const { return program_.process(spared_); }
  /// Its exit status, 128 + the signal that killed it; nothing while it runs, and if it never ran.
  [[nodiscard]] std::optional<int> status() const;

  /// Asks the program to quit; a second call kills it. `knows`: it received a Ctrl-C itself and gets SIGTERM only if it
  /// does not react.
  void ask(bool knows);
  /// Ends it by force, if it was asked long enough ago.
  void insist_when_due(Time now);
  /// When that is, or when it is to be asked by a signal, too.
  [[nodiscard]] std::optional<Time> due() const;
  /// Of the program nothing stays behind; but it is asked first, if it was not yet. `pass_time` returns at the time
  /// that it is given.
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
