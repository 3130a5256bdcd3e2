#include "files/edits.hpp"

#include <algorithm>
#include <map>
#include <string_view>

#include <fmt/format.h>

#include "base/shell_word.hpp"
#include "files/household.hpp"
#include "omnipar/sheets.hpp"
#include "text/edit.hpp"

namespace omnipar::inline abi_0::files {
namespace {

using Keys = std::vector<std::string>;

/// A sheet as `to_toml` writes it, by the paths of its values and tables.
struct Written {
  std::vector<Edit> values;
  std::vector<Keys> tables;
};

Keys split(std::string_view words) {
  Keys keys;
  for (std::size_t dot = words.find('.'); dot != std::string_view::npos; dot = words.find('.')) {
    keys.emplace_back(words.substr(0, dot));
    words.remove_prefix(dot + 1);
  }
  keys.emplace_back(words);
  return keys;
}

/// Our own texts have one line per value, and bare keys.
Written written(std::string_view text) {
  Written all;
  Keys table;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find('\n'), text.size());
    const std::string_view line = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    if (line.starts_with("[[")) {  // the caller knows its index in the list
      table.clear();
    } else if (line.starts_with('[')) {
      table = split(line.substr(1, line.rfind(']') - 1));
      all.tables.push_back(table);
    } else if (const std::size_t equals = line.find(" = "); equals != std::string_view::npos) {
      Keys keys = table;
      keys.emplace_back(line.substr(0, equals));
      all.values.push_back({std::move(keys), std::string{line.substr(equals + 3)}});
    }
  }
  return all;
}

bool begins_with(const Keys& keys, const Keys& head) {
  return keys.size() >= head.size() && std::equal(head.begin(), head.end(), keys.begin());
}

std::vector<Edit> edits(std::string_view before, std::string_view after) {
  const Written was = written(before), is = written(after);
  std::vector<Edit> all;
  std::vector<Keys> gone;
  for (const Keys& table : was.tables)
    if (table.size() <= 2 &&
        table.back() != "hotkeys" &&  // the values of anything deeper, and of a table without a name
        std::ranges::find(is.tables, table) == is.tables.end()) {
      gone.push_back(table);
      all.push_back({table});
    }
  for (const Edit& value : was.values)
    if (std::ranges::find(is.values, value.keys, &Edit::keys) == is.values.end() &&
        std::ranges::none_of(gone, [&](const Keys& head) { return begins_with(value.keys, head); }))
      all.push_back({value.keys});
  for (const Edit& value : is.values) {
    const auto its = std::ranges::find(was.values, value.keys, &Edit::keys);
    if (its == was.values.end() || its->value != value.value) all.push_back(value);
  }
  return all;
}

/// The text with one edit, provided that it has no syntax errors afterwards.
Text with_edit(const std::string& path, const std::string& text, const Edit& edit) {
  const text::Source source{path, text};
  return edit.value ? text::set_value(source, edit.keys, *edit.value) : text::clear_value(source, edit.keys);
}

Text with_edits(const std::string& path, std::string text, const std::vector<Edit>& all) {
  for (const Edit& edit : all) {
    auto next = with_edit(path, text, edit);
    if (!next) return next;
    text = std::move(*next);
  }
  return text;
}

/// The problems of the text as a profile.
Diagnostics mistakes_in(const std::string& path, const std::string& text, Catalogue catalogue) {
  Sheets sheets = read_sheets(path, text);
  Diagnostics problems = sheets.problems;
  for (SystemSheet& system : sheets.systems) catalogue.systems.insert(catalogue.systems.begin(), std::move(system));
  if (problems.empty() && sheets.profiles.empty())
    problems.push_back({"no-profile", Severity::error, "this file contains no profile", path, ""});
  if (problems.empty())
    if (auto plan = compile(catalogue, sheets.profiles.front()); !plan) problems = plan.error();
  add_excerpts(problems, path, text);
  return problems;
}

}  // namespace

std::vector<Edit> edits_between(const Profile& before, const Profile& after) {
  return edits(to_toml(before), to_toml(after));
}

Text edited_profile(const std::string& path, const std::string& old, const Catalogue& catalogue,
                    const std::vector<Edit>& edits) {
  if (old.empty())
    return tl::unexpected(Diagnostics{
        {"no-file", Severity::error, "no such profile", path,
         fmt::format("to create it: omnipar profile new {} --system pad-2b", base::shell_word(profile_name(path)))}});
  auto text = with_edits(path, old, edits);
  if (!text) return text;
  if (auto problems = mistakes_in(path, *text, catalogue); !problems.empty()) return tl::unexpected(problems);
  return text;
}

// -- the rig --------------------------------------------------------------------------------------------------

