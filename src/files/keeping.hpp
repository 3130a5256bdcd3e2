// Changes of a household's files: the calls of `omnipar/keeping.hpp`, through a door.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "files/edits.hpp"
#include "omnipar/keeping.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::files {

[[nodiscard]] tl::expected<std::string, Diagnostic> rig_file(os::Files& door, const HouseholdFiles& files);
[[nodiscard]] tl::expected<std::string, Diagnostic> profile_file(os::Files& door, const std::string& word,
                                                                 const HouseholdFiles& files);
/// The folder of a file's previous versions: in the user's state folder, or beside the file if there is no home folder.
[[nodiscard]] std::string versions_of(os::Files& door, const std::string& path);

[[nodiscard]] tl::expected<bool, Diagnostics> change_rig(os::Files& door, const HouseholdFiles& files,
                                                         const RigChange& change);
[[nodiscard]] tl::expected<std::string, Diagnostics> undo_rig(os::Files& door, const HouseholdFiles& files);
[[nodiscard]] tl::expected<RigUnit, Diagnostics> add_unit(os::Files& door, const HouseholdFiles& files,
                                                          const RigUnit& unit);

/// The current or future file of a unit's calibration: a new file is named after the unit, with a number if that name
/// is taken.
[[nodiscard]] std::string calibration_path(os::Files& door, const HouseholdFiles& files, const std::string& unit);
[[nodiscard]] tl::expected<KeptCalibration, Diagnostics> change_calibration(os::Files& door,
                                                                            const HouseholdFiles& files,
                                                                            const RigUnit& unit,
                                                                            const CalibrationChange& change);

/// Applies edits to an existing profile. Returns true if anything changed.
[[nodiscard]] tl::expected<bool, Diagnostics> edit_profile(os::Files& door, const std::string& path,
                                                           const Catalogue& catalogue, const std::vector<Edit>& edits);
/// Writes a profile to a new file.
[[nodiscard]] std::optional<Diagnostics> write_new_profile(os::Files& door, const std::string& path,
                                                           const Profile& profile);

}  // namespace omnipar::inline abi_0::files
