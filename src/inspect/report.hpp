// A draft sheet for an unknown unit, to be completed by others.
#pragma once

#include <string>
#include <vector>

#include "omnipar/description.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0::inspect {

/// A role and, of a pair, which half.
struct Guess {
  std::string role;  ///< empty: unknown
  Axis axis = Axis::none;
};
/// What an event node's codes are by the kernel's convention, and those of mice and keyboards by their own names: one
/// for each of its codes.
[[nodiscard]] std::vector<Guess> guesses_for(const Description& node);

/// A unit sheet to be finished: identity, and every code of its nodes with the role that the kernel's convention
/// gives it, or else a role to be filled in. Holds nothing personal: no serial number, no socket, no node, no values.
[[nodiscard]] std::string sheet_draft(const std::vector<Description>& nodes);

}  // namespace omnipar::inline abi_0::inspect
