// Suggests the next command for the connected units.
#pragma once

#include <string>
#include <vector>

#include "omnipar/catalogue.hpp"

namespace omnipar::cli {

/// Returns a machine that suits controls with these roles: one with the same kind of aiming or steering, otherwise the
/// simplest for which they are sufficient. Empty if there is none.
[[nodiscard]] std::string machine_for(const Catalogue& catalogue, const std::vector<std::string>& roles);

/// The command that plays on it, or, if there is none, the one that lists the machines; `options` follow the machine's
/// name.
[[nodiscard]] std::string play_command(const Catalogue& catalogue, const std::vector<std::string>& roles,
                                       const std::string& options);

}  // namespace omnipar::cli
