// Bindings of a plan: whether a unit is of use, and what a seat lacks.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"
#include "omnipar/plan.hpp"

namespace omnipar::inline abi_0 {

/// Returns the roles of a unit's controls; for a hat, those of its directions, such as "dpad-left".
[[nodiscard]] std::vector<std::string> roles_of(const Attachment& attachment);

/// Returns true if at any seat one of its controls would move a target.
[[nodiscard]] bool is_of_use(const Plan& plan, const Attachment& attachment);

/// Returns for each target of the plan whether it has a source.
[[nodiscard]] std::vector<bool> bound_targets(const Plan& plan);

/// Returns the names of targets with a source at this seat, but with none of these roles, in the plan's order.
[[nodiscard]] std::vector<std::string> unserved(const Plan& plan, std::string_view seat,
                                                std::span<const std::string> roles);

/// Returns the roles of a unit's controls to which nothing is bound at the attachment's seat.
[[nodiscard]] std::vector<std::string> idle_roles(const Plan& plan, const Attachment& attachment);

/// Returns the names (`control_name`) of a node's controls without a role, except keys of a keyboard. `attachment` must
/// be that of the whole unit, because the attachment of a part lacks the controls of other parts.
[[nodiscard]] std::vector<std::string> roleless_controls(const Description& node, const Attachment& attachment);

}  // namespace omnipar::inline abi_0
