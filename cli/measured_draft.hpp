// Measurements that were not saved: stored so that they can still be saved.
#pragma once

#include "omnipar/omnipar.hpp"
#include "sources.hpp"

namespace omnipar::cli {

/// Stores an unsaved measurement of a unit and prints how to save it. If it cannot be stored, prints it. `verb`: unit
/// or gun.
void put_by(const Sources& sources, const RigUnit& unit, const Calibration& found, const std::string& verb);

/// Saves the stored measurement of the unit with this name, or of the only one. Returns the exit status.
[[nodiscard]] int keep_what_was_put_by(const Sources& sources, const std::string& unit, bool json);

/// The stored measurement of a unit is obsolete, because a newer one was saved.
void forget_what_was_put_by(const Sources& sources, const std::string& unit);

}  // namespace omnipar::cli
