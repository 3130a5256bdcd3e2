// The step of the threshold, inlined in the hot path.
#pragma once

#include "stage/stage.hpp"

namespace omnipar::inline abi_0::stage {

/// Whether a push counts as pressed, given whether the previous one did.
[[nodiscard]] inline bool is_passed(const Constants& threshold, bool passed, double push) noexcept {
  return push >= threshold.numbers[passed ? 1 : 0];
}

}  // namespace omnipar::inline abi_0::stage
