// An edit replaces, adds or removes one part of the text, then parses the result and compares: the value
// must be the requested one and everything else must be unchanged, or the edit is rejected.
#include "text/edit.hpp"

#include <algorithm>
#include <charconv>
#include <optional>

#include <fmt/format.h>

#include "text/utf8.hpp"

namespace omnipar::inline abi_0::text {
namespace {

std::size_t offset_of_line(std::string_view text, int line) {
  std::size_t offset = 0;
  for (; line > 1; --line) {
    const std::size_t end = text.find('\n', offset);
    if (end == std::string_view::npos) return text.size();
    offset = end + 1;
  }
  return offset;
}

/// TOML counts characters, std::string bytes.
std::size_t offset_of(std::string_view text, Mark mark) {
  std::size_t offset = offset_of_line(text, mark.line);
  for (int column = 1; column < mark.column && offset < text.size(); ++column)
    offset += std::max<std::size_t>(1, utf8_length(text.substr(offset)));
  return offset;
}

/// The index that a key such as "#2" denotes.
std::optional<std::size_t> index_in(std::string_view key) {
  std::size_t index = 0;
  if (!key.starts_with('#')) return std::nullopt;
  const char* const end = key.data() + key.size();
  const auto [stop, error] = std::from_chars(key.data() + 1, end, index);
  return error == std::errc{} && stop == end ? std::optional{index} : std::nullopt;
}

/// The value under one key of a table, or at "#2" of a list. Null if there is none.
const Value* child(const Value& from, const std::string& key) {
  if (!key.starts_with('#')) return from.find(key);
  const auto index = index_in(key);
  return from.type == Value::Type::list && index && *index < from.items.size() ? &from.items[*index] : nullptr;
}

std::string joined(Path path) {
  std::string all;
  for (const std::string& key : path) all += (all.empty() ? "" : ".") + key;
  return all;
}

class Editor {
 public:
  Editor(const Source& source, Path path, const Value& root)
      : source_(source), text_(source.text), path_(path), root_(root) {
    if (source.text.find("\r\n") != std::string::npos) line_end_ = "\r\n";
  }

  tl::expected<std::string, Diagnostics> set(const std::string& value) const {
    std::size_t depth = 0;
    const Value* deepest = &root_;
    for (; depth < path_.size(); ++depth) {
      const Value* next = child(*deepest, path_[depth]);
      if (next == nullptr) break;
      deepest = next;
    }
    if (depth == path_.size()) return replaced(*deepest, value);
    if (deepest->type != Value::Type::table) return refused();
    const Path missing = path_.subspan(depth);
    if (is_inline(*deepest)) return added_inside(*deepest, missing, value);
    const bool own_section = depth > 0 && has_header(*deepest, path_[depth - 1]);
    if (missing.size() == 1 && (deepest == &root_ || own_section))
      return with_line_behind(last_line_of(*deepest), fmt::format("{} = {}", missing[0], value));
    const std::string section =
        fmt::format("[{}]{}{} = {}", joined(path_.first(path_.size() - 1)), line_end_, path_.back(), value);
    return own_section ? with_line_behind(last_line_of(*deepest), section) : with_section_at_end(section);
  }

  tl::expected<std::string, Diagnostics> clear() const {
    const Value* parent = &root_;
    for (const std::string& key : path_.first(path_.size() - 1)) {
      parent = child(*parent, key);
      if (parent == nullptr) return source_.text;
    }
    if (path_.back().starts_with('#')) return without_item(*parent);
    const auto member =
        std::ranges::find_if(parent->members, [&](const Member& m) { return m.key.name == path_.back(); });
    if (member == parent->members.end()) return source_.text;
    if (is_inline(*parent)) return without_inside(*parent, *member);
    if (is_section(member->value)) return refused();
    const std::size_t from = offset_of_line(text_, member->key.mark.line);
    const std::size_t to = offset_of_line(text_, member->value.end.line + 1);
    return source_.text.substr(0, from) + source_.text.substr(to);
  }

  tl::unexpected<Diagnostics> refused() const {
    return tl::unexpected(Diagnostics{{"cannot-edit", Severity::error,
                                       fmt::format("Omnipar cannot edit '{}' in this file", joined(path_)),
                                       source_.name, "edit it in a text editor"}});
  }

 private:
  bool begins_with(const Value& value, char c) const {
    const std::size_t at = offset_of(text_, value.mark);
    return at < text_.size() && text_[at] == c;
  }
  bool is_inline(const Value& table) const { return &table != &root_ && begins_with(table, '{'); }
  /// A table, or a list of tables, with headers of its own.
  bool is_section(const Value& value) const {
    if (value.type == Value::Type::list)
      return !value.items.empty() && value.items[0].type == Value::Type::table && begins_with(value.items[0], '[');
    return value.type == Value::Type::table && begins_with(value, '[');
  }
  /// The header is the table's own, not that of an inner table.
  bool has_header(const Value& table, std::string_view name) const {
    if (!begins_with(table, '[')) return false;
    if (name.starts_with('#')) return true;  // in a list of tables, each has its own
    std::string_view header = text_.substr(offset_of(text_, table.mark));
    header = header.substr(0, offset_of(text_, table.end) - offset_of(text_, table.mark));
    while (header.ends_with(']') || header.ends_with(' ')) header.remove_suffix(1);
    return header.ends_with(name);
  }

  /// The last line of a table's contents, excluding tables with headers of their own.
  int last_line_of(const Value& table) const {
    int line = &table == &root_ ? 0 : table.end.line;
    for (const Member& member : table.members)
      if (!is_section(member.value))
        line = std::max(
            {line, member.value.end.line, member.value.type == Value::Type::table ? last_line_of(member.value) : 0});
    return line;
  }

