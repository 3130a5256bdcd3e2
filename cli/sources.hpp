// What a command reads: sheets, a rig, a profile, a room; each from where people keep it, or from where an
// option says.
//
// People keep theirs in $XDG_CONFIG_HOME/omnipar (~/.config/omnipar): profiles/NAME.toml, sheets/*.toml and
// rig.toml, and beside it calibrations/*.toml. Former versions of files lie in $XDG_STATE_HOME/omnipar/versions
// (~/.local/state/…). With --host, of all these only what is named by its file is read or written.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include <CLI/CLI.hpp>

#include "inspect/doctor.hpp"
#include "omnipar/omnipar.hpp"
#include "os/door.hpp"

namespace omnipar::cli {

/// The options that say where things come from.
struct Sources {
  std::string profile;            ///< the command's main word, or --profile
  std::string rig;                ///< --rig
  std::vector<std::string> data;  ///< --data
  std::string host;               ///< --host: a trace or room in place of the units that are there
};

void add_data_option(CLI::App& command, Sources& sources);
void add_rig_option(CLI::App& command, Sources& sources);
void add_host_option(CLI::App& command, Sources& sources);

/// The shipped sheets, people's own, and those of --data, with what is wrong in these files: a sheet that
/// is bad is left out, the others are there.
struct Shelf {
  Catalogue catalogue;
  Diagnostics problems;
};
[[nodiscard]] Shelf load_shelf(os::Door& door, const Sources& sources);

/// Where the rig lies, that of --rig or people's own: empty if there is none, without a home, and with --host if it is
/// not named; and beside it the folder of its units' calibrations.
[[nodiscard]] std::string rig_path(os::Door& door, const Sources& sources);
/// The same for somebody who writes it: fails with `not-named` and `no-home`.
[[nodiscard]] tl::expected<std::string, Diagnostic> rig_to_write(os::Door& door, const Sources& sources);
[[nodiscard]] std::string calibrations_folder(os::Door& door, const Sources& sources);

/// A proposal for a machine is played from the rig's seats, in the rig's order: seats that both have stay, and the
/// others of the rig take the place of the proposal's own.
[[nodiscard]] Profile with_seats_of(const Rig& rig, Profile proposal);
/// The rig's units whose seats the plan does not have, as words; empty if there are none.
[[nodiscard]] std::string seated_elsewhere(const Rig& rig, const Plan& plan);

/// The rig with its calibrations; empty if there is none. What is wrong with a calibration's file is said, and the
/// others count all the same.
[[nodiscard]] tl::expected<Rig, Diagnostics> load_rig(os::Door& door, const Sources& sources);

/// A profile with all that it needs.
struct Given {
  Catalogue catalogue;
  std::optional<Profile> profile;
  std::optional<Plan> plan;
  Diagnostics problems;
  Diagnostics elsewhere;  ///< in files that the profile may not even need
  bool readable = true;   ///< false if the file itself is bad, and not only what it asks for
  std::string held{};     ///< what else the file holds, in words, if it has no profile
};

/// `sources.profile` is a file if it has a '/' or ends in ".toml", and then sheets of machines in the same file
/// count; else the name of a profile of one's own; else a machine, and its proposed profile is taken.
[[nodiscard]] Given load(os::Door& door, const Sources& sources);

/// Where a profile of that name, or that file, lies; empty without a home. And its name.
[[nodiscard]] std::string profile_path(os::Door& door, const std::string& word);
[[nodiscard]] std::string profile_name(const std::string& word);
/// The same for somebody who writes it: fails with `bad-name`, `not-named` and `no-home`.
[[nodiscard]] tl::expected<std::string, Diagnostic> profile_to_write(os::Door& door, const Sources& sources,
                                                                     const std::string& word);
/// Where the former versions of a file are kept.
[[nodiscard]] std::string versions_of(os::Door& door, const std::string& path);
/// Why a folder cannot be read; nothing if it can, or is not there.
[[nodiscard]] std::optional<Diagnostic> unreadable_folder(os::Door& door, const std::string& path);
/// The folder of people's own profiles, and that of all they have of Omnipar; empty without a home.
[[nodiscard]] std::string profiles_folder(os::Door& door);
[[nodiscard]] std::string config_folder(os::Door& door);

/// Reads a trace to its end; every event goes to `take` until that says false. Fails with the first problem.
[[nodiscard]] std::optional<Diagnostic> read_trace(
    os::Door& door, const std::string& path,
    const std::function<bool(const TraceEvent& event, const Description& unit)>& take);
/// The same, as a session with this catalogue would hear the units: raw reports come as the changes that they make.
[[nodiscard]] std::optional<Diagnostic> hear_trace(
    os::Door& door, const std::string& path, const Catalogue& catalogue,
    const std::function<bool(const TraceEvent& event, const Description& unit)>& take);
/// Only its first line.
[[nodiscard]] tl::expected<TraceHead, Diagnostic> read_head(os::Door& door, const std::string& path);
/// What the nodes of a room are called, which have no names of their own.
[[nodiscard]] std::string room_node_name(int number);
/// The nodes that a trace or room describes, of which a session with this catalogue would hear.
[[nodiscard]] tl::expected<std::vector<Description>, Diagnostic> read_room(os::Door& door, const std::string& path,
                                                                           const Catalogue& catalogue);

/// The readable nodes, and for each HID device its raw node; with `shut`, also such as may not be read.
[[nodiscard]] std::vector<Description> all_nodes(const inspect::Facts& facts, bool shut = false);

/// What goes behind the next likely command, for it to speak of the same units: " --host FILE", or nothing.
[[nodiscard]] std::string same_host(const std::string& host);

}  // namespace omnipar::cli