namespace {

bool same_model(const RigUnit& a, const RigUnit& b) {
  return a.vendor == b.vendor && a.product == b.product && a.model == b.model && a.part == b.part && a.half == b.half;
}

bool same_screen(const Screen& a, const Screen& b) { return a.name == b.name; }

/// For each former entry its index among the wanted ones, which are in the same order; nothing if it was removed.
/// Entries without a former one are new.
template <typename Sheet, typename Same>
std::vector<std::optional<std::size_t>> places(const std::vector<Sheet>& former, const std::vector<Sheet>& wanted,
                                               const Same& same) {
  std::vector<std::optional<std::size_t>> all(former.size());
  const auto is_free = [&](std::size_t place) { return std::ranges::find(all, std::optional{place}) == all.end(); };
  const auto place_each = [&](const auto& fits) {
    for (std::size_t i = 0; i < former.size(); ++i)
      for (std::size_t j = 0; !all[i] && j < wanted.size(); ++j)
        if (is_free(j) && fits(former[i], wanted[j])) all[i] = j;
  };
  place_each([&](const Sheet& a, const Sheet& b) { return a.name == b.name && same(a, b); });
  place_each(same);
  place_each([](const Sheet& a, const Sheet& b) { return a.name == b.name; });
  return all;
}

/// Edits the sheets of one kind, removes those that are gone, and appends new ones to the text.
template <typename Sheet, typename Same>
Text with_list(const std::string& path, std::string text, const std::string& kind, const std::vector<Sheet>& former,
               const std::vector<Sheet>& wanted, const Same& same) {
  const auto where = places(former, wanted, same);
  std::vector<Edit> all;
  for (std::size_t i = 0; i < former.size(); ++i)
    for (Edit& edit : where[i] ? edits(to_toml(former[i]), to_toml(wanted[*where[i]])) : std::vector<Edit>{}) {
      edit.keys.insert(edit.keys.begin(), {kind, "#" + std::to_string(i)});
      all.push_back(std::move(edit));
    }
  for (std::size_t i = former.size(); i-- > 0;)  // from the end, so that the others keep their indices
    if (!where[i]) all.push_back({{kind, "#" + std::to_string(i)}});
  auto edited = with_edits(path, std::move(text), all);
  if (!edited) return edited;
  for (std::size_t j = 0; j < wanted.size(); ++j) {
    if (std::ranges::find(where, std::optional{j}) != where.end()) continue;
    if (!edited->ends_with('\n')) *edited += "\n";
    *edited += to_toml(wanted[j]);
  }
  return edited;
}

/// The same entries in any order.
template <typename Sheet>
bool same_all(const std::vector<Sheet>& a, const std::vector<Sheet>& b) {
  return std::is_permutation(a.begin(), a.end(), b.begin(), b.end());
}

}  // namespace

bool same_unit(const RigUnit& a, const RigUnit& b) {
  return same_model(a, b) && a.serial == b.serial && a.socket == b.socket;
}

const RigUnit* unit_now(const Rig& rig, const RigUnit& earlier) {
  const auto first = [&](const auto& fits) -> const RigUnit* {
    const auto at = std::ranges::find_if(rig.units, fits);
    return at == rig.units.end() ? nullptr : &*at;
  };
  const auto is_named = [&](const RigUnit& unit) { return unit.name == earlier.name; };
  const RigUnit* found = first([&](const RigUnit& unit) { return same_unit(unit, earlier) && is_named(unit); });
  if (found == nullptr) found = first([&](const RigUnit& unit) { return same_unit(unit, earlier); });
  if (found == nullptr && !earlier.serial.empty())
    found = first([&](const RigUnit& unit) { return same_model(unit, earlier) && unit.serial == earlier.serial; });
  if (found == nullptr) found = first([&](const RigUnit& unit) { return same_model(unit, earlier) && is_named(unit); });
  return found;
}

namespace {

/// "Quill Receiver (2)" is the second "Quill Receiver".
std::string without_number(const std::string& name) {
  const std::size_t open = name.rfind(" (");
  if (open == std::string::npos || !name.ends_with(')')) return name;
  const std::string_view inside = std::string_view{name}.substr(open + 2, name.size() - open - 3);
  const bool is_number = !inside.empty() && std::ranges::all_of(inside, [](char c) { return c >= '0' && c <= '9'; });
  return is_number ? name.substr(0, open) : name;
}

}  // namespace

const RigUnit& put_unit(Rig& rig, const RigUnit& unit) {
  const RigUnit* known = unit_now(rig, unit);
  if (known != nullptr && (same_unit(*known, unit) || (!unit.serial.empty() && known->serial == unit.serial)))
    return *known;
  RigUnit added = unit;
  const auto is_taken = [&](const std::string& name) {
    return std::ranges::find(rig.units, name, &RigUnit::name) != rig.units.end();
  };
  const std::string stem = without_number(unit.name);  // as `new_unit` numbers them
  for (int number = 2; is_taken(added.name); ++number) added.name = fmt::format("{} ({})", stem, number);
  return rig.units.emplace_back(std::move(added));
}

Rig with_changes(Rig rig, const Rig& before, const Rig& after) {
  for (const RigUnit& is : after.units) {
    const auto was = std::ranges::find(before.units, is.name, &RigUnit::name);
    if (was == before.units.end()) {
      (void)put_unit(rig, is);
      continue;
    }
    const RigUnit* now = unit_now(rig, *was);
    if (now == nullptr) continue;  // it was removed
    RigUnit& unit = rig.units[static_cast<std::size_t>(now - rig.units.data())];
    for (std::string RigUnit::*field : {&RigUnit::seat, &RigUnit::socket, &RigUnit::connection})
      if (is.*field != (*was).*field && unit.*field == (*was).*field) unit.*field = is.*field;
  }
  return rig;
}

Text rig_text(const std::string& path, const std::string& old, const Rig& wanted) {
  if (old.empty()) {
    Rig begun = wanted;
    begun.calibrations.clear();  // calibrations have files of their own
    return to_toml(begun);
  }
  const Sheets before = read_sheets(path, old);
  if (!before.problems.empty()) return tl::unexpected(before.problems);
  Text text = with_list(path, old, "unit", before.rig.units, wanted.units, same_unit);
  if (text) text = with_list(path, std::move(*text), "screen", before.rig.screens, wanted.screens, same_screen);
  if (!text) return text;
  const Sheets after = read_sheets(path, *text);
  if (!after.problems.empty()) return tl::unexpected(after.problems);
  if (same_all(after.rig.units, wanted.units) && same_all(after.rig.screens, wanted.screens)) return text;
  return tl::unexpected(
      Diagnostics{{"cannot-edit", Severity::error, "Omnipar cannot edit this file", path, "edit it in a text editor"}});
}

}  // namespace omnipar::inline abi_0::files
