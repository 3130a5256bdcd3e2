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
  talk(fmt::format("Kept in {}. Next: omnipar units", kept->file));
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
  return {{"unknown-unit", Severity::error, fmt::format("no unit of the rig is called '{}'", printable(name)), "",
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
    talk(
        fmt::format("The unit is grabbed meanwhile, so that other programs get no input from it; this ends after {} s.",
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
    talk(fmt::format("\"{}\" is not there, or has no buttons.", printable(words.unit)));
    return found_something;
  }
  const auto found = ears.found();
  if (words.json) print_json(to_json(found), 2);
  for (const std::string& line : combinations::words_for(found, ears.buttons()))
    if (!words.json) print(line);
  if (!ears.done()) talk("The test did not reach its end; what was found so far is kept.");
  if (found.empty() && ears.done() && !words.json) print("Neither blocking nor ghosting was found.");
  const int status = keep(words, *unit, found);
  if (status != good) return status;
  return found.empty() && ears.done() ? good : found_something;
}

void add_calibrate_gun(CLI::App& command, const std::shared_ptr<CalibrateWords>& words, int& status) {
  CLI::App* gun = command.add_subcommand("gun", "fit a gun with a few shots at targets, by screen; kept in its file");
  gun->add_option("UNIT", words->unit, "its name in the rig; if left out, the one that is fired first");
  add_rig_option(*gun, words->sources);
  add_data_option(*gun, words->sources);
  add_host_option(*gun, words->sources);
  gun->add_option("--screen", words->screen, "the screen of the rig that is shot at; the only one, if left out");
  gun->add_option("--shots", words->shots, "2, 3, 4, 5 or 9; 5 if left out")->check(CLI::IsMember({2, 3, 4, 5, 9}));
  gun->add_option("--area", words->area,
                  "spread the targets over the game, such as \"4:3\"; over all of it, if left out");
  gun->add_flag("--page", words->page, "serve a page that draws the targets, for a browser on this computer");
  gun->add_option("--port", words->port, "of the page; any, if left out")->check(number_between(0, 65'535));
  gun->add_flag("--no-test", words->no_test, "without the pointing test before it");
  gun->add_flag("--sweep", words->sweep, "a positional gun: sweep it, one axis at a time, instead of shooting");
  gun->add_option("--check", words->check,
                  "keep nothing: say where the shots land in this profile, and what would help");
  gun->add_option("--seat", words->seat, "a gun that is not in the rig comes into it, at this seat");
  gun->add_option("--picture", words->picture, "draw what is left at each target into this file: .svg or .png");
  gun->add_option("--from", words->from, "in a room: begin at this second")->check(number_between(0, 86'400));
  gun->add_option("--speed", words->speed, "in a room: so many times as fast")->check(number_between(0.1, 100));
  gun->add_flag("--step", words->step, "in a room: stand still at first");
  gun->add_flag("--resume", words->resume, "keep what was measured before, not kept and put by");
  gun->add_flag("--with-virtual", words->with_virtual, "take controllers that other programs made, too");
  gun->add_flag("--json", words->json, "print JSON");
  gun->footer(
      "Example: the left gun of Marrowby's shooting booth, in a room:\n"
      "  omnipar calibrate gun --seat left --rig ./rig.toml --host demo/booth.trace\n"
      "Exit status: 0 kept, 1 nothing was kept, 2 bad input, 3 the file cannot be written or the computer refuses.");
  gun->callback([words, &status] { status = calibrate_gun(*words); });
}

void add_calibrate_screen(CLI::App& command, int& status) {
  const auto words = std::make_shared<ScreenWords>();
  CLI::App* screen = command.add_subcommand(
      "screen", "describe a screen, and see where a game of some shape is on it; kept in the rig");
  screen->add_option("NAME", words->name, "what you call it; if left out, all are shown");
  add_rig_option(*screen, words->sources);
  screen->add_option("--size", words->size, "pixels across and down, before it is turned: 1920x1080");
  screen->add_option("--at", words->at, "where its upper left corner is on the desktop: 1920,0");
  screen->add_option("--turned", words->turned, "where its own upper edge is, if it does not hang upright")
      ->check(CLI::IsMember({"none", "right", "upside down", "left"}));
  screen->add_option("--scale", words->scale, "pixels for a unit of the desktop: 1.5")->check(number_between(0.1, 10));
  screen->add_option("--area", words->area, "where this would be on it: \"4:3, within 10% 5% 90% 95%\"");
  screen->add_option("--rectangle", words->rectangle, "which words say this, in pixels: left,top,width,height");
  screen->add_flag("--forget", words->forget, "take it out of the rig");
  screen->add_flag("--json", words->json, "print JSON");
  screen->footer(
      "Example: the screen of Marrowby's shooting booth:\n"
      "  omnipar calibrate screen booth --size 1920x1080\n"
      "Exit status: 0 good, 2 bad input, 3 the file cannot be written.");
  screen->callback([words, &status] { status = calibrate_screen(*words); });
}

}  // namespace

void add_calibrate(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("calibrate",
                                         "Measure a unit: how its sticks, triggers and wheels move, where its gun "
                                         "points, and which of its controls do not "
                                         "go together; and describe screens");
  const auto words = std::make_shared<CalibrateWords>();
  CLI::App* verb = command->add_subcommand(
      "combinations", "find what a keyboard or encoder blocks or ghosts, by pressing; kept in a file of the unit");
  verb->add_option("UNIT", words->unit, "its name in the rig")->required();
  add_rig_option(*verb, words->sources);
  add_data_option(*verb, words->sources);
  add_host_option(*verb, words->sources);
  verb->add_option("--seconds", words->seconds, "the longest that it takes, 600 if left out")
      ->check(number_between(1, 3600));
  verb->add_flag("--json", words->json, "print JSON");
  verb->footer(
      "Example: the left half of Marrowby's cabinet:\n"
      "  omnipar calibrate combinations \"Tern Two-Player Encoder, left\"\n"
      "Exit status: 0 nothing found, 1 something found, or the unit is not there, 2 bad input, 3 the file cannot be "
      "written or the computer refuses.");
  verb->callback([words, &status] { status = combinations(*words); });
  CLI::App* unit = command->add_subcommand(
      "unit", "measure what is analog on it: rest, range, gate, turn; kept in a file of the unit");
  unit->add_option("UNIT", words->unit, "its name in the rig; if left out, the one that is moved or pressed first");
  add_rig_option(*unit, words->sources);
  add_data_option(*unit, words->sources);
  add_host_option(*unit, words->sources);
  unit->add_option("--only", words->only, "only these of its controls: left-stick, right-trigger …");
  unit->add_flag("--marks", words->marks, "lead to marks, for a trigger or paddle whose response is bent");
  unit->add_flag("--no-pushes", words->no_pushes, "do not ask for pushes: a turned stick and hysteresis stay unknown");
  unit->add_flag("--forget", words->forget,
                 "remove what was measured on UNIT, or with --only on these of its controls; the former file is kept");
  unit->add_option("--seat", words->seat, "a unit that is not in the rig comes into it, at this seat");
  unit->add_option("--picture", words->picture, "draw what was measured into this file: .svg or .png");
  unit->add_option("--from", words->from, "in a room: begin at this second")->check(number_between(0, 86'400));
  unit->add_option("--speed", words->speed, "in a room: so many times as fast")->check(number_between(0.1, 100));
  unit->add_flag("--step", words->step, "in a room: stand still at first");
  unit->add_flag("--resume", words->resume, "keep what was measured before, not kept and put by");
  unit->add_flag("--with-virtual", words->with_virtual, "take controllers that other programs made, too");
  unit->add_flag("--json", words->json, "print JSON");
  unit->footer(
      "Example: the worn pad of Marrowby's sofa, in a room:\n"
      "  omnipar calibrate unit --only left-stick --seat sofa --rig ./rig.toml --host demo/worn.trace\n"
      "Exit status: 0 kept, 1 nothing was kept, 2 bad input, 3 the file cannot be written or the computer refuses.");
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
