#include "sources.hpp"

#include <algorithm>
#include <iterator>

#include <fmt/format.h>

#include "catalogue/lookup.hpp"
#include "command.hpp"
#include "files/read.hpp"
#include "omnipar/sheets.hpp"
#include "play/trace_host.hpp"

namespace omnipar::cli {
namespace {

bool is_file(const std::string& word) { return word.find('/') != std::string::npos || word.ends_with(".toml"); }

/// An XDG base directory.
std::string base_folder(os::Door& door, const char* variable, const char* below_home) {
  std::string folder = door.environment(variable);
  if (!folder.starts_with('/')) folder = door.environment("HOME").append(below_home);
  return folder.append("/omnipar");
}

bool is_there(os::Door& door, const std::string& path) { return !door.real_path(path).empty(); }

template <typename Sheet>
void put(std::vector<Sheet>& into, std::vector<Sheet>&& sheets) {
  for (Sheet& sheet : sheets) {
    std::erase_if(into, [&](const Sheet& known) { return known.name == sheet.name; });
    into.push_back(std::move(sheet));
  }
}

void put(Catalogue& catalogue, Sheets& sheets) {
  put(catalogue.systems, std::move(sheets.systems));
  put(catalogue.units, std::move(sheets.units));
}

void take_file(os::Door& door, const std::string& path, Shelf& shelf) {
  const auto text = files::read_text(door, path);
  if (!text) {
    shelf.problems.push_back(text.error());
    return;
  }
  Sheets sheets = read_sheets(path, *text);
  shelf.problems.insert(shelf.problems.end(), sheets.problems.begin(), sheets.problems.end());
  put(shelf.catalogue, sheets);
}

/// A file, or all files of a folder in the order of their names.
void take_data(os::Door& door, const std::string& path, Shelf& shelf) {
  if (is_file(path) && path.ends_with(".toml")) return take_file(door, path, shelf);
  for (const std::string& name : door.names_in(path))
    if (name.ends_with(".toml")) take_file(door, fmt::format("{}/{}", path, name), shelf);
}

/// True if some other problem stands in the same line: what follows from it need not be said.
bool is_told(const Diagnostic& problem, const Diagnostics& told) {
  const auto line = [](const std::string& place) { return place.substr(0, place.rfind(':')); };
  return std::ranges::any_of(told, [&](const Diagnostic& other) { return line(other.place) == line(problem.place); });
}

std::string held_words(const Sheets& sheets) {
  std::string words;
  const auto add = [&words](std::size_t count, const char* one, const char* many) {
    if (count > 0) words += fmt::format("{}{} {}", words.empty() ? "" : ", ", count, count == 1 ? one : many);
  };
  add(sheets.systems.size(), "machine", "machines");
  add(sheets.units.size(), "model of unit", "models of units");
  add(sheets.rig.units.size(), "unit of the rig", "units of the rig");
  add(sheets.rig.calibrations.size(), "calibration", "calibrations");
  return words;
}

/// A profile's file: its problems of form and of meaning, all at once.
void take_profile(Given& given, const std::string& name, const std::string& text) {
  Sheets sheets = read_sheets(name, text);
  given.held = held_words(sheets);
  given.problems = std::move(sheets.problems);
  given.readable = given.problems.empty();
  put(given.catalogue, sheets);
  std::vector<Profile>& profiles = given.readable ? sheets.profiles : sheets.flawed_profiles;
  if (profiles.empty() && !sheets.profiles.empty()) profiles = std::move(sheets.profiles);
  if (!profiles.empty()) given.profile = std::move(profiles.front());
  if (!given.profile && given.readable) {
    given.readable = !given.held.empty();
    given.problems.push_back({"no-profile", Severity::error, "there is no profile in this file", name,
                              given.held.empty() ? "write kind = \"profile\"" : "it holds " + given.held});
  }
  if (!given.profile) return;
  Catalogue catalogue = given.catalogue;
  put(catalogue.systems, std::move(sheets.flawed_systems));
  auto plan = compile(catalogue, *given.profile);
  if (plan && given.readable) given.plan = std::move(*plan);
  if (plan) return;
  Diagnostics meant = std::move(plan.error());
  std::erase_if(meant, [&](const Diagnostic& problem) { return is_told(problem, given.problems); });
  given.problems.insert(given.problems.end(), meant.begin(), meant.end());
  add_excerpts(given.problems, name, text);
  sort_by_place(given.problems);
}

void take_file_named(Given& given, os::Door& door, const std::string& path) {
  const auto text = files::read_text(door, path);
  if (text) return take_profile(given, path, *text);
  given.readable = false;
  given.problems.push_back(text.error());
}

void take_proposal(Given& given, os::Door& door, const std::string& word) {
  if (auto proposed = propose(given.catalogue, word)) {
    given.profile = std::move(*proposed);
    auto plan = compile(given.catalogue, *given.profile);
    if (plan)
      given.plan = std::move(*plan);
    else
      given.problems = plan.error();
    return;
  }
  given.readable = false;
  std::vector<std::string> own;
  for (const std::string& name : door.names_in(profiles_folder(door)))
    if (name.ends_with(".toml")) own.push_back(name.substr(0, name.size() - 5));
  std::vector<std::string_view> names{own.begin(), own.end()};
  for (const SystemSheet& system : given.catalogue.systems) names.emplace_back(system.name);
  given.problems.push_back({"unknown-system", Severity::error,
                            fmt::format("no machine and no profile is called '{}'", printable(word)), "",
                            suggestion(word, names)});
}

}  // namespace

void add_data_option(CLI::App& command, Sources& sources) {
  command.add_option("--data", sources.data, "more sheets: a file, or a folder of files (may be repeated)");
}
void add_rig_option(CLI::App& command, Sources& sources) {
  command.add_option("--rig", sources.rig, "the rig's file, in place of your own");
}
void add_host_option(CLI::App& command, Sources& sources) {
  command.add_option("--host", sources.host,
                     "a trace or a room of made-up units, in place of the units that are there");
}

std::string config_folder(os::Door& door) { return base_folder(door, "XDG_CONFIG_HOME", "/.config"); }
std::string profiles_folder(os::Door& door) { return config_folder(door) + "/profiles"; }

std::string profile_path(os::Door& door, const std::string& word) {
  return is_file(word) ? word : profiles_folder(door) + "/" + word + ".toml";
}

std::string versions_of(os::Door& door, const std::string& path) {
  std::string whole = door.real_path(path);
  if (whole.empty()) whole = path.starts_with('/') ? path : door.real_path(".") + "/" + path;
  std::ranges::replace(whole, '/', '!');
  return base_folder(door, "XDG_STATE_HOME", "/.local/state") + "/versions/" + whole;
}

Shelf load_shelf(os::Door& door, const Sources& sources) {
  Shelf shelf{built_in_catalogue(), {}};
  take_data(door, config_folder(door) + "/sheets", shelf);
  for (const std::string& path : sources.data) {
    if (is_there(door, path))
      take_data(door, path, shelf);
    else
      shelf.problems.push_back({"no-file", Severity::error, "there is no such file", path, "check the name"});
  }
  return shelf;
}

std::string rig_path(os::Door& door, const Sources& sources) {
  return sources.rig.empty() ? config_folder(door) + "/rig.toml" : sources.rig;
}

std::string calibrations_folder(os::Door& door, const Sources& sources) {
  const std::string path = rig_path(door, sources);
  const std::size_t slash = path.rfind('/');
  return (slash == std::string::npos ? "." : path.substr(0, slash)) + "/calibrations";
}

tl::expected<Rig, Diagnostics> load_rig(os::Door& door, const Sources& sources) {
  const std::string path = rig_path(door, sources);
  if (sources.rig.empty() && !is_there(door, path)) return Rig{};
  const auto text = files::read_text(door, path);
  if (!text) return tl::unexpected(Diagnostics{text.error()});
  Sheets sheets = read_sheets(path, *text);
  if (!sheets.problems.empty()) return tl::unexpected(sheets.problems);
  const std::string folder = calibrations_folder(door, sources);
  for (const std::string& name : door.names_in(folder)) {
    if (!name.ends_with(".toml")) continue;
    const std::string file = fmt::format("{}/{}", folder, name);
    const auto measured = files::read_text(door, file);
    if (!measured) continue;
    const Sheets more = read_sheets(file, *measured);
    tell(more.problems);
    std::ranges::copy(more.rig.calibrations, std::back_inserter(sheets.rig.calibrations));
  }
  return sheets.rig;
}

Given load(os::Door& door, const Sources& sources) {
  Shelf shelf = load_shelf(door, sources);
  Given given;
  given.catalogue = std::move(shelf.catalogue);
  given.elsewhere = std::move(shelf.problems);
  const std::string path = profile_path(door, sources.profile);
  if (is_file(sources.profile) || (!sources.profile.empty() && is_there(door, path)))
    take_file_named(given, door, path);
  else
    take_proposal(given, door, sources.profile);
  return given;
}

std::optional<Diagnostic> read_trace(os::Door& door, const std::string& path,
                                     const std::function<bool(const TraceEvent&, const Description&)>& take) {
  files::LineReader lines{door, path};
  TraceReader reader{path};
  for (;;) {
    const auto line = lines.next();
    if (!line) return line.error();
    if (!*line) return reader.finish();
    const auto event = reader.take(**line);
    if (!event) return event.error();
    if (*event && !take(**event, reader.nodes().at((*event)->node))) return std::nullopt;
  }
}

std::optional<Diagnostic> hear_trace(os::Door& door, const std::string& path, const Catalogue& catalogue,
                                     const std::function<bool(const TraceEvent&, const Description&)>& take) {
  bool goes_on = true;
  play::TraceHost host{
      catalogue, [&](const TraceEvent& event, const Description& node) { goes_on = goes_on && take(event, node); }};
  auto problem = read_trace(door, path, [&](const TraceEvent& event, const Description& node) {
    host.take(event, node);
    return goes_on;
  });
  host.settle();
  return problem;
}

tl::expected<TraceHead, Diagnostic> read_head(os::Door& door, const std::string& path) {
  files::LineReader lines{door, path};
  TraceReader reader{path};
  const auto line = lines.next();
  if (!line) return tl::unexpected(line.error());
  const auto event = reader.take(line->value_or(""));
  if (!event) return tl::unexpected(event.error());
  return reader.head();
}

std::string room_node_name(int number) { return fmt::format("node {}", number); }

tl::expected<std::vector<Description>, Diagnostic> read_room(os::Door& door, const std::string& path,
                                                             const Catalogue& catalogue) {
  std::map<int, std::vector<Change>> found;  // the state at the first plugging in
  files::LineReader lines{door, path};
  TraceReader reader{path};
  for (;;) {
    const auto line = lines.next();
    if (!line) return tl::unexpected(line.error());
    if (!*line) break;
    const auto event = reader.take(**line);
    if (!event) return tl::unexpected(event.error());
    if (*event && (*event)->deed == Deed::plug_in) found.try_emplace((*event)->node, (*event)->changes);
  }
  if (auto problem = reader.finish()) return tl::unexpected(std::move(*problem));
  std::vector<Description> units;
  for (const auto& [number, unit] : reader.nodes()) {
    units.push_back(unit);
    for (const Change& change : found[number])
      for (CodeRange& range : units.back().codes)
        if (range.code == change.code) range.value = change.value;
    units.back().node = room_node_name(number);
  }
  return play::heard_nodes(catalogue, std::move(units));
}

std::vector<Description> all_nodes(const inspect::Facts& facts, bool shut) {
  std::vector<Description> nodes;
  for (const inspect::NodeFact& fact : facts.nodes) {
    if (!fact.readable) continue;
    nodes.push_back(fact.description);
    if (fact.raw_path.empty() && !shut) continue;
    Description raw = fact.description;
    raw.descriptor = fact.descriptor;
    raw.node = fact.raw_path;
    const bool is_known = std::ranges::any_of(nodes, [&raw](const Description& other) {
      return other.descriptor == raw.descriptor && other.device == raw.device && other.interface == raw.interface;
    });
    if (!is_known) nodes.push_back(std::move(raw));
  }
  return nodes;
}

std::string same_host(const std::string& host) { return host.empty() ? "" : " --host " + host; }

void tell(const Diagnostics& problems) {
  for (const Diagnostic& problem : problems) talk((problem.excerpt.empty() ? "omnipar: " : "") + to_text(problem));
}

}  // namespace omnipar::cli
