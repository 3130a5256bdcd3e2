#include "os/signals.hpp"

#include <sys/signalfd.h>

#include <csignal>

namespace omnipar::inline abi_0::os {

Signals::~Signals() {
  while (next()) {
  }
  if (!blocked_.empty()) door_.let_signals_through(blocked_);
}

bool Signals::begin(std::span<const int> signals) {
  descriptor_ = Descriptor{door_, door_.catch_signals(signals, blocked_)};
  return static_cast<bool>(descriptor_);
}

std::optional<CaughtSignal> Signals::next() {
  signalfd_siginfo signal{};
  if (!descriptor_ || door_.read(descriptor_.get(), std::as_writable_bytes(std::span{&signal, 1})) <= 0)
    return std::nullopt;
  const int number = static_cast<int>(signal.ssi_signo);
  return CaughtSignal{number, number == SIGINT && signal.ssi_code > 0};
}

}  // namespace omnipar::inline abi_0::os
