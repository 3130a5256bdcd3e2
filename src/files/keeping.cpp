#include "files/keeping.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "files/household.hpp"
#include "files/read.hpp"
#include "files/write.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/sheets.hpp"

namespace omnipar::inline abi_0::files {

// -- paths -----------------------------------------------------------------------------------------------------

namespace {

Diagnostic no_home(const std::string& hint) {
  return {"no-home", Severity::error, "no home folder: HOME is not set", "", hint};
}

constexpr std::size_t longest_name = 255;

/// A path as a single file name of at most 255 bytes; a hash distinguishes long ones.
std::string as_one_name(std::string path) {
  std::ranges::replace(path, '/', '!');
  if (path.size() <= longest_name) return path;
  std::uint64_t number = 0xcbf29ce484222325;  // FNV-1a, draft-eastlake-fnv
  for (const char c : path) number = (number ^ static_cast<unsigned char>(c)) * 0x100000001b3;
  const std::string head = fmt::format("{:016x}!", number);
  std::size_t from = path.size() - (longest_name - head.size());
  while (from < path.size() && (static_cast<unsigned char>(path[from]) & 0xc0) == 0x80)
    ++from;  // cuts between characters
  return head + path.substr(from);
}

}  // namespace

tl::expected<std::string, Diagnostic> rig_file(os::Files& door, const HouseholdFiles& files) {
  std::string path = rig_path(door, files);
  if (!path.empty()) return path;
  if (files.own_files) return tl::unexpected(no_home("set HOME, or name a rig file: --rig ./rig.toml"));
  return tl::unexpected(Diagnostic{"not-named", Severity::error,
                                   "with --host your own rig is not changed, because these units are not yours", "",
                                   "name a rig file to write, existing or new: --rig ./rig.toml"});
}

tl::expected<std::string, Diagnostic> profile_file(os::Files& door, const std::string& word,
                                                   const HouseholdFiles& files) {
  const std::string name = profile_name(word);
  if (name.empty() || name != printable(name) || name.starts_with('.') || name.starts_with('-'))
    return tl::unexpected(Diagnostic{"bad-name", Severity::error,
                                     fmt::format("invalid profile name '{}'", word.empty() ? "" : printable(word)), "",
                                     "use one line of at most 60 characters that does not start with '.', '-' or '/'"});
  if (is_file(word) && !word.ends_with(".toml"))
    return tl::unexpected(Diagnostic{"bad-name", Severity::error,
                                     fmt::format("'{}' is neither a profile name nor a profile file", printable(word)),
                                     "", "names contain no '/', and profile files end in .toml"});
  if (is_file(word)) return word;
  if (!files.own_files)
    return tl::unexpected(Diagnostic{"not-named", Severity::error, "with --host, name the file to write", "",
                                     fmt::format("name the file: ./{}.toml", word)});
  std::string path = profile_path(door, word);
  if (path.empty()) return tl::unexpected(no_home(fmt::format("set HOME, or name a file: ./{}.toml", word)));
  return path;
}

std::string versions_of(os::Files& door, const std::string& path) {
  std::string whole = door.real_path(path);
  if (whole.empty()) whole = path.starts_with('/') ? path : door.real_path(".") + "/" + path;
  const std::string state = base_folder(door, "XDG_STATE_HOME", "/.local/state");
  if (state.empty()) return whole + ".versions";
  return state + "/versions/" + as_one_name(std::move(whole));
}

// -- the rig --------------------------------------------------------------------------------------------------

namespace {

/// The locked rig file: changes of the rig and of calibrations are serialised.
struct HeldRig {
  std::string path;
  std::string versions;
  os::Descriptor lock;
};

tl::expected<HeldRig, Diagnostics> hold_rig(os::Files& door, const HouseholdFiles& files) {
  const auto path = rig_file(door, files);
  if (!path) return tl::unexpected(Diagnostics{path.error()});
  HeldRig held{*path, versions_of(door, *path), {}};
  auto lock = hold(door, held.path, held.versions);
  if (!lock) return tl::unexpected(std::move(lock.error()));
  held.lock = std::move(*lock);
  return held;
}

tl::expected<Rig, Diagnostics> rig_in(const std::string& path, const std::string& text) {
  if (text.empty()) return Rig{};
  Sheets sheets = read_sheets(path, text);
  if (!sheets.problems.empty()) return tl::unexpected(std::move(sheets.problems));
  return std::move(sheets.rig);
}

tl::expected<Rig, Diagnostics> rig_at(os::Files& door, const std::string& path) {
  const auto text = read_text(door, path);
  if (!text && text.error().id == "no-file") return Rig{};
  if (!text) return tl::unexpected(Diagnostics{text.error()});
  return rig_in(path, *text);
}

std::optional<Calibration> calibration_in(os::Files& door, const std::string& file) {
  const auto text = read_text(door, file);
  if (!text) return std::nullopt;
  Sheets sheets = read_sheets(file, *text);
  if (sheets.rig.calibrations.empty()) return std::nullopt;
  return std::move(sheets.rig.calibrations.front());
}

/// A unit's calibration and its file, or the file that it will have.
struct PlaceOfCalibration {
  std::string path;
  std::optional<Calibration> known{};
};

/// Files that are not calibrations are skipped. An unreadable file might be the unit's, so it is an error.
tl::expected<PlaceOfCalibration, Diagnostic> find_calibration(os::Files& door, const HouseholdFiles& files,
                                                              const std::string& unit) {
  const std::string folder = calibrations_folder(door, files);
  const std::vector<std::string> names = door.names_in(folder);
  for (const std::string& name : names) {
    if (!name.ends_with(".toml")) continue;
    std::string path = fmt::format("{}/{}", folder, name);
    const auto text = read_text(door, path);
    if (!text && text.error().id == "unreadable") return tl::unexpected(text.error());
    const Sheets sheets = text ? read_sheets(path, *text) : Sheets{};
    for (const Calibration& known : sheets.rig.calibrations)
      if (known.unit == unit) return PlaceOfCalibration{std::move(path), known};
  }
  const std::string stem = plain_word(unit);
  std::string name = stem + ".toml";
  for (int number = 2; std::ranges::find(names, name) != names.end(); ++number)
    name = fmt::format("{}-{}.toml", stem, number);
  return PlaceOfCalibration{folder + "/" + name};
}

std::optional<Diagnostics> write_calibration(os::Files& door, const std::string& path, const Calibration& wanted) {
  const auto written =
      change_file(door, path, versions_of(door, path), [&](const std::string&) -> Text { return to_toml(wanted); });
  if (!written) return written.error();
  if (calibration_in(door, path) == wanted) return std::nullopt;
  if (!undo(door, path, versions_of(door, path))) static_cast<void>(door.remove(path));
  return Diagnostics{
      {"kept-otherwise", Severity::error, "the saved file differs from the measurement", path, "check the file"}};
}

using Renames = std::vector<std::pair<std::string, std::string>>;

/// Renamed units, matched by their identification: the old name and the new one.
Renames renamed(const Rig& before, const Rig& after) {
  Renames all;
  for (const RigUnit& was : before.units) {
    const auto is = std::ranges::find_if(after.units, [&](const RigUnit& unit) { return same_unit(unit, was); });
    const bool stays = std::ranges::any_of(
        after.units, [&](const RigUnit& unit) { return unit.name == was.name && same_unit(unit, was); });
    const auto is_known = [&](const RigUnit& unit) { return is != after.units.end() && unit.name == is->name; };
    if (stays || is == after.units.end()) continue;
    if (std::ranges::any_of(before.units, [&](const RigUnit& unit) { return is_known(unit) && same_unit(unit, was); }))
      continue;  // another unit of exactly the same kind
    all.emplace_back(was.name, is->name);
  }
  return all;
}

/// A unit's calibration stays with it when it is renamed. If one file cannot be written, all are restored.
std::optional<Diagnostics> rename_calibrations(os::Files& door, const HouseholdFiles& files, const Renames& renames) {
  std::vector<std::pair<std::string, Calibration>>
      all;  // all are read before any is written, because names may be swapped
  for (const auto& [was, is] : renames) {
    auto place = find_calibration(door, files, was);
    if (!place) return Diagnostics{std::move(place.error())};
    if (place->known) all.emplace_back(std::move(place->path), std::move(*place->known));
  }
  const auto called_now = [&](Calibration calibration) {
    calibration.unit = std::ranges::find(renames, calibration.unit, &Renames::value_type::first)->second;
    return calibration;
  };
  for (std::size_t i = 0; i < all.size(); ++i) {
    auto problems = write_calibration(door, all[i].first, called_now(all[i].second));
    if (!problems) continue;
    for (std::size_t done = 0; done <= i; ++done)
      static_cast<void>(write_calibration(door, all[done].first, all[done].second));
    return problems;
  }
  return std::nullopt;
}

}  // namespace

tl::expected<bool, Diagnostics> change_rig(os::Files& door, const HouseholdFiles& files, const RigChange& change) {
  const auto held = hold_rig(door, files);
  if (!held) return tl::unexpected(held.error());
  Renames renames;
  auto written = change_held(door, held->path, held->versions, [&](const std::string& old) -> Text {
    const auto before = rig_in(held->path, old);
    if (!before) return tl::unexpected(before.error());
    Rig after = *before;
    if (auto problem = change(after)) {
      if (problem->place.empty()) problem->place = held->path;
      return tl::unexpected(Diagnostics{std::move(*problem)});
    }
    renames = renamed(*before, after);
    return after == *before ? Text{old} : rig_text(held->path, old, after);
  });
  if (!written) return written;
  if (auto problems = rename_calibrations(door, files, renames)) {
    static_cast<void>(undo_held(door, held->path, held->versions));
    return tl::unexpected(std::move(*problems));
  }
  return written;
}

tl::expected<std::string, Diagnostics> undo_rig(os::Files& door, const HouseholdFiles& files) {
  const auto held = hold_rig(door, files);
  if (!held) return tl::unexpected(held.error());
  const auto before = rig_at(door, held->path);
  auto kept = undo_held(door, held->path, held->versions);
  if (!kept) return kept;
  const auto after = rig_at(door, held->path);
  if (!before || !after) return kept;
  if (auto problems = rename_calibrations(door, files, renamed(*before, *after))) {
    if (const auto undone = read_text(door, *kept))
      static_cast<void>(
          change_held(door, held->path, held->versions, [&](const std::string&) { return Text{*undone}; }));
    return tl::unexpected(std::move(*problems));
  }
  return kept;
}

tl::expected<RigUnit, Diagnostics> add_unit(os::Files& door, const HouseholdFiles& files, const RigUnit& unit) {
  RigUnit added;
  const auto written = change_rig(door, files, [&](Rig& rig) -> std::optional<Diagnostic> {
    added = put_unit(rig, unit);
    return std::nullopt;
  });
  if (!written) return tl::unexpected(written.error());
  return added;
}

// -- calibrations ---------------------------------------------------------------------------------------------

std::string calibration_path(os::Files& door, const HouseholdFiles& files, const std::string& unit) {
  const auto place = find_calibration(door, files, unit);
  return place ? place->path : calibrations_folder(door, files) + "/" + plain_word(unit) + ".toml";
}

tl::expected<KeptCalibration, Diagnostics> change_calibration(os::Files& door, const HouseholdFiles& files,
                                                              const RigUnit& unit, const CalibrationChange& change) {
  const auto held = hold_rig(door, files);
  if (!held) return tl::unexpected(held.error());
  const auto rig = rig_at(door, held->path);
  if (!rig) return tl::unexpected(rig.error());
  const RigUnit* now = unit_now(*rig, unit);
  KeptCalibration kept{"", now != nullptr ? now->name : unit.name};
  auto place = find_calibration(door, files, kept.unit);
  if (!place) return tl::unexpected(Diagnostics{std::move(place.error())});
  kept.file = place->path;
  Calibration wanted = std::move(place->known).value_or(Calibration{});
  wanted.unit = kept.unit;
  change(wanted);
  wanted.unit = kept.unit;
  if (auto problems = write_calibration(door, kept.file, wanted)) return tl::unexpected(std::move(*problems));
  return kept;
}

// -- profiles -------------------------------------------------------------------------------------------------

tl::expected<bool, Diagnostics> edit_profile(os::Files& door, const std::string& path, const Catalogue& catalogue,
                                             const std::vector<Edit>& edits) {
  return change_file(door, path, versions_of(door, path),
                     [&](const std::string& old) { return edited_profile(path, old, catalogue, edits); });
}

std::optional<Diagnostics> write_new_profile(os::Files& door, const std::string& path, const Profile& profile) {
  const auto written = change_file(door, path, versions_of(door, path), [&](const std::string& old) -> Text {
    if (old.empty()) return to_toml(profile);
    return tl::unexpected(Diagnostics{{"name-twice", Severity::error, "a profile of this name already exists", path,
                                       "choose another name; nothing was changed"}});
  });
  if (written) return std::nullopt;
  return written.error();
}

namespace {

tl::expected<bool, Diagnostics> change_profile(os::Files& door, const std::string& word, const ProfileChange& change,
                                               const HouseholdFiles& files) {
  const auto path = profile_file(door, word, files);
  if (!path) return tl::unexpected(Diagnostics{path.error()});
  const Catalogue catalogue = find_sheets(door, files).catalogue;
  return change_file(door, *path, versions_of(door, *path), [&](const std::string& old) -> Text {
    if (old.empty()) return edited_profile(*path, old, catalogue, {});
    Sheets sheets = read_sheets(*path, old);
    if (!sheets.problems.empty()) return tl::unexpected(std::move(sheets.problems));
    if (sheets.profiles.empty()) return edited_profile(*path, old, catalogue, {});
    Profile after = sheets.profiles.front();
    if (auto problem = change(after)) {
      if (problem->place.empty()) problem->place = *path;
      return tl::unexpected(Diagnostics{std::move(*problem)});
    }
    const auto edits = edits_between(sheets.profiles.front(), after);
    if (edits.empty()) return old;
    auto text = edited_profile(*path, old, catalogue, edits);
    if (!text) return text;
    const Sheets again = read_sheets(*path, *text);
    if (!again.profiles.empty() && edits_between(again.profiles.front(), after).empty()) return text;
    return tl::unexpected(Diagnostics{
        {"cannot-edit", Severity::error, "Omnipar cannot edit this file", *path, "edit it in a text editor"}});
  });
}

}  // namespace
}  // namespace omnipar::inline abi_0::files

