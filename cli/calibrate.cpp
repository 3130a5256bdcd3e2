// omnipar calibrate combinations|unit
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "calibrate_arguments.hpp"
#include "catalogue/lookup.hpp"
#include "changes.hpp"
#include "play/checkup.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

/// Saves the findings to the unit's file; other calibrations are kept.
int keep(const CalibrateArguments& arguments, const RigUnit& unit, const std::vector<Combination>& found) {
  const auto kept =
      change_calibration(arguments.sources, unit, [&](Calibration& calibration) { calibration.combinations = found; });
  if (!kept) return refuse_file(kept.error());
  talk(fmt::format("Saved to {}. Next: omnipar units", kept->file));
  return good;
}

std::optional<Diagnostic> listen_to_room(const CalibrateArguments& arguments, const Catalogue& catalogue,
                                         play::CombinationListener& listener) {
  bool begun = false;
  return hear_trace(os::real_door(), arguments.sources.host, catalogue,
                    [&](const TraceEvent& event, const Description& node) {
                      if (event.action == TraceAction::plug_in) listener.arrived(event.node, node, event.time);
                      if (event.action == TraceAction::pull_out) listener.left(event.node, event.time);
                      if (event.action == TraceAction::report) {
                        if (!std::exchange(begun, true)) listener.ready();
                        listener.on_report(event.node, {event.time, event.changes});
                      }
                      return !begun || !listener.done();
                    });
}

nlohmann::ordered_json to_json(const std::vector<Combination>& found) {
  auto list = nlohmann::ordered_json::array();
  const auto names = [](const std::vector<Code>& codes) {
    auto all = nlohmann::ordered_json::array();
    for (const Code code : codes) all.push_back(base::code_name(code));
    return all;
  };
  for (const Combination& one : found)
    list.push_back({{"held", names(one.held)}, {"blocked", names(one.blocked)}, {"ghosts", names(one.ghosts)}});
  return list;
}

Diagnostics unknown(const Rig& rig, const std::string& name) {
  std::vector<std::string_view> names;
  for (const RigUnit& unit : rig.units) names.emplace_back(unit.name);
  return {{"unknown-unit", Severity::error, fmt::format("no unit in the rig is called '{}'", printable(name)), "",
           names.empty() ? "the rig is empty: omnipar rig add SEAT" : catalogue::suggestion(name, names)}};
}

