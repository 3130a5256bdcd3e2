// All that a session waits for at once, and which of it has come.
#pragma once

#include <array>
#include <cstdint>
#include <optional>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::play {

enum class Waited : std::uint8_t {
  signals,
  watch,
  keeper,
  timer,
  other,   ///< what somebody else waits for; its descriptor comes along
  device,  ///< a virtual one; which one comes along
  node,    ///< likewise
  raw,     ///< a raw node, likewise
};

struct Ready {
  Waited what{};
  std::size_t which = 0;
};

class Waiter {
 public:
  explicit Waiter(os::Door& door) noexcept : door_(door) {}
  [[nodiscard]] std::optional<Diagnostic> begin();

  /// Waits for this, too, until it is closed. `once`: told once for each arrival, so that whoever is told reads all
  /// that is there.
  [[nodiscard]] std::optional<Diagnostic> also(int descriptor, Ready ready, bool once = false);

  /// For whoever waits elsewhere: readable when something is ready.
  [[nodiscard]] int descriptor() const noexcept { return descriptor_.get(); }

  /// What is ready, some of it if that is much; nothing at the time limit. False if waiting failed.
  [[nodiscard]] bool wait(std::optional<Time> until);
  /// Calls `take` with each Ready of the last wait.
  template <typename Take>
  void each_ready(Take take) const {
    for (std::size_t i = 0; i < count_; ++i)
      take(Ready{static_cast<Waited>(tags_[i] & what_mask), tags_[i] >> what_bits});
  }

  /// True if anything was ready in the last wait.
  [[nodiscard]] bool anything_came() const noexcept { return count_ > 0; }

  [[nodiscard]] static Diagnostic failure();

 private:
  // A tag holds what is waited for in its lowest bits, and which of them above.
  static constexpr unsigned what_bits = 3;
  static constexpr std::uint64_t what_mask = (1U << what_bits) - 1;

  os::Door& door_;
  os::Descriptor descriptor_;
  std::array<std::uint64_t, 32> tags_{};
  std::size_t count_ = 0;
};

}  // namespace omnipar::inline abi_0::play
