// Signals that are read instead of being delivered.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "os/door.hpp"

namespace omnipar::inline abi_0::os {

struct CaughtSignal {
  int number = 0;
  bool from_terminal = false;  ///< a Ctrl-C there, which goes to started programs as well
};

class Signals {
 public:
  explicit Signals(os::Door& door) noexcept : door_(door) {}
  /// What was not blocked before is delivered again from now on; what has not been read is lost.
  ~Signals();
  Signals(const Signals&) = delete;
  Signals& operator=(const Signals&) = delete;

  /// From now on these signals come here, on this thread, and do nothing else. False if that cannot be.
  [[nodiscard]] bool begin(std::span<const int> signals);
  /// Readable when one has come; -1 before `begin`.
  [[nodiscard]] int descriptor() const noexcept { return descriptor_.get(); }
  [[nodiscard]] std::optional<CaughtSignal> next();

 private:
  os::Door& door_;
  os::Descriptor descriptor_;
  std::vector<int> blocked_;  ///< by us
};

}  // namespace omnipar::inline abi_0::os