int combinations(const CalibrateArguments& arguments) {
  os::Door& door = os::real_door();
  if (const auto path = rig_to_write(door, arguments.sources); !path) {
    tell({path.error()});
    return bad_input;
  }
  const FoundSheets shelf = load_shelf(door, arguments.sources);
  tell(shelf.problems);
  const auto rig = load_rig(door, arguments.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  const auto unit = std::ranges::find(rig->units, arguments.unit, &RigUnit::name);
  if (unit == rig->units.end()) {
    tell(unknown(*rig, arguments.unit));
    return bad_input;
  }
  play::CombinationListener listener{shelf.catalogue, *rig, *unit, talk};
  const bool live = arguments.sources.host.empty();
  if (live)
    talk(fmt::format("While this runs, other programs receive no input from the unit. It ends after {} s.",
                     arguments.seconds));
  const Duration longest{static_cast<std::int64_t>(arguments.seconds * 1e6)};
  const auto failure =
      live
          ? play::listen(door, {.catalogue = &shelf.catalogue, .grab = true, .say = talk, .longest = longest}, listener)
          : listen_to_room(arguments, shelf.catalogue, listener);
  if (failure) {
    tell({*failure});
    return live ? machine_refuses : bad_input;
  }
  if (!listener.begun()) {
    talk(fmt::format("\"{}\" is not connected, or has no buttons.", printable(arguments.unit)));
    return found_something;
  }
  const auto found = listener.found();
  if (arguments.json) print_json(to_json(found), 2);
  for (const std::string& line : combinations::words_for(found, listener.buttons()))
    if (!arguments.json) print(line);
  if (!listener.done()) talk("The test was not completed. What it found so far is saved.");
  if (found.empty() && listener.done() && !arguments.json) print("Neither blocking nor ghosting was found.");
  const int status = keep(arguments, *unit, found);
  if (status != good) return status;
  return found.empty() && listener.done() ? good : found_something;
}

void add_calibrate_gun(CLI::App& command, const std::shared_ptr<CalibrateArguments>& arguments, int& status) {
  CLI::App* gun = command.add_subcommand("gun", "calibrate a gun on one screen with a few shots at targets");
  gun->add_option("UNIT", arguments->unit, "the gun's name in the rig (default: the first gun fired)");
  add_rig_option(*gun, arguments->sources);
  add_data_option(*gun, arguments->sources);
  add_host_option(*gun, arguments->sources);
  gun->add_option("--screen", arguments->screen, "the screen in the rig (default: the only one)");
  gun->add_option("--shots", arguments->shots, "number of shots: 2, 3, 4, 5 or 9 (default: 5)")
      ->check(CLI::IsMember({2, 3, 4, 5, 9}));
  gun->add_option("--area", arguments->area,
                  "place the targets inside the game area, such as \"4:3\" (default: the whole screen)");
  gun->add_flag("--page", arguments->page, "serve a page that shows the targets in a browser on this computer");
  gun->add_option("--port", arguments->port, "the page's port number (default: any free one)")
      ->check(number_between(0, 65'535));
  gun->add_flag("--no-test", arguments->no_test, "skip the pointing test");
  gun->add_flag("--sweep", arguments->sweep, "for a positional gun: sweep each axis instead of shooting");
  gun->add_option("--check", arguments->check,
                  "change nothing: show where shots land with this profile, and suggest a fix");
  gun->add_option("--seat", arguments->seat, "add a gun that is not in the rig, at this seat");
  gun->add_option("--picture", arguments->picture, "draw the remaining error at each target to this .svg or .png file");
  gun->add_option("--from", arguments->from, "in a room: start at this second")->check(number_between(0, 86'400));
  gun->add_option("--speed", arguments->speed, "in a room: speed, such as 2 for twice as fast")
      ->check(number_between(0.1, 100));
  gun->add_flag("--step", arguments->step, "in a room: start paused");
  gun->add_flag("--resume", arguments->resume, "save the measurement of an interrupted run");
  gun->add_flag("--with-virtual", arguments->with_virtual, "include virtual controllers made by other programs");
  gun->add_flag("--json", arguments->json, "print JSON");
  gun->footer(
      "Example: the left gun of Marrowby's shooting booth, in a room:\n"
      "  omnipar calibrate gun --seat left --rig ./rig.toml --host demo/booth.trace\n"
      "Exit status: 0 saved, 1 nothing was saved, 2 invalid input, 3 the file cannot be written or access was denied.");
  gun->callback([arguments, &status] { status = calibrate_gun(*arguments); });
}

void add_calibrate_screen(CLI::App& command, int& status) {
  const auto arguments = std::make_shared<ScreenArguments>();
  CLI::App* screen =
      command.add_subcommand("screen", "describe a screen in the rig, and show where a game appears on it");
  screen->add_option("NAME", arguments->name, "a name for the screen (default: list all)");
  add_rig_option(*screen, arguments->sources);
  screen->add_option("--size", arguments->size, "width and height in pixels before rotation, such as 1920x1080");
  screen->add_option("--at", arguments->at, "position of its top left corner on the desktop, such as 1920,0");
  screen->add_option("--turned", arguments->turned, "the side where its own top edge is, if the screen is rotated")
      ->check(CLI::IsMember({"none", "right", "upside down", "left"}));
  screen->add_option("--scale", arguments->scale, "pixels per desktop unit, such as 1.5")
      ->check(number_between(0.1, 10));
  screen->add_option("--area", arguments->area, "show where this area is on it: \"4:3, within 10% 5% 90% 95%\"");
  screen->add_option("--rectangle", arguments->rectangle,
                     "show how to write this area, in pixels: left,top,width,height");
  screen->add_flag("--forget", arguments->forget, "remove it from the rig");
  screen->add_flag("--json", arguments->json, "print JSON");
  screen->footer(
      "Example: the screen of Marrowby's shooting booth:\n"
      "  omnipar calibrate screen booth --size 1920x1080\n"
      "Exit status: 0 success, 2 invalid input, 3 the file cannot be written.");
  screen->callback([arguments, &status] { status = calibrate_screen(*arguments); });
}

}  // namespace

void add_calibrate(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand(
      "calibrate", "Calibrate sticks, triggers, wheels and guns, find blocked keys, and describe screens");
  const auto arguments = std::make_shared<CalibrateArguments>();
  CLI::App* verb =
      command->add_subcommand("combinations", "find which combinations a keyboard or encoder blocks or ghosts");
  verb->add_option("UNIT", arguments->unit, "the unit's name in the rig")->required();
  add_rig_option(*verb, arguments->sources);
  add_data_option(*verb, arguments->sources);
  add_host_option(*verb, arguments->sources);
  verb->add_option("--seconds", arguments->seconds, "end after this many seconds (default: 600)")
      ->check(number_between(1, 3600));
  verb->add_flag("--json", arguments->json, "print JSON");
  verb->footer(
      "Example: the left half of Marrowby's cabinet:\n"
      "  omnipar calibrate combinations \"Tern Two-Player Encoder, left\"\n"
      "Exit status: 0 nothing found, 1 something found, or the unit is not connected, 2 invalid input, 3 the file "
      "cannot be written or access was denied.");
  verb->callback([arguments, &status] { status = combinations(*arguments); });
  CLI::App* unit =
      command->add_subcommand("unit", "measure the rest position, range, gate and rotation of its analog controls");
  unit->add_option("UNIT", arguments->unit, "the unit's name in the rig (default: the first unit moved or pressed)");
  add_rig_option(*unit, arguments->sources);
  add_data_option(*unit, arguments->sources);
  add_host_option(*unit, arguments->sources);
  unit->add_option("--only", arguments->only, "only these controls: left-stick, right-trigger …");
  unit->add_flag("--marks", arguments->marks, "measure marks as well, for a trigger or paddle with a curved response");
  unit->add_flag("--no-pushes", arguments->no_pushes,
                 "skip the straight pushes and leave rotation and hysteresis unknown");
  unit->add_flag("--forget", arguments->forget,
                 "delete the calibration of UNIT, or of its --only controls, and save the previous version");
  unit->add_option("--seat", arguments->seat, "add a unit that is not in the rig, at this seat");
  unit->add_option("--picture", arguments->picture, "draw the measurement to this .svg or .png file");
  unit->add_option("--from", arguments->from, "in a room: start at this second")->check(number_between(0, 86'400));
  unit->add_option("--speed", arguments->speed, "in a room: speed, such as 2 for twice as fast")
      ->check(number_between(0.1, 100));
  unit->add_flag("--step", arguments->step, "in a room: start paused");
  unit->add_flag("--resume", arguments->resume, "save the measurement of an interrupted run");
  unit->add_flag("--with-virtual", arguments->with_virtual, "include virtual controllers made by other programs");
  unit->add_flag("--json", arguments->json, "print JSON");
  unit->footer(
      "Example: the worn pad of Marrowby's sofa, in a room:\n"
      "  omnipar calibrate unit --only left-stick --seat sofa --rig ./rig.toml --host demo/worn.trace\n"
      "Exit status: 0 saved, 1 nothing was saved, 2 invalid input, 3 the file cannot be written or access was denied.");
  unit->callback([arguments, &status] { status = calibrate_unit(*arguments); });
  add_calibrate_gun(*command, arguments, status);
  add_calibrate_screen(*command, status);
  command->add_flag("--json", arguments->json, "print JSON");
  command->require_subcommand(1);
  command->footer(
      "Example: the left half of Marrowby's cabinet:\n"
      "  omnipar calibrate combinations \"Tern Two-Player Encoder, left\"");
}

}  // namespace omnipar::cli
