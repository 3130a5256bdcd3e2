// omnipar calibrate combinations|unit
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "calibrate_words.hpp"
#include "catalogue/lookup.hpp"
#include "changes.hpp"
#include "play/checkup.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

/// Keeps what was found in the unit's file; what else was measured stays.
int keep(const CalibrateWords& words, const RigUnit& unit, const std::vector<Combination>& found) {
  const auto kept =
      change_calibration(words.sources, unit, [&](Calibration& calibration) { calibration.combinations = found; });
  if (!kept) return refuse_file(kept.error());
  talk(fmt::format("Saved to {}. Next: omnipar units", kept->file));
  return good;
}

std::optional<Diagnostic> listen_to_room(const CalibrateWords& words, const Catalogue& catalogue,
                                         play::CombinationEars& ears) {
  bool begun = false;
  return hear_trace(os::real_door(), words.sources.host, catalogue,
                    [&](const TraceEvent& event, const Description& node) {
                      if (event.deed == Deed::plug_in) ears.arrived(event.node, node, event.time);
                      if (event.deed == Deed::pull_out) ears.left(event.node, event.time);
                      if (event.deed == Deed::report) {
                        if (!std::exchange(begun, true)) ears.ready();
                        ears.heard(event.node, {event.time, event.changes});
                      }
                      return !begun || !ears.done();
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

int combinations(const CalibrateWords& words) {
  os::Door& door = os::real_door();
  if (const auto path = rig_to_write(door, words.sources); !path) {
    tell({path.error()});
    return bad_input;
  }
  const FoundSheets shelf = load_shelf(door, words.sources);
  tell(shelf.problems);
  const auto rig = load_rig(door, words.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  const auto unit = std::ranges::find(rig->units, words.unit, &RigUnit::name);
  if (unit == rig->units.end()) {
    tell(unknown(*rig, words.unit));
    return bad_input;
  }
  play::CombinationEars ears{shelf.catalogue, *rig, *unit, talk};
  const bool live = words.sources.host.empty();
  if (live)
    talk(fmt::format("While this runs, other programs receive no input from the unit. It ends after {} s.",
                     words.seconds));
  const Duration longest{static_cast<std::int64_t>(words.seconds * 1e6)};
  const auto failure =
      live ? play::listen(door, {.catalogue = &shelf.catalogue, .grab = true, .say = talk, .longest = longest}, ears)
           : listen_to_room(words, shelf.catalogue, ears);
  if (failure) {
    tell({*failure});
    return live ? machine_refuses : bad_input;
  }
  if (!ears.begun()) {
    talk(fmt::format("\"{}\" is not connected, or has no buttons.", printable(words.unit)));
    return found_something;
  }
  const auto found = ears.found();
  if (words.json) print_json(to_json(found), 2);
  for (const std::string& line : combinations::words_for(found, ears.buttons()))
    if (!words.json) print(line);
  if (!ears.done()) talk("The test was not completed. What it found so far is saved.");
  if (found.empty() && ears.done() && !words.json) print("Neither blocking nor ghosting was found.");
  const int status = keep(words, *unit, found);
  if (status != good) return status;
  return found.empty() && ears.done() ? good : found_something;
}

void add_calibrate_gun(CLI::App& command, const std::shared_ptr<CalibrateWords>& words, int& status) {
  CLI::App* gun = command.add_subcommand("gun", "calibrate a gun on one screen with a few shots at targets");
  gun->add_option("UNIT", words->unit, "the gun's name in the rig (default: the first gun fired)");
  add_rig_option(*gun, words->sources);
  add_data_option(*gun, words->sources);
  add_host_option(*gun, words->sources);
  gun->add_option("--screen", words->screen, "the screen in the rig (default: the only one)");
  gun->add_option("--shots", words->shots, "number of shots: 2, 3, 4, 5 or 9 (default: 5)")
      ->check(CLI::IsMember({2, 3, 4, 5, 9}));
  gun->add_option("--area", words->area,
                  "place the targets inside the game area, such as \"4:3\" (default: the whole screen)");
  gun->add_flag("--page", words->page, "serve a page that shows the targets in a browser on this computer");
  gun->add_option("--port", words->port, "the page's port number (default: any free one)")
      ->check(number_between(0, 65'535));
  gun->add_flag("--no-test", words->no_test, "skip the pointing test");
  gun->add_flag("--sweep", words->sweep, "for a positional gun: sweep each axis instead of shooting");
  gun->add_option("--check", words->check,
                  "change nothing: show where shots land with this profile, and suggest a fix");
  gun->add_option("--seat", words->seat, "add a gun that is not in the rig, at this seat");
  gun->add_option("--picture", words->picture, "draw the remaining error at each target to this .svg or .png file");
  gun->add_option("--from", words->from, "in a room: start at this second")->check(number_between(0, 86'400));
  gun->add_option("--speed", words->speed, "in a room: speed, such as 2 for twice as fast")
      ->check(number_between(0.1, 100));
  gun->add_flag("--step", words->step, "in a room: start paused");
  gun->add_flag("--resume", words->resume, "save the measurement of an interrupted run");
  gun->add_flag("--with-virtual", words->with_virtual, "include virtual controllers made by other programs");
  gun->add_flag("--json", words->json, "print JSON");
  gun->footer(
      "Example: the left gun of Marrowby's shooting booth, in a room:\n"
      "  omnipar calibrate gun --seat left --rig ./rig.toml --host demo/booth.trace\n"
      "Exit status: 0 saved, 1 nothing was saved, 2 invalid input, 3 the file cannot be written or access was denied.");
  gun->callback([words, &status] { status = calibrate_gun(*words); });
}

void add_calibrate_screen(CLI::App& command, int& status) {
  const auto words = std::make_shared<ScreenWords>();
  CLI::App* screen =
      command.add_subcommand("screen", "describe a screen in the rig, and show where a game appears on it");
  screen->add_option("NAME", words->name, "a name for the screen (default: list all)");
  add_rig_option(*screen, words->sources);
  screen->add_option("--size", words->size, "width and height in pixels before rotation, such as 1920x1080");
  screen->add_option("--at", words->at, "position of its top left corner on the desktop, such as 1920,0");
  screen->add_option("--turned", words->turned, "the side where its own top edge is, if the screen is rotated")
      ->check(CLI::IsMember({"none", "right", "upside down", "left"}));
  screen->add_option("--scale", words->scale, "pixels per desktop unit, such as 1.5")->check(number_between(0.1, 10));
  screen->add_option("--area", words->area, "show where this area is on it: \"4:3, within 10% 5% 90% 95%\"");
  screen->add_option("--rectangle", words->rectangle, "show how to write this area, in pixels: left,top,width,height");
  screen->add_flag("--forget", words->forget, "remove it from the rig");
  screen->add_flag("--json", words->json, "print JSON");
  screen->footer(
      "Example: the screen of Marrowby's shooting booth:\n"
      "  omnipar calibrate screen booth --size 1920x1080\n"
      "Exit status: 0 success, 2 invalid input, 3 the file cannot be written.");
  screen->callback([words, &status] { status = calibrate_screen(*words); });
}

}  // namespace

void add_calibrate(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand(
      "calibrate", "Calibrate sticks, triggers, wheels and guns, find blocked keys, and describe screens");
  const auto words = std::make_shared<CalibrateWords>();
  CLI::App* verb =
      command->add_subcommand("combinations", "find which combinations a keyboard or encoder blocks or ghosts");
  verb->add_option("UNIT", words->unit, "the unit's name in the rig")->required();
  add_rig_option(*verb, words->sources);
  add_data_option(*verb, words->sources);
  add_host_option(*verb, words->sources);
  verb->add_option("--seconds", words->seconds, "end after this many seconds (default: 600)")
      ->check(number_between(1, 3600));
  verb->add_flag("--json", words->json, "print JSON");
  verb->footer(
      "Example: the left half of Marrowby's cabinet:\n"
      "  omnipar calibrate combinations \"Tern Two-Player Encoder, left\"\n"
      "Exit status: 0 nothing found, 1 something found, or the unit is not connected, 2 invalid input, 3 the file "
      "cannot be written or access was denied.");
  verb->callback([words, &status] { status = combinations(*words); });
  CLI::App* unit =
      command->add_subcommand("unit", "measure the rest position, range, gate and rotation of its analog controls");
  unit->add_option("UNIT", words->unit, "the unit's name in the rig (default: the first unit moved or pressed)");
  add_rig_option(*unit, words->sources);
  add_data_option(*unit, words->sources);
  add_host_option(*unit, words->sources);
  unit->add_option("--only", words->only, "only these controls: left-stick, right-trigger …");
  unit->add_flag("--marks", words->marks, "measure marks as well, for a trigger or paddle with a curved response");
  unit->add_flag("--no-pushes", words->no_pushes, "skip the straight pushes; rotation and hysteresis stay unknown");
  unit->add_flag("--forget", words->forget,
                 "delete the calibration of UNIT, or of its --only controls; the previous version is saved");
  unit->add_option("--seat", words->seat, "add a unit that is not in the rig, at this seat");
  unit->add_option("--picture", words->picture, "draw the measurement to this .svg or .png file");
  unit->add_option("--from", words->from, "in a room: start at this second")->check(number_between(0, 86'400));
  unit->add_option("--speed", words->speed, "in a room: speed, such as 2 for twice as fast")
      ->check(number_between(0.1, 100));
  unit->add_flag("--step", words->step, "in a room: start paused");
  unit->add_flag("--resume", words->resume, "save the measurement of an interrupted run");
  unit->add_flag("--with-virtual", words->with_virtual, "include virtual controllers made by other programs");
  unit->add_flag("--json", words->json, "print JSON");
  unit->footer(
      "Example: the worn pad of Marrowby's sofa, in a room:\n"
      "  omnipar calibrate unit --only left-stick --seat sofa --rig ./rig.toml --host demo/worn.trace\n"
      "Exit status: 0 saved, 1 nothing was saved, 2 invalid input, 3 the file cannot be written or access was denied.");
  unit->callback([words, &status] { status = calibrate_unit(*words); });
  add_calibrate_gun(*command, words, status);
  add_calibrate_screen(*command, status);
  command->add_flag("--json", words->json, "print JSON");
  command->require_subcommand(1);
  command->footer(
      "Example: the left half of Marrowby's cabinet:\n"
      "  omnipar calibrate combinations \"Tern Two-Player Encoder, left\"");
}

}  // namespace omnipar::cli
