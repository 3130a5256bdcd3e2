// A draft sheet for an unknown unit, to be completed by others.
#pragma once

#include <string>
#include <vector>

#include "omnipar/description.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0::inspect {

/// A role and, for a pair, which half.
struct Guess {
  std::string role;  ///< empty: unknown
  Axis axis = Axis::none;
};
/// The meaning of an event node's codes by the kernel's convention, and of mouse and keyboard codes by their names: one
/// entry per code.
[[nodiscard]] std::vector<Guess> guesses_for(const Description& node);

/// A unit sheet to complete: identity, and every code of its nodes with the role that the kernel's convention
/// gives it, or else a role to fill in. Contains nothing personal: no serial number, socket, node or values.
[[nodiscard]] std::string sheet_draft(const std::vector<Description>& nodes);

}  // namespace omnipar::inline abi_0::inspect
