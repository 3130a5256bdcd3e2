// Time in the core: microseconds on a monotonic clock that the caller reads.
#pragma once

#include <chrono>
#include <cstdint>
#include <ratio>

namespace omnipar::inline abi_0 {

/// The clock of engine times. It has no `now()`: the core receives the time from its caller.
struct EngineClock {
  using rep = std::int64_t;
  using period = std::micro;
  using duration = std::chrono::duration<rep, period>;
  using time_point = std::chrono::time_point<EngineClock, duration>;
  static constexpr bool is_steady = true;
};

using Duration = EngineClock::duration;
using Time = EngineClock::time_point;

/// Returns the time `us` microseconds after zero.
[[nodiscard]] constexpr Time at_us(std::int64_t us) noexcept { return Time{Duration{us}}; }

/// The latest engine time, about 146,000 years after zero. Later times are treated as this one.
inline constexpr Time latest_time = at_us(std::int64_t{1} << 62);

}  // namespace omnipar::inline abi_0
