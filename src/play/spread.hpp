// A histogram of durations.
#pragma once

#include <array>
#include <cstdint>

#include "omnipar/time.hpp"

namespace omnipar::inline abi_0::play {

/// Counts durations in steps of an eighth of a doubling. Allocates no memory while it counts.
class Spread {
 public:
  void add(Duration time) noexcept;
  [[nodiscard]] std::uint64_t count() const noexcept { return count_; }
  [[nodiscard]] Duration longest() const noexcept { return longest_; }
  /// The duration that a fraction `part` (0..1) of all do not exceed, rounded up to its bucket.
  [[nodiscard]] Duration within(double part) const noexcept;

 private:
  std::array<std::uint64_t, 256> buckets_{};
  std::uint64_t count_ = 0;
  Duration longest_{0};
};

}  // namespace omnipar::inline abi_0::play
