// Which targets a seat's controls can move: whether a unit is of any use, and what a seat lacks.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"
#include "omnipar/plan.hpp"

namespace omnipar::inline abi_0 {

/// The roles that a unit's controls have; of a hat those of its two directions, such as "dpad-left".
[[nodiscard]] std::vector<std::string> roles_of(const Attachment& attachment);

/// True if any seat has something that one of its controls would move.
[[nodiscard]] bool is_of_use(const Plan& plan, const Attachment& attachment);

/// For each of the plan's targets, whether any source is bound to it.
[[nodiscard]] std::vector<bool> bound_targets(const Plan& plan);

/// The names of the ports' targets that are bound to something at this seat, but to none of these roles, in the plan's
/// order.
[[nodiscard]] std::vector<std::string> unserved(const Plan& plan, std::string_view seat,
                                                std::span<const std::string> roles);

/// The roles of a unit's controls that nothing at the attachment's seat is bound to.
[[nodiscard]] std::vector<std::string> idle_roles(const Plan& plan, const Attachment& attachment);

/// The controls of a node that have no role in the attachment, by name (`control_name`); keys of a keyboard are left
/// out. The attachment must be that of the whole unit, since that of a part lacks the controls of the other parts.
[[nodiscard]] std::vector<std::string> roleless_controls(const Description& node, const Attachment& attachment);

}  // namespace omnipar::inline abi_0
