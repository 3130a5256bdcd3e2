// The inputs of a command: sheets, a rig, a profile, a room; each from the user's files, or from where an
// option points.
//
// The locations of the user's files are documented in omnipar/household.hpp. Previous versions of files are in
// $XDG_STATE_HOME/omnipar/versions (~/.local/state/…). With --host, only files that are named explicitly are read
// or written.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include <CLI/CLI.hpp>

#include "files/household.hpp"
#include "inspect/doctor.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/session.hpp"
#include "os/door.hpp"

namespace omnipar::cli {

/// The options that select files and units.
struct Sources {
  std::string profile;            ///< the command's main word, or --profile
  std::string rig;                ///< --rig
  std::vector<std::string> data;  ///< --data
  std::string host;               ///< --host: a trace or room instead of the connected units
};

void add_data_option(CLI::App& command, Sources& sources);
void add_rig_option(CLI::App& command, Sources& sources);
void add_host_option(CLI::App& command, Sources& sources);

/// The file locations. With a room, only files that are named explicitly.
[[nodiscard]] HouseholdFiles household_of(const Sources& sources);
[[nodiscard]] FoundSheets load_shelf(os::Door& door, const Sources& sources);

/// The path of the rig, from --rig or the user's own: empty if there is none, without a home, and with --host if it is
/// not named; and the folder beside it with its units' calibrations.
[[nodiscard]] std::string rig_path(os::Door& door, const Sources& sources);
/// The same for writing. Fails with `not-named` and `no-home`.
[[nodiscard]] tl::expected<std::string, Diagnostic> rig_to_write(os::Door& door, const Sources& sources);
[[nodiscard]] std::string calibrations_folder(os::Door& door, const Sources& sources);

/// The rig's units whose seats are not in the plan, as text; empty if there are none.
[[nodiscard]] std::string seated_elsewhere(const Rig& rig, const Plan& plan);

/// The rig with its calibrations. Problems of calibration files are printed.
[[nodiscard]] tl::expected<Rig, Diagnostics> load_rig(os::Door& door, const Sources& sources);

/// Finds `sources.profile`.
[[nodiscard]] FoundProfile load(os::Door& door, const Sources& sources);

/// The path of a profile for writing. Fails with `bad-name`, `not-named` and `no-home`.
[[nodiscard]] tl::expected<std::string, Diagnostic> profile_to_write(os::Door& door, const Sources& sources,
                                                                     const std::string& word);
/// The lines of a trace or room; they fail as `read_text` does, and with `line-too-long`.
[[nodiscard]] Lines trace_lines(os::Door& door, const std::string& path);
/// Reads a trace and passes each event to `on_event` until that returns false. Fails with the first problem.
[[nodiscard]] std::optional<Diagnostic> read_trace(
    os::Door& door, const std::string& path,
    const std::function<bool(const TraceEvent& event, const Description& unit)>& on_event);
/// The same with the units as seen by a session with this catalogue: raw reports are passed as changes.
[[nodiscard]] std::optional<Diagnostic> hear_trace(
    os::Door& door, const std::string& path, const Catalogue& catalogue,
    const std::function<bool(const TraceEvent& event, const Description& unit)>& on_event);
/// Only its first line.
[[nodiscard]] tl::expected<TraceHead, Diagnostic> read_head(os::Door& door, const std::string& path);
/// Names for the nodes of a room, which have no paths.
[[nodiscard]] std::string room_node_name(int number);
/// The nodes of a trace or room that a session with this catalogue would open.
[[nodiscard]] tl::expected<std::vector<Description>, Diagnostic> read_room(os::Door& door, const std::string& path,
                                                                           const Catalogue& catalogue);

/// The readable nodes, and for each HID device its raw node; with `shut`, also unreadable ones.
[[nodiscard]] std::vector<Description> all_nodes(const inspect::Facts& facts, bool shut = false);

/// " --rig FILE" for a suggested command; empty for the user's own rig.
[[nodiscard]] std::string same_rig(const Sources& sources);
/// Options for a suggested command that refers to the same units: " --host FILE", or nothing.
[[nodiscard]] std::string same_host(const std::string& host);
/// The same for all sources: sheets, the rig's file and the room.
[[nodiscard]] std::string same_sources(const Sources& sources);

}  // namespace omnipar::cli
