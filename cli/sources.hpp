// What a command reads: sheets, a rig, a profile, a room; each from where people keep it, or from where an
// option says.
//
// Where people keep theirs is said in omnipar/household.hpp. Former versions of files lie in
// $XDG_STATE_HOME/omnipar/versions (~/.local/state/…). With --host, of all these only what is named by its file is read
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

/// Where the rig lies, that of --rig or people's own: empty if there is none, without a home, and with --host if it is
/// not named; and beside it the folder of its units' calibrations.
[[nodiscard]] std::string rig_path(os::Door& door, const Sources& sources);
/// The same for writing. Fails with `not-named` and `no-home`.
[[nodiscard]] tl::expected<std::string, Diagnostic> rig_to_write(os::Door& door, const Sources& sources);
[[nodiscard]] std::string calibrations_folder(os::Door& door, const Sources& sources);

/// The rig's units whose seats the plan does not have, as words; empty if there are none.
[[nodiscard]] std::string seated_elsewhere(const Rig& rig, const Plan& plan);

/// The rig with its calibrations. What is wrong with a calibration's file is said.
[[nodiscard]] tl::expected<Rig, Diagnostics> load_rig(os::Door& door, const Sources& sources);

/// `sources.profile`, found.
[[nodiscard]] FoundProfile load(os::Door& door, const Sources& sources);

/// The path of a profile for writing. Fails with `bad-name`, `not-named` and `no-home`.
[[nodiscard]] tl::expected<std::string, Diagnostic> profile_to_write(os::Door& door, const Sources& sources,
                                                                     const std::string& word);
/// The lines of a trace or room; they fail as `read_text` does, and with `line-too-long`.
[[nodiscard]] Lines trace_lines(os::Door& door, const std::string& path);
/// Reads a trace and passes each event to `take`, until that returns false. Fails with the first problem.
[[nodiscard]] std::optional<Diagnostic> read_trace(
    os::Door& door, const std::string& path,
    const std::function<bool(const TraceEvent& event, const Description& unit)>& take);
/// The same with the units as seen by a session with this catalogue: raw reports are passed as their changes.
[[nodiscard]] std::optional<Diagnostic> hear_trace(
    os::Door& door, const std::string& path, const Catalogue& catalogue,
    const std::function<bool(const TraceEvent& event, const Description& unit)>& take);
/// Only its first line.
[[nodiscard]] tl::expected<TraceHead, Diagnostic> read_head(os::Door& door, const std::string& path);
/// What the nodes of a room are called, which have no names of their own.
[[nodiscard]] std::string room_node_name(int number);
/// The nodes of a trace or room that a session with this catalogue would open.
[[nodiscard]] tl::expected<std::vector<Description>, Diagnostic> read_room(os::Door& door, const std::string& path,
                                                                           const Catalogue& catalogue);

/// The readable nodes, and for each HID device its raw node; with `shut`, also such as may not be read.
[[nodiscard]] std::vector<Description> all_nodes(const inspect::Facts& facts, bool shut = false);

/// " --rig FILE" as a suggested command needs it; empty if that is people's own.
[[nodiscard]] std::string same_rig(const Sources& sources);
/// What goes behind the next likely command, for it to speak of the same units: " --host FILE", or nothing.
[[nodiscard]] std::string same_host(const std::string& host);
/// The same for all that these say: sheets, the rig's file and the room.
[[nodiscard]] std::string same_sources(const Sources& sources);

}  // namespace omnipar::cli
