#include "evening/program_run.hpp"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <utility>

#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnipar::inline abi_0::evening {
namespace {

constexpr Duration a_moment = std::chrono::seconds{1};

std::string status_words(int status) {
  constexpr int by_signal = 128;
  if (status > by_signal) return fmt::format("by signal {}", status - by_signal);
  return status == 0 ? "well" : fmt::format("with status {}", status);
}

}  // namespace

std::optional<Diagnostic> ProgramRun::start(const std::function<int()>& before) {
  options_.say(fmt::format("Starting {}.", options_.command.front()));
  started_ = door_.now();
  const int result = program_.start(options_.command, before);
  if (result == 0) return std::nullopt;
  if (result == -ENOENT)  // the file itself has already been found
    return Diagnostic{"not-started", Severity::error, "cannot start it: its interpreter or a library is missing",
                      options_.command.front(),
                      "check a script's first line with 'head -n 1', a program's libraries with 'ldd'"};
  return Diagnostic{"not-started", Severity::error, fmt::format("cannot start it: {}", std::strerror(-result)),
                    options_.command.front(), "start it directly to see what is missing, or try without --alone"};
}

std::optional<int> ProgramRun::status() const {
  return program_.ended() ? std::optional{program_.status()} : std::nullopt;
}

bool ProgramRun::follow() {
  const bool had_ended = program_.ended();
  program_.collect();
  if (!program_.ended()) return false;
  const auto left = program_.left(spared_);
  if (left.empty()) {
    options_.say(fmt::format("{} ended {}.", options_.command.front(), status_words(program_.status())));
    constexpr Duration suspiciously_short = std::chrono::seconds{2};
    if (!asked_ && program_.status() == 0 && door_.now() - started_ < suspiciously_short)
      options_.say(
          "That was quick. If it passed control to an instance that was already running, close that one first, or play "
          "without a command.");
    return true;
  }
  if (insisted_)
    program_.insist(spared_);
  else if (asked_ && !had_ended)
    ask_by_signal();  // the processes left behind have not been asked yet
  if (!insisted_ && !had_ended)
    options_.say(fmt::format("{} ended but left {} running. Play continues until that ends.", options_.command.front(),
                             fmt::join(left, ", ")));
  return false;
}

void ProgramRun::ask(bool knows) {
  constexpr Duration same_breath = std::chrono::seconds{1};  // the exit combination may be the exit action as well
  if (asked_ && door_.now() - *asked_ < same_breath) return;
  if (asked_) return insist();
  asked_ = door_.now();
  force_at_ = *asked_ + options_.insist_after;
  if (!knows) ask_by_signal();
  options_.say(fmt::format("Asked {} to quit. It is killed after {:.0f} s.", options_.command.front(),
                           static_cast<double>(options_.insist_after.count()) / 1e6));
}

void ProgramRun::ask_by_signal() {
  asked_by_signal_ = true;
  program_.ask(spared_);
}

/// A program that only received a Ctrl-C gets SIGTERM after half of the time.
std::optional<Time> ProgramRun::due() const {
  if (!asked_ || insisted_) return std::nullopt;
  return asked_by_signal_ ? force_at_ : std::min(force_at_, *asked_ + options_.insist_after / 2);
}

void ProgramRun::insist_when_due(Time now) {
  const auto when = due();
  if (!when || now < *when) return;
  if (asked_by_signal_ || now >= force_at_) return insist();
  ask_by_signal();
}

/// No process is killed before it received SIGTERM and had a moment to react.
void ProgramRun::insist() {
  if (!asked_by_signal_) {
    ask_by_signal();
    force_at_ = door_.now() + std::min(a_moment, options_.insist_after);
    return;
  }
  if (std::exchange(insisted_, true)) return;
  options_.say("It did not quit and is killed.");
  program_.insist(spared_);
}

void ProgramRun::end(const std::function<void(Time)>& pass_time) {
  if (!program_.started()) return;
  constexpr Duration pause{20'000};
  constexpr Duration enough = std::chrono::seconds{2};  // a process that survives this is stuck in the kernel
  const auto is_over = [&] {
    program_.collect();
    return program_.ended() && program_.left(spared_).empty();
  };
  if (!is_over() && !asked_by_signal_) ask_by_signal();
  const Time by_force = insisted_ ? door_.now()
                                  : std::max(asked_.value_or(door_.now()) + options_.insist_after,
                                             door_.now() + std::min(a_moment, options_.insist_after));
  while (!is_over() && door_.now() < by_force + enough) {
    if (door_.now() >= by_force) program_.insist(spared_);
    pass_time(door_.now() + pause);
  }
}

}  // namespace omnipar::inline abi_0::evening
