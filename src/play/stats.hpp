// What a play has measured of itself: how long reports took from the kernel's stamp to the virtual device,
// and how many there were.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "omnipar/time.hpp"

namespace omnipar::play {

/// Counts durations in steps of an eighth of a doubling. Takes no memory while it counts.
class Spread {
 public:
  void add(Duration time) noexcept;
  [[nodiscard]] std::uint64_t count() const noexcept { return count_; }
  [[nodiscard]] Duration longest() const noexcept { return longest_; }
  /// The duration that `part` (0..1) of all do not exceed, rounded up to its step.
  [[nodiscard]] Duration within(double part) const noexcept;

 private:
  std::array<std::uint64_t, 256> steps_{};
  std::uint64_t count_ = 0;
  Duration longest_{0};
};

struct Stats {
  Spread in_to_out;            ///< of reports that changed something outside
  std::uint64_t reports = 0;   ///< that came in
  std::uint64_t wake_ups = 0;  ///< of the loop
  std::uint64_t losses = 0;    ///< times that the kernel lost events; the state was asked for and is right
  std::uint64_t refused = 0;   ///< reports that a virtual device would not take

  /// A few lines for people.
  [[nodiscard]] std::vector<std::string> lines() const;
};

}  // namespace omnipar::play