  std::string replaced(const Value& old, const std::string& value) const {
    const std::size_t from = offset_of(text_, old.mark);
    return source_.text.substr(0, from) + value + source_.text.substr(offset_of(text_, old.end));
  }

  std::string with_line_behind(int line, const std::string& added) const {
    const std::size_t at = offset_of_line(text_, line + 1);
    std::string before = source_.text.substr(0, at);
    if (!before.empty() && !before.ends_with('\n')) before += line_end_;
    return before + added + line_end_ + source_.text.substr(at);
  }

  std::string with_section_at_end(const std::string& section) const {
    std::string text = source_.text;
    if (!text.empty() && !text.ends_with('\n')) text += line_end_;
    return text + (text.empty() ? "" : line_end_) + section + line_end_;
  }

  /// Into { … }; missing tables on the path become inline tables, too.
  std::string added_inside(const Value& table, Path missing, const std::string& value) const {
    std::string added = fmt::format("{} = {}", missing.back(), value);
    for (std::size_t i = missing.size() - 1; i-- > 0;) added = fmt::format("{} = {{ {} }}", missing[i], added);
    std::size_t brace = offset_of(text_, table.end) - 1;
    while (brace > 0 && text_[brace - 1] == ' ') --brace;
    const std::string before = source_.text.substr(0, brace);
    const std::string rest{text_.substr(text_.find('}', brace))};
    return fmt::format("{}{} {} {}", before, table.members.empty() ? "" : ",", added, rest);
  }

  /// Removes one table from a list of tables: its header, its lines, and the empty line after them.
  tl::expected<std::string, Diagnostics> without_item(const Value& list) const {
    const Value* item = child(list, path_.back());
    if (item == nullptr) return source_.text;
    if (!is_section(list)) return refused();
    const std::size_t from = offset_of_line(text_, item->mark.line);
    std::size_t to = offset_of_line(text_, last_line_of(*item) + 1);
    if (text_.substr(to).starts_with(line_end_)) to += line_end_.size();
    return source_.text.substr(0, from) + source_.text.substr(to);
  }

  std::string without_inside(const Value& table, const Member& member) const {
    std::size_t from = offset_of(text_, member.key.mark);
    std::size_t to = offset_of(text_, member.value.end);
    const bool last = &member == &table.members.back();
    if (!last) {
      to = text_.find(',', to) + 1;
      while (to < text_.size() && text_[to] == ' ') ++to;
    } else if (table.members.size() > 1) {
      from = text_.rfind(',', from);
    }
    return source_.text.substr(0, from) + source_.text.substr(to);
  }

  const Source& source_;
  std::string_view text_;
  Path path_;
  const Value& root_;
  std::string line_end_ = "\n";
};

/// Removes the value at `path`, and tables that are empty with or without it.
void prune(Value& table, Path path) {
  if (!path.empty() && table.type == Value::Type::list) {
    const auto index = index_in(path[0]);
    if (!index || *index >= table.items.size()) return;
    if (path.size() == 1)
      table.items.erase(table.items.begin() + static_cast<std::ptrdiff_t>(*index));
    else
      prune(table.items[*index], path.subspan(1));
    return;
  }
  if (!path.empty()) {
    const auto member = std::ranges::find_if(table.members, [&](const Member& m) { return m.key.name == path[0]; });
    if (member != table.members.end()) {
      prune(member->value, path.subspan(1));
      const bool emptied = path.size() == 2 && path[1].starts_with('#') && member->value.items.empty();
      if (path.size() == 1 || emptied) table.members.erase(member);
    }
  }
  std::erase_if(table.members, [](Member& member) {
    if (member.value.type != Value::Type::table) return false;
    prune(member.value, {});
    return member.value.members.empty();
  });
}

const Value* at_path(const Value& root, Path path) {
  const Value* value = &root;
  for (const std::string& key : path)
    if (value != nullptr) value = child(*value, key);
  return value;
}

/// True if the new text equals the old one except for the value at `path`, which is the requested one.
bool is_as_meant(const Parsed& before, const Source& after, Path path, const Value* wanted) {
  Parsed now = parse_toml(after);
  if (!now.problems.empty()) return false;
  const Value* value = at_path(now.root, path);
  const bool from_list = wanted == nullptr && path.back().starts_with('#');  // later entries move up
  if (!from_list && ((value == nullptr) != (wanted == nullptr) || (value != nullptr && !same(*value, *wanted))))
    return false;
  Value old = before.root;
  prune(old, path);
  // A removed entry of a list is skipped.
  prune(now.root, from_list ? Path{} : path);
  return same(old, now.root);
}

}  // namespace

tl::expected<std::string, Diagnostics> set_value(const Source& source, Path path, const std::string& value) {
  const Parsed before = parse_toml(source);
  if (!before.problems.empty()) return tl::unexpected(before.problems);
  const Parsed wanted = parse_toml({"the value", "it = " + value});
  if (!wanted.problems.empty()) return tl::unexpected(wanted.problems);
  const Value* meant = wanted.root.find("it");
  if (const Value* old = at_path(before.root, path); old != nullptr && same(*old, *meant)) return source.text;
  const Editor editor{source, path, before.root};
  auto text = editor.set(value);
  if (text && !is_as_meant(before, {source.name, *text}, path, meant)) return editor.refused();
  return text;
}

tl::expected<std::string, Diagnostics> clear_value(const Source& source, Path path) {
  const Parsed before = parse_toml(source);
  if (!before.problems.empty()) return tl::unexpected(before.problems);
  const Editor editor{source, path, before.root};
  auto text = editor.clear();
  if (text && !is_as_meant(before, {source.name, *text}, path, nullptr)) return editor.refused();
  return text;
}

}  // namespace omnipar::inline abi_0::text
