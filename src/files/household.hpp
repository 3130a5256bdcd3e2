// The files of a household and their contents: the calls of `omnipar/household.hpp`, through a door.
#pragma once

#include <optional>
#include <string>

#include "omnipar/household.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::files {

[[nodiscard]] FoundSheets find_sheets(os::Files& door, const HouseholdFiles& files);
[[nodiscard]] tl::expected<FoundRig, Diagnostics> find_rig(os::Files& door, const HouseholdFiles& files);
[[nodiscard]] FoundProfile find_profile(os::Files& door, const std::string& word, const HouseholdFiles& files);

/// Our folder in an XDG base directory, from this variable or below the home folder; empty without a home.
[[nodiscard]] std::string base_folder(os::Files& door, const char* variable, const char* below_home);
/// The folder of the user's profiles, and that of all the user's Omnipar files; empty without a home.
[[nodiscard]] std::string profiles_folder(os::Files& door);
[[nodiscard]] std::string config_folder(os::Files& door);

/// True if the word names a file, not a profile or a machine.
[[nodiscard]] bool is_file(const std::string& word);
/// The path of a profile with that name, or of that file; empty without a home. And its name.
[[nodiscard]] std::string profile_path(os::Files& door, const std::string& word);
[[nodiscard]] std::string profile_name(const std::string& word);
/// The path of the rig: empty if there is none, or no home; and the folder beside it with its units' calibrations.
[[nodiscard]] std::string rig_path(os::Files& door, const HouseholdFiles& files);
[[nodiscard]] std::string calibrations_folder(os::Files& door, const HouseholdFiles& files);
/// Why a folder cannot be read; nothing if it can, or does not exist.
[[nodiscard]] std::optional<Diagnostic> unreadable_folder(os::Files& door, const std::string& path);

}  // namespace omnipar::inline abi_0::files
