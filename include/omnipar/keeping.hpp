// Changes of what a household keeps: its rig, its calibrations and its profiles, in the files that household.hpp finds.
//
// Every change reads the file again, makes this one change and writes it whole, and other programs of ours wait
// meanwhile: what they have changed by then stays. Comments and whatever need not be touched stay as people wrote
// them. What a file was before is kept, the last ten times, and can be brought back. These calls may be made from any
// thread, and by several programs at once; they read and write files, and wait for another program for 2 s at most.
//
//   omnipar::change_rig([](omnipar::Rig& rig) -> std::optional<omnipar::Diagnostic> {
//     rig.units.at(0).seat = "sofa";
//     return std::nullopt;
//   });
//
// Besides what is said of each, they fail with `no-home` (there is no place for it), `not-named` (people's own files do
// not count, and no other is named), `busy-file`, `write-protected`, `not-a-file`, `cannot-write`, `unreadable`, and
// with what is wrong in the file. Then the file is as it was.
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

/// The rig's file, which may be a new one.
[[nodiscard]] tl::expected<std::string, Diagnostic> rig_file(const HouseholdFiles& files = {});
/// A profile's file by its name or path, as `find_profile` has it; it may be a new one. Fails with `bad-name`, too.
[[nodiscard]] tl::expected<std::string, Diagnostic> profile_file(std::string_view word,
                                                                 const HouseholdFiles& files = {});
/// What a file was before its last changes, the newest first: paths of whole files, to be read and copied only.
[[nodiscard]] std::vector<std::string> former_versions(std::string_view path);

// -- the rig --------------------------------------------------------------------------------------------------

/// Changes the rig that it is given. It is called at most once, while the file is locked, so it must not call anything
/// of this header. A diagnostic that it returns is what the call fails with; then nothing is written.
using RigChange = std::function<std::optional<Diagnostic>(Rig&)>;
/// Changes units and screens (not calibrations: they have files of their own). A unit that is renamed keeps its
/// calibration. True if that changed anything. Fails with `cannot-edit` where only a person should change the file.
[[nodiscard]] tl::expected<bool, Diagnostics> change_rig(const RigChange& change, const HouseholdFiles& files = {});
/// Brings the rig back as it was before its last change. The path of what was undone. Fails with `nothing-to-undo`.
[[nodiscard]] tl::expected<std::string, Diagnostics> undo_rig(const HouseholdFiles& files = {});
/// Adds a unit (see `new_unit`), with another number if another one has its name; one that is there already stays as it
/// is. The unit as it is in the rig.
[[nodiscard]] tl::expected<RigUnit, Diagnostics> add_unit(const RigUnit& unit, const HouseholdFiles& files = {});

// -- calibrations ---------------------------------------------------------------------------------------------

/// Changes what has been measured on a unit of the rig. Its file is created if there is none.
using CalibrationChange = std::function<void(Calibration&)>;
struct KeptCalibration {
  std::string file;
  std::string unit;  ///< what the unit is called by now
};
/// `unit` is its entry in the rig as it was read earlier. The unit is found again even if it has been renamed or given
/// another seat since then. Fails with `kept-otherwise` if what can be read afterwards is not
/// what was measured.
///
///   change_calibration(unit, [&](Calibration& all) { all = merged(all, calibrating.found()); });
[[nodiscard]] tl::expected<KeptCalibration, Diagnostics> change_calibration(const RigUnit& unit,
                                                                            const CalibrationChange& change,
                                                                            const HouseholdFiles& files = {});

// -- profiles -------------------------------------------------------------------------------------------------

using ProfileChange = std::function<std::optional<Diagnostic>(Profile&)>;
/// Changes a profile that is there. True if that changed anything. Fails with `no-file`, with what would be wrong with
/// the new profile, and with `cannot-edit`.
[[nodiscard]] tl::expected<bool, Diagnostics> change_profile(std::string_view word, const ProfileChange& change,
                                                             const HouseholdFiles& files = {});
/// Writes a profile that was not there, under the name that its file has. The file. Fails with `name-twice`.
[[nodiscard]] tl::expected<std::string, Diagnostics> add_profile(std::string_view word, Profile profile,
                                                                 const HouseholdFiles& files = {});
/// Brings a profile back as it was before its last change. The path of what was undone. Fails with `nothing-to-undo`.
[[nodiscard]] tl::expected<std::string, Diagnostics> undo_profile(std::string_view word,
                                                                  const HouseholdFiles& files = {});

}  // namespace omnipar::inline abi_0
