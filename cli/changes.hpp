// Changes of a household's files by commands, and their messages.
#pragma once

#include "files/keeping.hpp"
#include "omnipar/omnipar.hpp"
#include "sources.hpp"

#include <tl/expected.hpp>

namespace omnipar::cli {

/// Prints the problems and returns the exit status.
[[nodiscard]] int refuse_file(const Diagnostics& problems);

/// Changes the rig, prints problems and returns the exit status.
[[nodiscard]] int change_rig(const Sources& sources, const RigChange& change);

/// The rig's unit with this name; fails with `unknown-unit`.
[[nodiscard]] tl::expected<RigUnit*, Diagnostic> named_unit(Rig& rig, const std::string& name);

/// Changes the unit's calibration. Fails as `omnipar::change_calibration` does.
[[nodiscard]] tl::expected<KeptCalibration, Diagnostics> change_calibration(const Sources& sources, const RigUnit& unit,
                                                                            const CalibrationChange& change);

/// "… is again as it was before the last change"; before the first one there was no file.
[[nodiscard]] std::string undone_words(os::Door& door, const std::string& path);

}  // namespace omnipar::cli
