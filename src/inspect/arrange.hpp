// The layout of controls and targets, in millimetres: as sheets place them, otherwise as on a common pad. Drawings in
// cells and in pixels start from it.
#pragma once

#include <cstddef>
#include <vector>

#include "inspect/seen.hpp"

namespace omnipar::inline abi_0::inspect {

/// One item to draw, relative to the upper left. A cross of one control is drawn as its four directions (as in
/// `direction_names`).
struct Placed {
  std::size_t index = 0;  ///< of the unit's control, or of the port's target
  int direction = -1;
  double x = 0;
  double y = 0;
};

/// The unit's controls: by its sheet if that places all known ones, otherwise by their roles; those without a place are
/// in rows below. Empty if none has a place: then a list is clearer.
[[nodiscard]] std::vector<Placed> arranged(const SeenUnit& unit);
/// The port's targets, at the places of their roles; those without one are in a row below.
[[nodiscard]] std::vector<Placed> arranged(const SeenPort& port);

}  // namespace omnipar::inline abi_0::inspect
