// The earlier of two optional times, where an empty one means never.
#pragma once

#include <algorithm>
#include <optional>

#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

[[nodiscard]] inline std::optional<Time> earlier(std::optional<Time> a, std::optional<Time> b) noexcept {
  if (!a || !b) return a ? a : b;
  return std::min(*a, *b);
}

}  // namespace omnipar::inline abi_0
