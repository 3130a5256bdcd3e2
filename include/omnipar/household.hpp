// What a household keeps: its sheets, its rig and its profiles, found where people keep them, or where they are named.
//
// People keep theirs in $XDG_CONFIG_HOME/omnipar (~/.config/omnipar): profiles/NAME.toml, sheets/*.toml and rig.toml,
// and beside it calibrations/*.toml. Nothing here writes; a file that is not there is no error unless it is named.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/rig.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

/// Where to look.
struct HouseholdFiles {
  std::string rig{};                  ///< a file, in the place of people's own
  std::vector<std::string> sheets{};  ///< more files of sheets, or folders of them
  bool own_files = true;              ///< people's own count; without it only what is named
};

/// The shipped sheets, people's own, and those that are named, with what is wrong in these files: a sheet that is bad
/// is left out, the others are there.
struct FoundSheets {
  Catalogue catalogue;
  Diagnostics problems;
};
[[nodiscard]] FoundSheets find_sheets(const HouseholdFiles& files = {});

/// The rig with its calibrations; without units if there is none. What is wrong with a calibration's file is among the
/// problems, and the others count all the same. Fails as reading the file does (`no-file`, `unreadable` …), and with
/// all that is wrong in it.
struct FoundRig {
  Rig rig;
  Diagnostics problems;
};
[[nodiscard]] tl::expected<FoundRig, Diagnostics> find_rig(const HouseholdFiles& files = {});

/// A profile with all that it needs.
struct FoundProfile {
  Catalogue catalogue;             ///< with the machines of the profile's own file
  std::optional<Profile> profile;  ///< also one that has errors, for looking on
  std::optional<Plan> plan;        ///< it, compiled; nothing if that is not possible
  Diagnostics problems;
  Diagnostics elsewhere;   ///< in files that the profile may not even need
  bool readable = true;    ///< false if the file itself is bad, and not only what it asks for
  std::string contents{};  ///< what else is in the file, in words, if it has no profile
};
/// `word` is a file if it has a '/' or ends in ".toml", and then sheets of machines in the same file count; else the
/// name of a profile of people's own; else a machine, and its proposed profile is taken, with the rig's seats.
[[nodiscard]] FoundProfile find_profile(std::string_view word, const HouseholdFiles& files = {});

/// A proposal for a machine is played from the rig's seats, in the rig's order: seats that both have stay, and the
/// others of the rig take the place of the proposal's own.
[[nodiscard]] Profile with_seats_of(const Rig& rig, Profile proposal);

}  // namespace omnipar::inline abi_0
