// How thorough a run is: `scripts/test --all` sets OMNIPAR_FULL_COUNTS, and random tests run more cases.
#pragma once

#include <cstdlib>

namespace omnipar::test {

[[nodiscard]] inline bool full_counts() { return std::getenv("OMNIPAR_FULL_COUNTS") != nullptr; }

/// `few` in the short run, `many` in the full one.
[[nodiscard]] inline int cases(int few, int many) { return full_counts() ? many : few; }

}  // namespace omnipar::test
