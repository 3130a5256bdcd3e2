#include "measured_draft.hpp"

#include <algorithm>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/list.hpp"
#include "changes.hpp"
#include "command.hpp"
#include "files/read.hpp"
#include "files/write.hpp"
#include "omnipar/calibrating.hpp"
#include "omnipar/sheets.hpp"

namespace omnipar::cli {
namespace {

constexpr std::string_view head = "measured-", tail = ".toml", unit_tail = "-unit.toml";

/// Beside the previous versions of the rig; empty without a rig.
std::string folder(os::Door& door, const Sources& sources) {
  const auto rig = rig_to_write(door, sources);
  return rig ? files::versions_of(door, *rig) : "";
}

struct PutBy {
  std::string path;  ///< without its suffixes
  RigUnit unit;
  Calibration found;
};

/// All complete drafts. Only Omnipar writes there.
std::vector<PutBy> all_put_by(os::Door& door, const Sources& sources) {
  std::vector<PutBy> all;
  const std::string where = folder(door, sources);
  for (const std::string& name : door.names_in(where)) {
    if (!name.starts_with(head) || !name.ends_with(unit_tail)) continue;
    const std::string stem = where + "/" + name.substr(0, name.size() - unit_tail.size());
    const auto unit = files::read_text(door, stem + std::string{unit_tail});
    const auto found = files::read_text(door, stem + std::string{tail});
    if (!unit || !found) continue;
    const Sheets units = read_sheets(name, *unit), measured = read_sheets(name, *found);
    if (units.rig.units.empty() || measured.rig.calibrations.empty()) continue;
    all.push_back({stem, units.rig.units.front(), measured.rig.calibrations.front()});
  }
  return all;
}

void remove(os::Door& door, const PutBy& one) {
  for (const std::string_view end : {tail, unit_tail}) static_cast<void>(door.remove(one.path + std::string{end}));
}

}  // namespace

void put_by(const Sources& sources, const RigUnit& unit, const Calibration& found, const std::string& verb) {
  os::Door& door = os::real_door();
  Calibration whole = found;
  whole.unit = unit.name;
  const std::string stem = folder(door, sources) + "/" + std::string{head} + plain_word(unit.name);
  Rig alone;
  alone.units.push_back(unit);
  auto problem = files::write_whole(door, stem + std::string{tail}, to_toml(whole));
  if (!problem) problem = files::write_whole(door, stem + std::string{unit_tail}, to_toml(alone));
  if (problem) {
    tell({*problem});
    talk("The measurement could not be stored. Its result:");
    print(to_toml(whole));
    return;
  }
  talk(fmt::format(
      "Nothing was saved yet, but the measurement is stored. To save it: omnipar calibrate {} {}{} --resume", verb,
      shell_word(unit.name), same_sources(sources)));
}

int keep_what_was_put_by(const Sources& sources, const std::string& unit, bool json) {
  os::Door& door = os::real_door();
  const auto all = all_put_by(door, sources);
  std::vector<std::string> names;
  for (const PutBy& one : all) names.push_back(one.unit.name);
  const auto its =
      unit.empty() && all.size() == 1 ? all.begin() : std::ranges::find(names, unit) - names.begin() + all.begin();
  if (its == all.end())
    return refuse_file({{"no-draft", Severity::error,
                         unit.empty() ? "there is no unsaved measurement"
                                      : fmt::format("there is no unsaved measurement of \"{}\"", printable(unit)),
                         "",
                         names.empty() ? "run the command without --resume"
                                       : "there are unsaved measurements of " + some_listed(names)}});
  RigUnit of = its->unit;
  if (!of.seat.empty()) {  // it may have been added to the rig in the meantime
    auto added = files::add_unit(door, household_of(sources), of);
    if (!added) return refuse_file(added.error());
    of = std::move(*added);
  }
  const auto kept =
      change_calibration(sources, of, [&](Calibration& known) { known = merged(std::move(known), its->found); });
  if (!kept) return refuse_file(kept.error());
  remove(door, *its);
  if (json)
    print_json({{"file", kept->file}, {"unit", kept->unit}}, 2);
  else
    print(fmt::format("Saved to {}.", kept->file));
  return good;
}

void forget_what_was_put_by(const Sources& sources, const std::string& unit) {
  os::Door& door = os::real_door();
  for (const PutBy& one : all_put_by(door, sources))
    if (one.unit.name == unit) remove(door, one);
}

}  // namespace omnipar::cli
