// Counts calls of `operator new`, so that a test can fail when the hot path allocates.
#pragma once

#include <cstddef>

namespace omnipar::test {

/// Allocations by this program since its start.
[[nodiscard]] std::size_t allocations() noexcept;

/// The number of allocations that `work` made.
template <typename Work>
std::size_t allocations_during(Work&& work) {
  const std::size_t before = allocations();
  work();
  return allocations() - before;
}

}  // namespace omnipar::test
