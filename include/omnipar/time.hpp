// Time as the core knows it: microseconds on one monotonic clock that somebody else reads.
#pragma once

#include <chrono>
#include <cstdint>
#include <ratio>

namespace omnipar::inline abi_0 {

/// The clock that engine times belong to. It has no `now()`: the core never asks the time, it is told.
struct EngineClock {
  using rep = std::int64_t;
  using period = std::micro;
  using duration = std::chrono::duration<rep, period>;
  using time_point = std::chrono::time_point<EngineClock, duration>;
  static constexpr bool is_steady = true;
};

using Duration = EngineClock::duration;
using Time = EngineClock::time_point;

/// The moment `us` microseconds after the clock's zero.
[[nodiscard]] constexpr Time at_us(std::int64_t us) noexcept { return Time{Duration{us}}; }

/// Engine times end here, some 146,000 years behind the clock's zero: what is later counts as this.
inline constexpr Time latest_time = at_us(std::int64_t{1} << 62);

}  // namespace omnipar::inline abi_0
