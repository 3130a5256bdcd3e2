#include "calibration_file.hpp"

#include <fmt/format.h>

#include "files/read.hpp"
#include "files/write.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/sheets.hpp"

namespace omnipar::cli {

std::string calibration_path(os::Door& door, const Sources& sources, const std::string& unit) {
  const std::string stem = calibrations_folder(door, sources) + "/" + plain_word(unit);
  for (int number = 1;; ++number) {
    std::string path = number == 1 ? stem + ".toml" : fmt::format("{}-{}.toml", stem, number);
    const auto text = files::read_text(door, path);
    if (!text) return path;
    const Sheets sheets = read_sheets(path, *text);
    if (sheets.rig.calibrations.empty() || sheets.rig.calibrations.front().unit == unit) return path;
  }
}

tl::expected<std::string, Diagnostics> keep_calibration(os::Door& door, const Sources& sources,
                                                        const Calibration& calibration) {
  const std::string path = calibration_path(door, sources, calibration.unit);
  const auto written = files::change_file(
      door, path, versions_of(door, path),
      [&](const std::string&) -> tl::expected<std::string, Diagnostics> { return to_toml(calibration); });
  if (!written) return tl::unexpected(written.error());
  const auto text = files::read_text(door, path);
  const Sheets again = text ? read_sheets(path, *text) : Sheets{};
  if (again.rig.calibrations.size() == 1 && again.rig.calibrations.front() == calibration) return path;
  return tl::unexpected(Diagnostics{
      {"kept-otherwise", Severity::error, "what was written is not what was measured", path, "look into the file"}});
}

}  // namespace omnipar::cli
