// Signals that are read instead of being delivered.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "os/door.hpp"

namespace omnipar::inline abi_0::os {

struct CaughtSignal {
  int number = 0;
  bool from_terminal = false;  ///< a Ctrl-C in the terminal, which started programs receive as well
};

class Signals {
 public:
  explicit Signals(os::Door& door) noexcept : door_(door) {}
  /// Delivers signals that were not blocked before normally again; unread ones are lost.
  ~Signals();
  Signals(const Signals&) = delete;
  Signals& operator=(const Signals&) = delete;

  /// From now on these signals arrive here, on this thread, with no other effect. False on failure.
  [[nodiscard]] bool begin(std::span<const int> signals);
  /// Readable when one has arrived; -1 before `begin`.
  [[nodiscard]] int descriptor() const noexcept { return descriptor_.get(); }
  [[nodiscard]] std::optional<CaughtSignal> next();

 private:
  os::Door& door_;
  os::Descriptor descriptor_;
  std::vector<int> blocked_;  ///< by this object
};

}  // namespace omnipar::inline abi_0::os
