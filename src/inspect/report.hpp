// A report of an unknown unit, for somebody else to make a sheet of.
#pragma once

#include <string>
#include <vector>

#include "omnipar/description.hpp"

namespace omnipar::inspect {

/// A unit sheet to be finished: identity, and every code of its nodes with the role that the kernel's convention
/// gives it, or else a role to be filled in. Holds nothing personal: no serial number, no socket, no node, no values.
[[nodiscard]] std::string sheet_draft(const std::vector<Description>& nodes);

}  // namespace omnipar::inspect