namespace omnipar::inline abi_0 {

// -- the calls ------------------------------------------------------------------------------------------------

tl::expected<std::string, Diagnostic> rig_file(const HouseholdFiles& files) {
  return files::rig_file(os::real_door(), files);
}

tl::expected<std::string, Diagnostic> profile_file(std::string_view word, const HouseholdFiles& files) {
  return files::profile_file(os::real_door(), std::string{word}, files);
}

std::vector<std::string> former_versions(std::string_view path) {
  os::Files& door = os::real_door();
  return files::former_versions(door, files::versions_of(door, std::string{path}));
}

tl::expected<bool, Diagnostics> change_rig(const RigChange& change, const HouseholdFiles& files) {
  return files::change_rig(os::real_door(), files, change);
}

tl::expected<std::string, Diagnostics> undo_rig(const HouseholdFiles& files) {
  return files::undo_rig(os::real_door(), files);
}

tl::expected<RigUnit, Diagnostics> add_unit(const RigUnit& unit, const HouseholdFiles& files) {
  return files::add_unit(os::real_door(), files, unit);
}

tl::expected<KeptCalibration, Diagnostics> change_calibration(const RigUnit& unit, const CalibrationChange& change,
                                                              const HouseholdFiles& files) {
  return files::change_calibration(os::real_door(), files, unit, change);
}

tl::expected<bool, Diagnostics> change_profile(std::string_view word, const ProfileChange& change,
                                               const HouseholdFiles& files) {
  return files::change_profile(os::real_door(), std::string{word}, change, files);
}

tl::expected<std::string, Diagnostics> add_profile(std::string_view word, Profile profile,
                                                   const HouseholdFiles& files) {
  os::Files& door = os::real_door();
  auto path = files::profile_file(door, std::string{word}, files);
  if (!path) return tl::unexpected(Diagnostics{path.error()});
  profile.name = files::profile_name(std::string{word});
  if (auto problems = files::write_new_profile(door, *path, profile)) return tl::unexpected(std::move(*problems));
  return *path;
}

tl::expected<std::string, Diagnostics> undo_profile(std::string_view word, const HouseholdFiles& files) {
  os::Files& door = os::real_door();
  const auto path = files::profile_file(door, std::string{word}, files);
  if (!path) return tl::unexpected(Diagnostics{path.error()});
  return files::undo(door, *path, files::versions_of(door, *path));
}

}  // namespace omnipar::inline abi_0
