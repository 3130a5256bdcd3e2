// From texts to sheets: first the syntax is checked, then the valid parts are converted to plain values.
#include "omnipar/sheets.hpp"

#include <algorithm>
#include <charconv>
#include <set>

#include <fmt/format.h>

#include "catalogue/kinds.hpp"
#include "catalogue/lookup.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0 {
namespace {

using text::Value;

constexpr std::int64_t newest_format = 1;

class SheetReader {
 public:
  SheetReader(const text::Source& source, Sheets& sheets) : source_(source), sheets_(sheets) {}

  void read(const Value& root) {
    if (!has_known_format(root)) return;
    const Value* several = root.find("sheet");
    if (several == nullptr || several->type != Value::Type::list) return read_one(root);
    for (const auto& [key, member] : root.members)
      if (key.name != "sheet" && key.name != "omnipar")
        error(key.mark, "unknown-field", fmt::format("unknown field '{}' outside [[sheet]]", key.name),
              "move it into its sheet");
    for (const Value& sheet : several->items) read_one(sheet);
  }

 private:
  void error(text::Mark mark, std::string id, std::string message, std::string hint) {
    sheets_.problems.push_back(text::at(source_, mark, std::move(id), std::move(message), std::move(hint)));
  }

  bool has_known_format(const Value& root) {
    const Value* version = root.find("omnipar");
    if (version == nullptr) {
      error({1, 1}, "missing-field", "'omnipar' is missing", "start the file with: omnipar = 1");
      return false;
    }
    if (version->type != Value::Type::integer || version->integer < 1) {
      error(version->mark, "wrong-type", "'omnipar' must be the format version, a whole number from 1",
            "start the file with: omnipar = 1");
      return false;
    }
    if (version->integer > newest_format) {
      error(version->mark, "too-new",
            fmt::format("this file has format version {}, which is newer than this Omnipar", version->integer),
            fmt::format("this Omnipar reads version {}; upgrade Omnipar to read the file", newest_format));
      return false;
    }
    return true;
  }

  void read_one(const Value& sheet) {
    const Value* name = sheet.find("kind");
    constexpr const char* example = R"(write kind = "profile", or another kind)";
    if (name == nullptr) return error(sheet.mark, "missing-field", "'kind' is missing", example);
    if (name->type != Value::Type::text)
      return error(
          name->mark, "wrong-type",
          fmt::format("'kind' must be {}, not {}", text::name_of(Value::Type::text), text::name_of(name->type)),
          example);
    const auto kinds = catalogue::kinds();
    const auto kind = std::ranges::find(kinds, name->text, &catalogue::Kind::name);
    if (kind == kinds.end())
      return error(name->mark, "unknown-kind", fmt::format("there is no sheet kind '{}'", name->text),
                   catalogue::suggestion(name->text, sheet_kinds()));
    const std::size_t before = sheets_.problems.size();
    const auto good = text::checked(source_, sheet, kind->fields, sheets_.problems);
    if (good) kind->read(source_, *good, before, sheets_);
  }

  const text::Source& source_;
  Sheets& sheets_;
};

}  // namespace

void catalogue::check_differ(const text::Source& source, const Value& list, std::string_view field,
                             Diagnostics& problems) {
  std::set<std::string_view> seen;
  for (const Value& item : list.items) {
    const Value* name = item.find(field);
    if (name == nullptr) continue;
    if (!seen.insert(name->text).second)
      problems.push_back(
          text::at(source, name->mark, "name-twice", fmt::format("duplicate '{}'", name->text), "rename one of them"));
  }
}

void catalogue::check_area(const text::Source& source, const Value& table, Diagnostics& problems) {
  const Value* area = table.find("area");
  if (area == nullptr) return;
  if (const auto words = parse_area(area->text); !words)
    problems.push_back(text::at(source, area->mark, words.error().id, words.error().message, words.error().hint));
}

void catalogue::check_roles(const text::Source& source, const Value* list, Diagnostics& problems) {
  if (list == nullptr) return;
  const auto check = [&](const Value& role) {
    if (role_kind(role.text) || stick_direction(role.text)) return;
    problems.push_back(text::at(source, role.mark, "unknown-role", fmt::format("unknown role '{}'", role.text),
                                catalogue::suggestion(role.text, role_names())));
  };
  if (list->type == Value::Type::text) check(*list);
  for (const Value& role : list->items) check(role);
}

std::vector<std::string_view> sheet_kinds() {
  std::vector<std::string_view> names;
  for (const catalogue::Kind& kind : catalogue::kinds()) names.push_back(kind.name);
  return names;
}

Sheets read_sheets(std::string_view name, std::string_view text) {
  const text::Source source{std::string{name}, std::string{text}};
  Sheets sheets;
  text::Parsed parsed = text::parse_toml(source);
  const bool unreadable = parsed.root.members.empty() && !parsed.problems.empty();
  sheets.problems = std::move(parsed.problems);
  if (!unreadable) SheetReader{source, sheets}.read(parsed.root);
  sort_by_place(sheets.problems);
  return sheets;
}

void add_excerpts(Diagnostics& problems, std::string_view name, std::string_view text) {
  const text::Source source{std::string{name}, std::string{text}};
  const std::string head = source.name + ":";
  for (Diagnostic& problem : problems) {
    if (!problem.excerpt.empty() || !problem.place.starts_with(head)) continue;
    text::Mark mark;
    const char* const end = problem.place.data() + problem.place.size();
    const auto [colon, error] = std::from_chars(problem.place.data() + head.size(), end, mark.line);
    if (error != std::errc{} || colon == end) continue;
    std::from_chars(colon + 1, end, mark.column);
    problem.excerpt = text::at(source, mark, "", "", "").excerpt;
  }
}

}  // namespace omnipar::inline abi_0
