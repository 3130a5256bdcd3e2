// What to do next with the units that are there.
#pragma once

#include <string>
#include <vector>

#include "omnipar/catalogue.hpp"

namespace omnipar::cli {

/// A machine for which controls of these roles have what is needed: one that is aimed or steered likewise, or else the
/// plainest, if they have most of that. Empty if there is none.
[[nodiscard]] std::string machine_for(const Catalogue& catalogue, const std::vector<std::string>& roles);

/// The command that plays on it, or, if there is none, that lists the machines; `options` follow the machine's name.
[[nodiscard]] std::string play_command(const Catalogue& catalogue, const std::vector<std::string>& roles,
                                       const std::string& options);

}  // namespace omnipar::cli
