// Common parts of the verbs of `omnipar calibrate`.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "command.hpp"
#include "sources.hpp"
#include "watch_loop.hpp"
#include "watching.hpp"

namespace omnipar::cli {

struct CalibrateArguments {
  Sources sources;
  std::string unit;
  std::string seat;
  std::string picture;
  std::vector<std::string> only;
  double seconds = 600;
  double from = 0;
  double speed = 1;
  bool step = false;
  bool marks = false;
  bool no_pushes = false;
  bool forget = false;
  bool resume = false;
  bool with_virtual = false;
  bool json = false;
  // of guns
  std::string screen;
  std::string area;
  std::string check;  ///< a profile
  int shots = 5;
  int port = 0;
  bool page = false;
  bool no_test = false;
  bool sweep = false;
};

struct ScreenArguments {
  Sources sources;
  std::string name;
  std::string size;
  std::string at;
  std::string turned;
  std::string area;
  std::string rectangle;
  double scale = 0;
  bool forget = false;
  bool json = false;
};

/// The rig; an empty one if it does not exist yet. Its status, if it cannot be read.
[[nodiscard]] tl::expected<Rig, int> rig_to_measure(const CalibrateArguments& arguments);
/// The options of every calibration session, to which the guide adds its own.
template <typename Options>
[[nodiscard]] Options session_options(const CalibrateArguments& arguments, const Catalogue& catalogue, const Rig& rig) {
  Options options;
  options.session.catalogue = catalogue;
  options.session.rig = rig;
  options.session.with_virtual = arguments.with_virtual;
  watch_units_only(options.session);
  const std::string& host = arguments.sources.host;
  if (!host.empty()) options.room = Room{host, trace_lines(os::real_door(), host), {}};
  return options;
}
/// Runs it, in a room or live. Returns the exit status if it could not be opened or has failed.
template <typename Run>
[[nodiscard]] std::optional<int> measure(const CalibrateArguments& arguments,
                                         tl::expected<std::unique_ptr<Run>, Diagnostics>& run) {
  const bool is_room = !arguments.sources.host.empty();
  if (!run) {
    tell(run.error());
    return is_room ? bad_input : machine_refuses;
  }
  LoopOptions loop;
  loop.is_room = is_room;
  loop.from = seconds(arguments.from);
  loop.speed = arguments.speed;
  loop.step = arguments.step;
  auto failure = go_live(loop, arguments.json, **run);
  if (!failure) failure = (*run)->failure();
  if (!failure) return std::nullopt;
  tell({*failure});
  return is_room || failure->id == "unknown-unit" || failure->id == "nothing-analog" ? bad_input : machine_refuses;
}

[[nodiscard]] int calibrate_unit(const CalibrateArguments& arguments);
[[nodiscard]] int calibrate_gun(const CalibrateArguments& arguments);
[[nodiscard]] int calibrate_screen(const ScreenArguments& arguments);

/// The owner of a calibration: the rig entry that the unit has, or would get, at `--seat`.
[[nodiscard]] RigUnit entry_for(const CalibrateArguments& arguments, const Rig& rig, const std::string& unit,
                                const Description& description, const std::string& part);
/// Adds a unit that is not in the rig. Returns the unit as it is there; its status on failure.
[[nodiscard]] tl::expected<RigUnit, int> put_in_rig(const CalibrateArguments& arguments, const Rig& rig,
                                                    const RigUnit& entry);
/// The date of a calibration; empty in a room.
[[nodiscard]] std::string day_of(const CalibrateArguments& arguments);
/// Checked before the user starts: whether the result can be saved.
[[nodiscard]] std::optional<Diagnostic> refuses_to_keep(os::Door& door, const CalibrateArguments& arguments);

}  // namespace omnipar::cli
