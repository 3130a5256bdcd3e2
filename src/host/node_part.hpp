// A part of a unit, on one of its nodes.
#pragma once

#include <compare>

namespace omnipar::inline abi_0::host {

struct NodePart {
  int node = 0;  ///< the host's number
  int part = 0;  ///< its index in `unit_parts`
  // NOLINTNEXTLINE(modernize-use-nullptr): the 0 of a rewritten comparison is no pointer
  friend auto operator<=>(const NodePart&, const NodePart&) = default;
};

}  // namespace omnipar::inline abi_0::host
