// Finding the user's sheets, rig and profiles.
//
// The user's files are in $XDG_CONFIG_HOME/omnipar (~/.config/omnipar): profiles/NAME.toml, sheets/*.toml, rig.toml and
// calibrations/*.toml. Functions in this header never write. A missing file is an error only if it was named
// explicitly.
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
  std::string rig{};                  ///< a rig file to use instead of the user's
  std::vector<std::string> sheets{};  ///< additional sheet files, or folders of them
  bool own_files = true;              ///< uses the user's files; false: only the files named here
};

/// The shipped sheets, the user's sheets and the additional ones, with all problems. Invalid sheets are omitted; all
/// others are loaded.
struct FoundSheets {
  Catalogue catalogue;
  Diagnostics problems;
};
[[nodiscard]] FoundSheets find_sheets(const HouseholdFiles& files = {});

/// A rig with its calibrations, and problems in calibration files.
struct FoundRig {
  Rig rig;
  Diagnostics problems;
};
/// Loads the rig. Returns an empty rig if there is no file. Invalid calibration files are reported in `problems` and
/// omitted. Fails if the rig file cannot be read (`no-file`, `unreadable` …), or with all errors in it.
[[nodiscard]] tl::expected<FoundRig, Diagnostics> find_rig(const HouseholdFiles& files = {});

/// A profile with everything it requires.
struct FoundProfile {
  Catalogue catalogue;             ///< including machines in the profile's file
  std::optional<Profile> profile;  ///< also set if it has errors
  std::optional<Plan> plan;        ///< the compiled profile, or nothing if it has errors
  Diagnostics problems;
  Diagnostics elsewhere;   ///< problems in other files, which may be irrelevant
  bool readable = true;    ///< false if the file is invalid, rather than what it requests
  std::string contents{};  ///< a description of the file's contents, if it has no profile
};
/// Finds a profile. `word` is a file if it contains '/' or ends in ".toml"; machines in that file can be used.
/// Otherwise it is the name of a user's profile, or of a machine, whose default bindings are used with the rig's seats.
[[nodiscard]] FoundProfile find_profile(std::string_view word, const HouseholdFiles& files = {});

/// Replaces the seats of a machine's default profile by the rig's seats, in their order. Seats that both have are
/// unchanged.
[[nodiscard]] Profile with_seats_of(const Rig& rig, Profile proposal);

}  // namespace omnipar::inline abi_0
