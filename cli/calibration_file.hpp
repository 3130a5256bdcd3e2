// The file of a unit's calibration.
#pragma once

#include <string>

#include "omnipar/omnipar.hpp"
#include "os/door.hpp"
#include "sources.hpp"

#include <tl/expected.hpp>

namespace omnipar::cli {

/// Where it lies: it is named after the unit, with a number if that name is another unit's already.
[[nodiscard]] std::string calibration_path(os::Door& door, const Sources& sources, const std::string& unit);

/// Writes it, and reads it again: certain is only that. The path. Fails as `change_file` does, and with
/// `kept-otherwise`.
[[nodiscard]] tl::expected<std::string, Diagnostics> keep_calibration(os::Door& door, const Sources& sources,
                                                                      const Calibration& calibration);

}  // namespace omnipar::cli
