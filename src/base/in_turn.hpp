// A search for entries that are mostly asked for one after the other, and again from the first.
#pragma once

#include <cstddef>

namespace omnipar::inline abi_0 {

/// Where the entry is that `is_it` holds of, or how many there are if it holds of none. The search begins behind
/// `last`, where the one before ended; any number will do to begin with.
template <typename Entries, typename IsIt>
[[nodiscard]] std::size_t find_in_turn(const Entries& entries, std::size_t& last, IsIt is_it) {
  const std::size_t count = entries.size();
  for (std::size_t tried = 0; tried < count; ++tried) {
    if (++last >= count) last = 0;
    if (is_it(entries[last])) return last;
  }
  return count;
}

}  // namespace omnipar::inline abi_0
