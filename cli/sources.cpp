#include "sources.hpp"

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <iterator>

#include <fmt/format.h>

#include "base/list.hpp"
#include "catalogue/lookup.hpp"
#include "command.hpp"
#include "files/read.hpp"
#include "omnipar/sheets.hpp"
#include "play/trace_host.hpp"

namespace omnipar::cli {
namespace {

bool is_file(const std::string& word) { return word.find('/') != std::string::npos || word.ends_with(".toml"); }

/// Our folder in an XDG base directory; empty without a home.
std::string base_folder(os::Door& door, const char* variable, const char* below_home) {
  std::string folder = door.environment(variable);
  if (folder.starts_with('/')) return folder + "/omnipar";
  folder = door.environment("HOME");
  return folder.starts_with('/') ? folder + below_home + "/omnipar" : "";
}

bool is_there(os::Door& door, const std::string& path) { return !door.real_path(path).empty(); }

/// With a room only those files of one's own count that are named.
bool own_files_count(const Sources& sources) { return sources.host.empty(); }

Diagnostic no_home(const std::string& hint) {
  return {"no-home", Severity::error, "there is no home folder to keep it in: HOME is not set", "", hint};
}

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

/// All files of a folder in the order of their names.
void take_folder(os::Door& door, const std::string& path, Shelf& shelf) {
  if (auto problem = unreadable_folder(door, path)) shelf.problems.push_back(std::move(*problem));
  for (const std::string& name : door.names_in(path))
    if (name.ends_with(".toml")) take_file(door, fmt::format("{}/{}", path, name), shelf);
}

bool is_folder(os::Door& door, const std::string& path) {
  const int folder = door.open(path, O_RDONLY | O_DIRECTORY);
  if (folder >= 0) door.close(folder);
  return folder >= 0 || folder == -EACCES;
}

/// True if some other problem stands in the same place: what follows from it need not be said.
bool is_told(const Diagnostic& problem, const Diagnostics& told) {
  return std::ranges::find(told, problem.place, &Diagnostic::place) != told.end();
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

void take_text(Given& given, const std::string& path, const tl::expected<std::string, Diagnostic>& text) {
  if (text) return take_profile(given, path, *text);
  given.readable = false;
  given.problems.push_back(text.error());
}

/// A profile of one's own goes before a machine of the same name.
void note_machine_of_that_name(Given& given, const std::string& word, const std::string& path) {
  if (given.catalogue.system(word) == nullptr) return;
  given.elsewhere.push_back({"name-of-a-machine", Severity::note,
                             fmt::format("your profile is called as the machine '{}' is, and goes before it", word),
                             path, "rename the file, and the machine's default bindings can be played again"});
}

/// What to do where nothing is called so.
std::string hint_for(const Given& given, os::Door& door, const Sources& sources) {
  const std::string own = profile_path(door, sources.profile);
  if (!own_files_count(sources) && is_there(door, own))
    return fmt::format("with --host your own profiles count only by their files: {}", own);
  std::vector<std::string> kept;
  if (own_files_count(sources))
    for (const std::string& name : door.names_in(profiles_folder(door)))
      if (name.ends_with(".toml")) kept.push_back(name.substr(0, name.size() - 5));
  std::vector<std::string_view> names{kept.begin(), kept.end()};
  for (const SystemSheet& system : given.catalogue.systems) names.emplace_back(system.name);
  return suggestion(sources.profile, names);
}

void take_proposal(Given& given, os::Door& door, const Sources& sources) {
  const std::string& word = sources.profile;
  if (auto proposed = propose(given.catalogue, word)) {
    const auto rig = load_rig(door, sources);  // what is wrong with it is said by whoever needs it
    given.profile = rig ? with_seats_of(*rig, std::move(*proposed)) : std::move(*proposed);
    auto plan = compile(given.catalogue, *given.profile);
    if (plan)
      given.plan = std::move(*plan);
    else
      given.problems = plan.error();
    return;
  }
  given.readable = false;
  if (own_files_count(sources))
    if (auto problem = unreadable_folder(door, profiles_folder(door))) given.problems.push_back(std::move(*problem));
  given.problems.push_back({"unknown-system", Severity::error,
                            fmt::format("no machine and no profile is called '{}'", printable(word)), "",
                            hint_for(given, door, sources)});
}

}  // namespace

void add_data_option(CLI::App& command, Sources& sources) {
  command.add_option("--data", sources.data, "more sheets: a file, or a folder of files (may be repeated)")
      ->allow_extra_args(false);
}
void add_rig_option(CLI::App& command, Sources& sources) {
  command.add_option("--rig", sources.rig, "the rig's file, in place of your own");
}
void add_host_option(CLI::App& command, Sources& sources) {
  command.add_option("--host", sources.host,
                     "a trace or a room of made-up units, in place of the units that are there");
}

std::optional<Diagnostic> unreadable_folder(os::Door& door, const std::string& path) {
  const int folder = door.open(path, O_RDONLY | O_DIRECTORY);
  if (folder >= 0) door.close(folder);
  if (folder >= 0 || folder == -ENOENT || path.empty()) return std::nullopt;
  return Diagnostic{"unreadable", Severity::error, fmt::format("it cannot be read: {}", std::strerror(-folder)), path,
                    "check its permissions"};
}

std::string config_folder(os::Door& door) { return base_folder(door, "XDG_CONFIG_HOME", "/.config"); }

std::string profiles_folder(os::Door& door) {
  const std::string folder = config_folder(door);
  return folder.empty() ? "" : folder + "/profiles";
}

std::string profile_path(os::Door& door, const std::string& word) {
  if (is_file(word)) return word;
  const std::string folder = profiles_folder(door);
  return folder.empty() || word.empty() ? "" : fmt::format("{}/{}.toml", folder, word);
}

std::string profile_name(const std::string& word) {
  if (!is_file(word)) return word;
  const std::string file = word.substr(word.rfind('/') + 1);
  return file.substr(0, file.size() - (file.ends_with(".toml") ? std::string_view{".toml"}.size() : 0));
}

tl::expected<std::string, Diagnostic> profile_to_write(os::Door& door, const Sources& sources,
                                                       const std::string& word) {
  const std::string name = profile_name(word);
  if (name.empty() || name != printable(name) || name.starts_with('.') || name.starts_with('-'))
    return tl::unexpected(
        Diagnostic{"bad-name", Severity::error,
                   fmt::format("'{}' is not a name for a profile", word.empty() ? "" : printable(word)), "",
                   "a name is one line, at most 60 characters long, and begins with none of '.-/'"});
  if (is_file(word) && !word.ends_with(".toml"))
    return tl::unexpected(Diagnostic{"bad-name", Severity::error,
                                     fmt::format("'{}' is neither a name nor a profile's file", printable(word)), "",
                                     "a name has no '/', and a profile's file ends in .toml"});
  if (is_file(word)) return word;
  if (!own_files_count(sources))
    return tl::unexpected(Diagnostic{"not-named", Severity::error,
                                     "with --host nothing of yours is written that is not named by its file", "",
                                     fmt::format("name the file: ./{}.toml", word)});
  std::string path = profile_path(door, word);
  if (path.empty()) return tl::unexpected(no_home(fmt::format("set HOME, or name the file: ./{}.toml", word)));
  return path;
}

std::string versions_of(os::Door& door, const std::string& path) {
  std::string whole = door.real_path(path);
  if (whole.empty()) whole = path.starts_with('/') ? path : door.real_path(".") + "/" + path;
  const std::string state = base_folder(door, "XDG_STATE_HOME", "/.local/state");
  if (state.empty()) return whole + ".versions";
  std::ranges::replace(whole, '/', '!');
  return state + "/versions/" + whole;
}

Shelf load_shelf(os::Door& door, const Sources& sources) {
  Shelf shelf{built_in_catalogue(), {}};
  const std::string own = config_folder(door);
  if (own_files_count(sources) && !own.empty()) take_folder(door, own + "/sheets", shelf);
  for (const std::string& path : sources.data) {
    if (is_folder(door, path))
      take_folder(door, path, shelf);
    else
      take_file(door, path, shelf);
  }
  return shelf;
}

std::string rig_path(os::Door& door, const Sources& sources) {
  if (!sources.rig.empty()) return sources.rig;
  const std::string folder = own_files_count(sources) ? config_folder(door) : "";
  return folder.empty() ? "" : folder + "/rig.toml";
}

tl::expected<std::string, Diagnostic> rig_to_write(os::Door& door, const Sources& sources) {
  std::string path = rig_path(door, sources);
  if (!path.empty()) return path;
  if (own_files_count(sources)) return tl::unexpected(no_home("set HOME, or name the rig's file: --rig ./rig.toml"));
  return tl::unexpected(Diagnostic{"not-named", Severity::error,
                                   "with --host your own rig stays as it is: these units are not yours", "",
                                   "name the rig to write, which may be a new file: --rig ./rig.toml"});
}

Profile with_seats_of(const Rig& rig, Profile proposal) {
  std::vector<std::string*> seats;
  for (PortProfile& port : proposal.ports)
    for (std::string* seat : {&port.seat, &port.second_seat})
      if (!seat->empty()) seats.push_back(seat);
  const auto has = [&](const std::string& seat) {
    return std::ranges::any_of(seats, [&](const std::string* own) { return *own == seat; });
  };
  std::vector<std::string> others;
  for (const RigUnit& unit : rig.units)
    if (!unit.seat.empty() && !has(unit.seat) && std::ranges::find(others, unit.seat) == others.end())
      others.push_back(unit.seat);
  auto other = others.begin();
  for (std::string* seat : seats) {
    if (other == others.end()) break;
    if (std::ranges::find(rig.units, *seat, &RigUnit::seat) == rig.units.end()) *seat = *other++;
  }
  return proposal;
}

std::string seated_elsewhere(const Rig& rig, const Plan& plan) {
  const auto seats = plan.seats();
  std::vector<std::string> words;
  for (const RigUnit& unit : rig.units)
    if (!unit.seat.empty() && std::ranges::find(seats, unit.seat) == seats.end())
      words.push_back(fmt::format("\"{}\" (seat {})", printable(unit.name), unit.seat));
  return some_listed(words);
}

std::string calibrations_folder(os::Door& door, const Sources& sources) {
  const std::string path = rig_path(door, sources);
  const std::size_t slash = path.rfind('/');
  return (slash == std::string::npos ? "." : path.substr(0, slash)) + "/calibrations";
}

namespace {

/// What was measured of the rig's units, each in a file of its own. What is wrong with one is said, and the others
/// count all the same.
void add_calibrations(os::Door& door, const std::string& folder, Rig& rig) {
  if (const auto problem = unreadable_folder(door, folder)) tell({*problem});
  for (const std::string& name : door.names_in(folder)) {
    if (!name.ends_with(".toml")) continue;
    const std::string file = fmt::format("{}/{}", folder, name);
    const auto measured = files::read_text(door, file);
    const Sheets more = measured ? read_sheets(file, *measured) : Sheets{};
    tell(measured ? more.problems : Diagnostics{measured.error()});
    std::ranges::copy(more.rig.calibrations, std::back_inserter(rig.calibrations));
  }
}

}  // namespace

tl::expected<Rig, Diagnostics> load_rig(os::Door& door, const Sources& sources) {
  const std::string path = rig_path(door, sources);
  if (path.empty()) return Rig{};
  const auto text = files::read_text(door, path);
  if (!text && sources.rig.empty() && text.error().id == "no-file") return Rig{};
  if (!text) return tl::unexpected(Diagnostics{text.error()});
  Sheets sheets = read_sheets(path, *text);
  if (!sheets.problems.empty()) return tl::unexpected(sheets.problems);
  add_calibrations(door, calibrations_folder(door, sources), sheets.rig);
  return sheets.rig;
}

Given load(os::Door& door, const Sources& sources) {
  Shelf shelf = load_shelf(door, sources);
  Given given;
  given.catalogue = std::move(shelf.catalogue);
  given.elsewhere = std::move(shelf.problems);
  const std::string path = profile_path(door, sources.profile);
  const bool named = is_file(sources.profile);
  if (!named && (path.empty() || !own_files_count(sources))) {
    take_proposal(given, door, sources);
    return given;
  }
  const auto text = files::read_text(door, path);
  if (named || text || text.error().id != "no-file") {
    if (!named) note_machine_of_that_name(given, sources.profile, path);
    take_text(given, path, text);
  } else {
    take_proposal(given, door, sources);
  }
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
      catalogue, [&](const TraceEvent& event, const Description& node) { goes_on = goes_on && take(event, node); },
      [](const Diagnostic& why) { tell({why}); }};
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
    if (const auto why = play::unreadable_descriptor(unit)) tell({*why});
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

}  // namespace omnipar::cli
