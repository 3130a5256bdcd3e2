// Which control reaches which target, link by link, and where a way stops.
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

/// One way from a source to a target.
struct Link {
  std::string seat;
  std::string source;  ///< a role, or one direction of a stick
  std::string shape;   ///< what happens on the way, in words; empty if nothing does
  int port = 0;        ///< 0: a hotkey
  std::string controller;
  std::string target;
  std::string origin;  ///< "default", "own", "like port 1", "built in"
  std::string place;   ///< where it is written; empty for default sources
  Use use{};           ///< of a port's target: with all that is said of it
  TargetKind kind = TargetKind::button;
  NativeRange native{};
  std::optional<plan::GamePlace> game{};  ///< of what points: where the game is on its screen
  std::optional<double>
      measured_zone{};  ///< the dead zone that the seat's unit was measured to need, where none is set
};
/// Gives links the dead zones of the units that the rig has at their seats, as the engine uses them. A unit need not be
/// connected: what its axes are is by the kernel's convention, or else by the sheets.
void take_measured(std::vector<Link>& links, const Catalogue& catalogue, const Rig& rig);

/// What becomes of a value on a way, stage by stage.
struct StageValue {
  std::string stage;  ///< in words
  std::string value;
  std::vector<double> numbers{};  ///< the same as numbers, x before y; empty where it is a word
};

/// Where a push of a stick or axis is behind all its shapes, -1..1 each way; nothing for what is no position.
[[nodiscard]] std::optional<std::pair<double, double>> shaped_push(const Link& link, double x, double y);
/// The way of a control that is pushed to `x` and `y` (of a button or a trigger `x` alone; of what points, so far from
/// the screen's middle to its edges): first the value that comes in, then that behind each stage, in the end the
/// machine's own numbers. Nothing for hotkeys.
[[nodiscard]] std::vector<StageValue> stage_values(const Link& link, double x, double y);

/// All ways of a profile that compiles, port by port in the order of the sheet, then the hotkeys. A target
/// that is empty on purpose has one link with an empty source.
[[nodiscard]] std::vector<Link> links(const Catalogue& catalogue, const Profile& profile);

/// What a profile that compiles asks for and a game will not see as it is meant: warnings, each with its place.
[[nodiscard]] Diagnostics remarks(const Catalogue& catalogue, const Profile& profile);

/// "at once", or "held for 300 ms".
[[nodiscard]] std::string held_words(Duration time);

/// True if a source takes part in what a role does: itself, one of its directions, or the whole that it is a
/// direction of.
[[nodiscard]] bool concerns(std::string_view source, std::string_view role);

/// A target that would take the role by default, but does not: the profile gives it other sources.
struct Stop {
  int port = 0;
  std::string seat;
  std::string target;
  std::string place;  ///< where the other sources are written
};
[[nodiscard]] std::vector<Stop> stops(const Catalogue& catalogue, const Profile& profile, std::string_view role);

/// What a raw code may be: by the kernel's convention, and by the unit sheets that have it; each role once.
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
