// Changing the user's rig, calibrations and profiles, in the files that household.hpp finds.
//
// Every function reads the file again under a lock, makes one change and writes the whole file, so that changes by
// other Omnipar processes are preserved. Comments and unrelated lines are preserved as well. The last ten versions are
// saved and can be restored. The functions can be called from any thread and from several processes at once. They read
// and write files, and wait up to 2 s for another process.
//
//   omnipar::change_rig([](omnipar::Rig& rig) -> std::optional<omnipar::Diagnostic> {
//     rig.units.at(0).seat = "sofa";
//     return std::nullopt;
//   });
//
// All functions can fail with `no-home` (there is no home folder), `not-named` (the user's files are not used, and no
// file is named), `busy-file`, `write-protected`, `not-a-file`, `cannot-write`, `unreadable`, and with the errors in
// the file. After a failure the file is unchanged.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/diagnostic.hpp"
#include "omnipar/household.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/rig.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

// -- where things lie -----------------------------------------------------------------------------------------

/// Returns the path of the rig file, which may not exist yet.
[[nodiscard]] tl::expected<std::string, Diagnostic> rig_file(const HouseholdFiles& files = {});
/// Returns the path of a profile by name or path, as for `find_profile`. It may not exist yet. Also fails with
/// `bad-name`.
[[nodiscard]] tl::expected<std::string, Diagnostic> profile_file(std::string_view word,
                                                                 const HouseholdFiles& files = {});
/// Returns the paths of a file's previous versions, the newest first. They are whole files that may be read or copied.
[[nodiscard]] std::vector<std::string> former_versions(std::string_view path);

// -- the rig --------------------------------------------------------------------------------------------------

/// Changes a rig. Called at most once, while the file is locked, so it must not call functions of this header. If it
/// returns a diagnostic, nothing is written and the call fails with it.
using RigChange = std::function<std::optional<Diagnostic>(Rig&)>;
/// Changes units and screens of the rig. (Calibrations have their own files.) A renamed unit keeps its calibration.
/// Returns true if anything changed. Fails with `cannot-edit` if the file must be edited by hand.
[[nodiscard]] tl::expected<bool, Diagnostics> change_rig(const RigChange& change, const HouseholdFiles& files = {});
/// Undoes the last change of the rig. Returns the path where the undone version is saved. Fails with `nothing-to-undo`.
[[nodiscard]] tl::expected<std::string, Diagnostics> undo_rig(const HouseholdFiles& files = {});
/// Adds a unit (see `new_unit`), with a number if its name is in use. A unit that is already in the rig is unchanged.
/// Returns the unit as stored.
[[nodiscard]] tl::expected<RigUnit, Diagnostics> add_unit(const RigUnit& unit, const HouseholdFiles& files = {});

// -- calibrations ---------------------------------------------------------------------------------------------

/// Changes the calibration of a unit.
using CalibrationChange = std::function<void(Calibration&)>;
struct KeptCalibration {
  std::string file;
  std::string unit;  ///< the unit's current name
};
/// Changes the calibration of a unit. Creates its file if necessary. `unit` is its entry from an earlier read of the
/// rig; it is found even if it was renamed or moved since. Fails with `kept-otherwise` if the written file does not
/// read back as expected.
///
///   change_calibration(unit, [&](Calibration& all) { all = merged(all, calibrating.found()); });
[[nodiscard]] tl::expected<KeptCalibration, Diagnostics> change_calibration(const RigUnit& unit,
                                                                            const CalibrationChange& change,
                                                                            const HouseholdFiles& files = {});

// -- profiles -------------------------------------------------------------------------------------------------

using ProfileChange = std::function<std::optional<Diagnostic>(Profile&)>;
/// Changes an existing profile. Returns true if anything changed. Fails with `no-file`, with the errors of the new
/// profile, and with `cannot-edit`.
[[nodiscard]] tl::expected<bool, Diagnostics> change_profile(std::string_view word, const ProfileChange& change,
                                                             const HouseholdFiles& files = {});
/// Writes a new profile, named after its file. Returns the path. Fails with `name-twice` if it exists.
[[nodiscard]] tl::expected<std::string, Diagnostics> add_profile(std::string_view word, Profile profile,
                                                                 const HouseholdFiles& files = {});
/// Undoes the last change of a profile. Returns the path where the undone version is saved. Fails with
/// `nothing-to-undo`.
[[nodiscard]] tl::expected<std::string, Diagnostics> undo_profile(std::string_view word,
                                                                  const HouseholdFiles& files = {});

}  // namespace omnipar::inline abi_0
