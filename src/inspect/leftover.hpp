// Connected devices and controls that are not used, listed so that users need not search for them.
#pragma once

#include <string>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"

namespace omnipar::inline abi_0::inspect {

/// A unit that could be played if a sheet described it: an external mouse, trackball or keyboard.
struct Other {
  std::string name;   ///< as an argument of `omnipar catalogue report`
  std::string words;  ///< "\"Marrowby Ball\" (mouse)"
};

/// The nodes that belong to no playable unit; similar ones are listed once, with their number.
[[nodiscard]] std::vector<Other> others(const Catalogue& catalogue, const std::vector<Description>& nodes);

/// The names of a unit's controls without a role in any of its parts; also for units with a sheet. `main` comes first.
[[nodiscard]] std::vector<std::string> without_role(const Catalogue& catalogue, const std::vector<Description>& nodes);

}  // namespace omnipar::inline abi_0::inspect
