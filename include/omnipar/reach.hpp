// Which targets a seat's controls can move: whether a unit is of any use, and what a seat lacks.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
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

}  // namespace omnipar::inline abi_0
