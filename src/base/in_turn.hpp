// A search for entries that are requested mostly in order, and again from the first.
#pragma once

#include <cstddef>

namespace omnipar::inline abi_0 {

/// The index of the entry for which `is_it` holds, or the number of entries if there is none. The search starts after
/// `last`, the index found before; any number will do for the first call.
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
