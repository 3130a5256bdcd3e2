// The files of a household, and what is found in them. Calls are as `omnipar/household.hpp` has them, through a door.
#pragma once

#include <optional>
#include <string>

#include "omnipar/household.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::files {

[[nodiscard]] FoundSheets find_sheets(os::Files& door, const HouseholdFiles& files);
[[nodiscard]] tl::expected<FoundRig, Diagnostics> find_rig(os::Files& door, const HouseholdFiles& files);
[[nodiscard]] FoundProfile find_profile(os::Files& door, const std::string& word, const HouseholdFiles& files);

/// Our folder in an XDG base directory, of this variable or below the home; empty without a home.
[[nodiscard]] std::string base_folder(os::Files& door, const char* variable, const char* below_home);
/// The folder of people's own profiles, and that of all they have of Omnipar; empty without a home.
[[nodiscard]] std::string profiles_folder(os::Files& door);
[[nodiscard]] std::string config_folder(os::Files& door);

/// True if the word names a file, not a profile or a machine.
[[nodiscard]] bool is_file(const std::string& word);
/// Where a profile of that name, or that file, lies; empty without a home. And its name.
[[nodiscard]] std::string profile_path(os::Files& door, const std::string& word);
[[nodiscard]] std::string profile_name(const std::string& word);
/// Where the rig lies: empty if there is none, or no home; and beside it the folder of its units' calibrations.
[[nodiscard]] std::string rig_path(os::Files& door, const HouseholdFiles& files);
[[nodiscard]] std::string calibrations_folder(os::Files& door, const HouseholdFiles& files);
/// Why a folder cannot be read; nothing if it can, or is not there.
[[nodiscard]] std::optional<Diagnostic> unreadable_folder(os::Files& door, const std::string& path);

}  // namespace omnipar::inline abi_0::files
