// omnipar calibrate combinations
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "catalogue/lookup.hpp"
#include "command.hpp"
#include "files/read.hpp"
#include "files/write.hpp"
#include "omnipar/sheets.hpp"
#include "play/checkup.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

struct CalibrateWords {
  Sources sources;
  std::string unit;
  double seconds = 600;
  bool json = false;
};

/// The file of a unit's calibration: named after it, with a number if that name is another unit's already.
std::string file_for(os::Door& door, const Sources& sources, const std::string& unit) {
  const std::string stem = calibrations_folder(door, sources) + "/" + plain_word(unit);
  for (int number = 1;; ++number) {
    std::string path = number == 1 ? stem + ".toml" : fmt::format("{}-{}.toml", stem, number);
    const auto text = files::read_text(door, path);
    if (!text) return path;
    const Sheets sheets = read_sheets(path, *text);
    if (sheets.rig.calibrations.empty() || sheets.rig.calibrations.front().unit == unit) return path;
  }
}

/// Keeps what was found in the unit's file; what else was measured stays.
int keep(const CalibrateWords& words, const Rig& rig, const std::vector<Combination>& found) {
  os::Door& door = os::real_door();
  Calibration calibration{words.unit, {}, {}};
  const auto known = std::ranges::find(rig.calibrations, words.unit, &Calibration::unit);
  if (known != rig.calibrations.end()) calibration = *known;
  calibration.combinations = found;
  const std::string path = file_for(door, words.sources, words.unit);
  const auto written = files::change_file(
      door, path, versions_of(door, path),
      [&](const std::string&) -> tl::expected<std::string, Diagnostics> { return to_toml(calibration); });
  if (!written) {
    tell(written.error());
    return machine_refuses;
  }
  talk(fmt::format("Kept in {}. Next: omnipar units", path));
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
  const int status = keep(words, *rig, found);
  if (status != good) return status;
  return found.empty() && ears.done() ? good : found_something;
}

}  // namespace

void add_calibrate(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("calibrate", "Measure a unit: which of its controls do not go together");
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
  command->add_flag("--json", words->json, "print JSON");
  command->require_subcommand(1);
  command->footer(
      "Example: the left half of Marrowby's cabinet:\n"
      "  omnipar calibrate combinations \"Tern Two-Player Encoder, left\"");
}

}  // namespace omnipar::cli
