// Which control reaches which target, link by link, and where a connection ends.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/rig.hpp"
#include "plan/game_place.hpp"

namespace omnipar::inline abi_0::inspect {

/// One connection from a source to a target.
struct Link {
  std::string seat;
  std::string source;  ///< a role, or one direction of a stick
  std::string shape;   ///< the stages on the way, as text; empty if there are none
  int port = 0;        ///< 0: a hotkey
  std::string controller;
  std::string target;
  std::string origin;  ///< "default", "own", "like port 1", "built in"
  std::string place;   ///< where its binding is written; empty for default sources
  Use use{};           ///< of a port's target: with all its settings
  TargetKind kind = TargetKind::button;
  NativeRange native{};
  std::optional<plan::GamePlace> game{};  ///< of a pointer: the game's area on its screen
  std::optional<double> measured_zone{};  ///< the dead zone from the calibration of the seat's unit, if none is set
};
/// Gives links the dead zones of the rig's units at their seats, as the engine uses them. A unit need not be
/// connected: its axes follow from the kernel's convention, or else from the sheets.
void apply_calibrations(std::vector<Link>& links, const Catalogue& catalogue, const Rig& rig);

/// A value along a connection, stage by stage.
struct StageValue {
  std::string stage;  ///< as text
  std::string value;
  std::vector<double> numbers{};  ///< the same as numbers, x before y; empty if it is not a number
};

/// The position of a push of a stick or axis after all its shapes, -1..1 along each axis; nothing for other values.
[[nodiscard]] std::optional<std::pair<double, double>> shaped_push(const Link& link, double x, double y);
/// The values of a control pushed to `x` and `y` (for a button or a trigger only `x`; for a pointer the fraction of the
/// distance from the screen's centre to its edges): first the input, then the value after each stage, finally the
/// machine's own numbers. Nothing for hotkeys.
[[nodiscard]] std::vector<StageValue> stage_values(const Link& link, double x, double y);

/// All connections of a valid profile, port by port in the order of the sheet, then the hotkeys. A target
/// that is deliberately unassigned has one link with an empty source.
[[nodiscard]] std::vector<Link> links(const Catalogue& catalogue, const Profile& profile);

/// Settings of a valid profile that a game will not see as intended: warnings, each with its position.
[[nodiscard]] Diagnostics remarks(const Catalogue& catalogue, const Profile& profile);

/// "at once", or "held for 300 ms".
[[nodiscard]] std::string held_words(Duration time);

/// True if a source is involved in what a role does: the role itself, one of its directions, or the whole that it is a
/// direction of.
[[nodiscard]] bool concerns(std::string_view source, std::string_view role);

/// A target that the role would move by default, but does not: the profile gives it other sources.
struct Stop {
  int port = 0;
  std::string seat;
  std::string target;
  std::string place;  ///< where the other sources are written
};
[[nodiscard]] std::vector<Stop> stops(const Catalogue& catalogue, const Profile& profile, std::string_view role);

/// The possible roles of a raw code: by the kernel's convention, and by the unit sheets that have it; each role once.
struct Meaning {
  std::string by;  ///< "the kernel's gamepad convention", or a sheet's title, or two of them
  std::string role;
  int says = 1;  ///< the number of sources; `by` names the first two
};
[[nodiscard]] std::vector<Meaning> meanings(const Catalogue& catalogue, Code code);
/// The same for a raw report control such as "hid:0/x#2", which only sheets can define.
[[nodiscard]] std::vector<Meaning> meanings(const Catalogue& catalogue, std::string_view raw_control);
/// The roles of a control with this name, "BTN_SOUTH" or "hid:0/x#2", on the connected units; `by` names a unit.
[[nodiscard]] std::vector<Meaning> meanings(const Catalogue& catalogue, std::span<const Description> nodes,
                                            std::string_view name);

}  // namespace omnipar::inline abi_0::inspect
