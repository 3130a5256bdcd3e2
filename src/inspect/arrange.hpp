// Where controls and targets lie beside each other, in millimetres: as sheets place them, else as on a common pad. A
// drawing in cells and one in pixels begin here.
#pragma once

#include <cstddef>
#include <vector>

#include "inspect/seen.hpp"

namespace omnipar::inline abi_0::inspect {

/// One thing to draw, from the upper left. A cross of one control is drawn as its four directions (as in
/// `direction_names`).
struct Placed {
  std::size_t index = 0;  ///< of the unit's control, or of the port's target
  int direction = -1;
  double x = 0;
  double y = 0;
};

/// The unit's controls: by its sheet if that places all that it knows, else by their roles; those without a place stand
/// in rows below. Empty if none has a place: then a list is plainer.
[[nodiscard]] std::vector<Placed> arranged(const SeenUnit& unit);
/// The port's targets, by the roles whose places they have; those without one stand in a row below.
[[nodiscard]] std::vector<Placed> arranged(const SeenPort& port);

}  // namespace omnipar::inline abi_0::inspect
