// What was measured and not kept: put by, so that it can still be kept.
#pragma once

#include "omnipar/omnipar.hpp"
#include "sources.hpp"

namespace omnipar::cli {

/// Puts a measurement by, for this unit as the rig has it or will have it; says how to keep it. If that cannot be,
/// prints it. `verb`: unit, or gun.
void put_by(const Sources& sources, const RigUnit& unit, const Calibration& found, const std::string& verb);

/// Keeps what was put by, of the unit of that name or of the only one, and says so. The exit status.
[[nodiscard]] int keep_what_was_put_by(const Sources& sources, const std::string& unit, bool json);

/// What was put by of a unit has been measured again, and kept.
void forget_what_was_put_by(const Sources& sources, const std::string& unit);

}  // namespace omnipar::cli
