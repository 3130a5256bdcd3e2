// Everything that a session waits for at once, and what has become ready.
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
  other,   ///< a descriptor of another component, which is included
  device,  ///< a virtual device, whose index is included
  node,    ///< the same for a node
  raw,     ///< the same for a raw node
};

struct Ready {
  Waited what{};
  std::size_t which = 0;
};

class Waiter {
 public:
  explicit Waiter(os::Door& door) noexcept : door_(door) {}
  [[nodiscard]] std::optional<Diagnostic> begin();

  /// Adds a descriptor until it is closed. `once`: reported once per arrival, so the caller must read everything
  /// that is available.
  [[nodiscard]] std::optional<Diagnostic> also(int descriptor, Ready ready, bool once = false);

  /// For callers that wait elsewhere: readable when something is ready.
  [[nodiscard]] int descriptor() const noexcept { return descriptor_.get(); }

  /// Waits until something is ready, of which a part may be reported later, or for the time limit. False on failure.
  [[nodiscard]] bool wait(std::optional<Time> until);
  /// Calls `handle` with each Ready of the last wait.
  template <typename Handle>
  void each_ready(Handle handle) const {
    for (std::size_t i = 0; i < count_; ++i)
      handle(Ready{static_cast<Waited>(tags_[i] & what_mask), tags_[i] >> what_bits});
  }

  /// True if anything was ready in the last wait.
  [[nodiscard]] bool anything_came() const noexcept { return count_ > 0; }

  [[nodiscard]] static Diagnostic failure();

 private:
  // A tag holds the kind in its lowest bits, and the index above.
  static constexpr unsigned what_bits = 3;
  static constexpr std::uint64_t what_mask = (1U << what_bits) - 1;

  os::Door& door_;
  os::Descriptor descriptor_;
  std::array<std::uint64_t, 32> tags_{};
  std::size_t count_ = 0;
};

}  // namespace omnipar::inline abi_0::play
