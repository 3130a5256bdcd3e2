#include "changes.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "catalogue/lookup.hpp"
#include "command.hpp"

namespace omnipar::cli {

int refuse_file(const Diagnostics& problems) {
  tell(problems);
  const bool machine = std::ranges::any_of(problems, [](const Diagnostic& p) {
    return p.id == "cannot-write" || p.id == "busy-file" || p.id == "unreadable";
  });
  return machine ? machine_refuses : bad_input;
}

int change_rig(const Sources& sources, const RigChange& change) {
  const auto written = files::change_rig(os::real_door(), household_of(sources), change);
  if (written) return good;
  const int status = refuse_file(written.error());
  talk("Nothing was changed.");
  return status;
}

tl::expected<RigUnit*, Diagnostic> named_unit(Rig& rig, const std::string& name) {
  const auto at = std::ranges::find(rig.units, name, &RigUnit::name);
  if (at != rig.units.end()) return &*at;
  std::vector<std::string_view> names;
  for (const RigUnit& unit : rig.units) names.emplace_back(unit.name);
  return tl::unexpected(Diagnostic{"unknown-unit", Severity::error,
                                   fmt::format("no unit in the rig is called '{}'", printable(name)), "",
                                   catalogue::suggestion(name, names)});
}

tl::expected<KeptCalibration, Diagnostics> change_calibration(const Sources& sources, const RigUnit& unit,
                                                              const CalibrationChange& change) {
  return files::change_calibration(os::real_door(), household_of(sources), unit, change);
}

std::string undone_words(os::Door& door, const std::string& path) {
  return path + (door.real_path(path).empty() ? " was deleted: it did not exist before the last change"
                                              : " was restored to the version before the last change");
}

}  // namespace omnipar::cli
