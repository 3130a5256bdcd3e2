#include "files/household.hpp"

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <iterator>

#include <fmt/format.h>

#include "catalogue/lookup.hpp"
#include "files/read.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/sheets.hpp"

namespace omnipar::inline abi_0::files {

// -- paths -----------------------------------------------------------------------------------------------------

bool is_file(const std::string& word) { return word.find('/') != std::string::npos || word.ends_with(".toml"); }

/// Our folder in an XDG base directory; empty without a home.
std::string base_folder(os::Files& door, const char* variable, const char* below_home) {
  std::string folder = door.environment(variable);
  if (folder.starts_with('/')) return folder + "/omnipar";
  folder = door.environment("HOME");
  return folder.starts_with('/') ? folder + below_home + "/omnipar" : "";
}

std::string config_folder(os::Files& door) { return base_folder(door, "XDG_CONFIG_HOME", "/.config"); }

std::string profiles_folder(os::Files& door) {
  const std::string folder = config_folder(door);
  return folder.empty() ? "" : folder + "/profiles";
}

std::string profile_path(os::Files& door, const std::string& word) {
  if (is_file(word)) return word;
  const std::string folder = profiles_folder(door);
  return folder.empty() || word.empty() ? "" : fmt::format("{}/{}.toml", folder, word);
}

std::string profile_name(const std::string& word) {
  if (!is_file(word)) return word;
  const std::string file = word.substr(word.rfind('/') + 1);
  return file.substr(0, file.size() - (file.ends_with(".toml") ? std::string_view{".toml"}.size() : 0));
}

std::string rig_path(os::Files& door, const HouseholdFiles& files) {
  if (!files.rig.empty()) return files.rig;
  const std::string folder = files.own_files ? config_folder(door) : "";
  return folder.empty() ? "" : folder + "/rig.toml";
}

std::string calibrations_folder(os::Files& door, const HouseholdFiles& files) {
  const std::string path = rig_path(door, files);
  const std::size_t slash = path.rfind('/');
  return (slash == std::string::npos ? "." : path.substr(0, slash)) + "/calibrations";
}

std::optional<Diagnostic> unreadable_folder(os::Files& door, const std::string& path) {
  const int folder = door.open(path, O_RDONLY | O_DIRECTORY);
  if (folder >= 0) door.close(folder);
  if (folder >= 0 || folder == -ENOENT || path.empty()) return std::nullopt;
  return Diagnostic{"unreadable", Severity::error, fmt::format("cannot read it: {}", std::strerror(-folder)), path,
                    "check its permissions"};
}

// -- sheets ---------------------------------------------------------------------------------------------------

namespace {

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

void load_file(os::Files& door, const std::string& path, FoundSheets& found) {
  const auto text = read_text(door, path);
  if (!text) {
    found.problems.push_back(text.error());
    return;
  }
  Sheets sheets = read_sheets(path, *text);
  found.problems.insert(found.problems.end(), sheets.problems.begin(), sheets.problems.end());
  put(found.catalogue, sheets);
}

/// All files of a folder in order of their names.
void load_folder(os::Files& door, const std::string& path, FoundSheets& found) {
  if (auto problem = unreadable_folder(door, path)) found.problems.push_back(std::move(*problem));
  for (const std::string& name : door.names_in(path))
    if (name.ends_with(".toml")) load_file(door, fmt::format("{}/{}", path, name), found);
}

bool is_folder(os::Files& door, const std::string& path) {
  const int folder = door.open(path, O_RDONLY | O_DIRECTORY);
  if (folder >= 0) door.close(folder);
  return folder >= 0 || folder == -EACCES;
}

}  // namespace

FoundSheets find_sheets(os::Files& door, const HouseholdFiles& files) {
  FoundSheets found{built_in_catalogue(), {}};
  const std::string own = config_folder(door);
  if (files.own_files && !own.empty()) load_folder(door, own + "/sheets", found);
  for (const std::string& path : files.sheets) {
    if (is_folder(door, path))
      load_folder(door, path, found);
    else
      load_file(door, path, found);
  }
  // Problems of the rig are reported by the commands that need it.
  const std::string rig = rig_path(door, files);
  if (const auto text = rig.empty() ? tl::expected<std::string, Diagnostic>{} : read_text(door, rig); text)
    found.catalogue.screens = read_sheets(rig, *text).rig.screens;
  return found;
}

// -- the rig --------------------------------------------------------------------------------------------------

namespace {

/// The calibrations of the rig's units, each in its own file. A problem with one is reported, and the others
/// are still used.
void add_calibrations(os::Files& door, const std::string& folder, FoundRig& found) {
  if (auto problem = unreadable_folder(door, folder)) found.problems.push_back(std::move(*problem));
  for (const std::string& name : door.names_in(folder)) {
    if (!name.ends_with(".toml")) continue;
    const std::string file = fmt::format("{}/{}", folder, name);
    const auto measured = read_text(door, file);
    const Sheets more = measured ? read_sheets(file, *measured) : Sheets{};
    std::ranges::copy(measured ? more.problems : Diagnostics{measured.error()}, std::back_inserter(found.problems));
    std::ranges::copy(more.rig.calibrations, std::back_inserter(found.rig.calibrations));
  }
}

}  // namespace

tl::expected<FoundRig, Diagnostics> find_rig(os::Files& door, const HouseholdFiles& files) {
  const std::string path = rig_path(door, files);
  if (path.empty()) return FoundRig{};
  const auto text = read_text(door, path);
  if (!text && files.rig.empty() && text.error().id == "no-file") return FoundRig{};
  if (!text) return tl::unexpected(Diagnostics{text.error()});
  Sheets sheets = read_sheets(path, *text);
  if (!sheets.problems.empty()) return tl::unexpected(sheets.problems);
  FoundRig found{std::move(sheets.rig), {}};
  add_calibrations(door, calibrations_folder(door, files), found);
  return found;
}

// -- a profile ------------------------------------------------------------------------------------------------

namespace {

bool is_there(os::Files& door, const std::string& path) { return !door.real_path(path).empty(); }

/// True if another problem has the same position or message, so that this one is redundant.
bool is_redundant(const Diagnostic& problem, const Diagnostics& reported) {
  return std::ranges::any_of(reported, [&](const Diagnostic& other) {
    return other.place == problem.place || (other.id == problem.id && other.message == problem.message);
  });
}

std::string held_words(const Sheets& sheets) {
  std::string words;
  const auto add = [&words](std::size_t count, const char* one, const char* many) {
    if (count > 0) words += fmt::format("{}{} {}", words.empty() ? "" : ", ", count, count == 1 ? one : many);
  };
  add(sheets.systems.size(), "machine", "machines");
  add(sheets.units.size(), "unit model", "unit models");
  add(sheets.rig.units.size(), "unit of the rig", "units of the rig");
  add(sheets.rig.calibrations.size(), "calibration", "calibrations");
  return words;
}

/// A profile's file: its syntax and semantic problems, all at once.
void load_profile(FoundProfile& given, const std::string& name, const std::string& text) {
  Sheets sheets = read_sheets(name, text);
  given.contents = held_words(sheets);
  given.problems = std::move(sheets.problems);
  given.readable = given.problems.empty();
  put(given.catalogue, sheets);
  std::vector<Profile>& profiles = given.readable ? sheets.profiles : sheets.flawed_profiles;
  if (profiles.empty() && !sheets.profiles.empty()) profiles = std::move(sheets.profiles);
  if (!profiles.empty()) given.profile = std::move(profiles.front());
  if (!given.profile && given.readable) {
    given.readable = !given.contents.empty();
    given.problems.push_back({"no-profile", Severity::error, "this file contains no profile", name,
                              given.contents.empty() ? "write kind = \"profile\"" : "it contains " + given.contents});
  }
  if (!given.profile) return;
  Catalogue catalogue = given.catalogue;
  put(catalogue.systems, std::move(sheets.flawed_systems));
  auto plan = compile(catalogue, *given.profile);
  if (plan && given.readable) given.plan = std::move(*plan);
  if (plan) return;
  Diagnostics meant = std::move(plan.error());
  std::erase_if(meant, [&](const Diagnostic& problem) { return is_redundant(problem, given.problems); });
  given.problems.insert(given.problems.end(), meant.begin(), meant.end());
  add_excerpts(given.problems, name, text);
  sort_by_place(given.problems);
}

void load_text(FoundProfile& given, const std::string& path, const tl::expected<std::string, Diagnostic>& text) {
  if (text) return load_profile(given, path, *text);
  given.readable = false;
  given.problems.push_back(text.error());
}

/// A user's profile overrides a machine of the same name.
void note_machine_of_that_name(FoundProfile& given, const std::string& word, const std::string& path) {
  if (given.catalogue.system(word) == nullptr) return;
  given.elsewhere.push_back({"name-of-a-machine", Severity::note,
                             fmt::format("your profile has the same name as the machine '{}' and overrides it", word),
                             path, "rename the file to use the machine's default bindings"});
}

/// What to do if nothing has this name.
std::string hint_for(const FoundProfile& given, os::Files& door, const std::string& word, const HouseholdFiles& files) {
  const std::string own = profile_path(door, word);
  if (!files.own_files && is_there(door, own))
    return fmt::format("with --host, name your profiles by their files: {}", own);
  std::vector<std::string> kept;
  if (files.own_files)
    for (const std::string& name : door.names_in(profiles_folder(door)))
      if (name.ends_with(".toml")) kept.push_back(name.substr(0, name.size() - 5));
  std::vector<std::string_view> names{kept.begin(), kept.end()};
  for (const SystemSheet& system : given.catalogue.systems) names.emplace_back(system.name);
  return catalogue::suggestion(word, names);
}

void load_proposal(FoundProfile& given, os::Files& door, const std::string& word, const HouseholdFiles& files) {
  if (auto proposed = propose(given.catalogue, word)) {
    const auto rig = find_rig(door, files);  // its problems are reported by the commands that need it
    given.profile = rig ? with_seats_of(rig->rig, std::move(*proposed)) : std::move(*proposed);
    const SystemSheet* machine = given.catalogue.system(word);
    if (machine != nullptr && !machine->area.empty() && given.catalogue.screens.size() == 1)
      given.profile->screen = given.catalogue.screens.front().name;
    auto plan = compile(given.catalogue, *given.profile);
    if (plan)
      given.plan = std::move(*plan);
    else
      given.problems = plan.error();
    return;
  }
  given.readable = false;
  if (files.own_files)
    if (auto problem = unreadable_folder(door, profiles_folder(door))) given.problems.push_back(std::move(*problem));
  given.problems.push_back({"unknown-system", Severity::error,
                            fmt::format("no machine or profile is called '{}'", printable(word)), "",
                            hint_for(given, door, word, files)});
}

}  // namespace

FoundProfile find_profile(os::Files& door, const std::string& word, const HouseholdFiles& files) {
  FoundSheets found = find_sheets(door, files);
  FoundProfile given;
  given.catalogue = std::move(found.catalogue);
  given.elsewhere = std::move(found.problems);
  const std::string path = profile_path(door, word);
  const bool named = is_file(word);
  if (!named && (path.empty() || !files.own_files)) {
    load_proposal(given, door, word, files);
    return given;
  }
  const auto text = read_text(door, path);
  if (named || text || text.error().id != "no-file") {
    if (!named) note_machine_of_that_name(given, word, path);
    load_text(given, path, text);
  } else {
    load_proposal(given, door, word, files);
  }
  return given;
}

}  // namespace omnipar::inline abi_0::files

namespace omnipar::inline abi_0 {

// -- the calls ------------------------------------------------------------------------------------------------

FoundSheets find_sheets(const HouseholdFiles& files) { return files::find_sheets(os::real_door(), files); }

tl::expected<FoundRig, Diagnostics> find_rig(const HouseholdFiles& files) {
  return files::find_rig(os::real_door(), files);
}

FoundProfile find_profile(std::string_view word, const HouseholdFiles& files) {
  return files::find_profile(os::real_door(), std::string{word}, files);
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

}  // namespace omnipar::inline abi_0
