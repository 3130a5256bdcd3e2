// The step of the threshold, which the hot path has inline.
#pragma once

#include "stage/stage.hpp"

namespace omnipar::inline abi_0::stage {

/// Whether a push counts as pressed, after one that was `passed` or not.
[[nodiscard]] inline bool is_passed(const Constants& threshold, bool passed, double push) noexcept {
  return push >= threshold.numbers[passed ? 1 : 0];
}

}  // namespace omnipar::inline abi_0::stage
