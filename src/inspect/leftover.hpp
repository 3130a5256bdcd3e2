// Connected devices and controls that are not used, listed so that users need not search for them.
#pragma once

#include <string>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"

namespace omnipar::inline abi_0::inspect {

/// A unit that could be played on if a sheet said how: a mouse, a ball, a keyboard that came from outside.
struct Other {
  std::string name;   ///< as `omnipar catalogue report` takes it
  std::string words;  ///< "\"Marrowby Ball\" (mouse)"
};

/// Those of the nodes that are of no unit that is played on, things that look alike once, with their number.
[[nodiscard]] std::vector<Other> others(const Catalogue& catalogue, const std::vector<Description>& nodes);

/// The names of a unit's controls that have no role in any of its parts; of units with a sheet too. `main` comes first.
[[nodiscard]] std::vector<std::string> without_role(const Catalogue& catalogue, const std::vector<Description>& nodes);

}  // namespace omnipar::inline abi_0::inspect
