#include "rig_file.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "catalogue/lookup.hpp"
#include "command.hpp"
#include "files/write.hpp"
#include "omnipar/sheets.hpp"
#include "text/edit.hpp"
#include "text/quoted.hpp"

namespace omnipar::cli {
Text rig_text(const std::string& path, const std::string& old, const Rig& wanted) {
  if (old.empty()) return to_toml(wanted);
  const Sheets before = read_sheets(path, old);
  if (!before.problems.empty()) return tl::unexpected(before.problems);
  Text text = old;
  for (std::size_t i = 0; text && i < before.rig.units.size() && i < wanted.units.size(); ++i) {
    const RigUnit& was = before.rig.units[i];
    const RigUnit& is = wanted.units[i];
    const std::string index = "#" + std::to_string(i);
    const std::vector<std::string> seat{"unit", index, "seat"};
    if (was.seat != is.seat)
      text = is.seat.empty() ? text::clear_value({path, *text}, seat)
                             : text::set_value({path, *text}, seat, text::quoted(is.seat));
    if (text && was.name != is.name)
      text = text::set_value({path, *text}, std::vector<std::string>{"unit", index, "name"}, text::quoted(is.name));
    if (text && was.connection != is.connection)
      text = text::set_value({path, *text}, std::vector<std::string>{"unit", index, "connection"},
                             text::quoted(is.connection));
    if (text && was.socket != is.socket)
      text = text::set_value({path, *text}, std::vector<std::string>{"unit", index, "socket"}, text::quoted(is.socket));
  }
  if (!text) return text;
  if (!text->ends_with('\n')) *text += "\n";
  for (std::size_t i = before.rig.units.size(); i < wanted.units.size(); ++i) *text += to_toml(wanted.units[i]);
  const Sheets after = read_sheets(path, *text);
  if (after.problems.empty() && after.rig.units == wanted.units) return text;
  return tl::unexpected(Diagnostics{
      {"cannot-edit", Severity::error, "this file cannot be changed by itself", path, "change it in a text editor"}});
}

tl::expected<std::vector<std::string>, Diagnostics> unit_keys(const std::string& path, const std::string& old,
                                                              const std::string& name) {
  const Sheets sheets = read_sheets(path, old);
  if (!old.empty() && !sheets.problems.empty()) return tl::unexpected(sheets.problems);
  const auto& units = sheets.rig.units;
  const auto at = std::ranges::find(units, name, &RigUnit::name);
  if (at != units.end()) return std::vector<std::string>{"unit", "#" + std::to_string(at - units.begin())};
  std::vector<std::string_view> names;
  for (const RigUnit& unit : units) names.emplace_back(unit.name);
  return tl::unexpected(
      Diagnostics{{"unknown-unit", Severity::error, fmt::format("no unit of the rig is called '{}'", printable(name)),
                   path, catalogue::suggestion(name, names)}});
}

int change_rig(const Sources& sources, const std::function<Text(const std::string&, const std::string&)>& change) {
  os::Door& door = os::real_door();
  const auto path = rig_to_write(door, sources);
  if (!path) {
    tell({path.error()});
    return bad_input;
  }
  const auto written = files::change_file(door, *path, versions_of(door, *path),
                                          [&](const std::string& old) { return change(*path, old); });
  if (written) return good;
  tell(written.error());
  talk("Nothing was changed.");
  const std::string& id = written.error().front().id;
  return id == "cannot-write" || id == "busy-file" || id == "unreadable" ? machine_refuses : bad_input;
}

}  // namespace omnipar::cli
