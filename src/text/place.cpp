// Diagnostics that point to a line.
#include <algorithm>

#include <fmt/format.h>

#include "text/utf8.hpp"
#include "text/value.hpp"

namespace omnipar::inline abi_0::text {
namespace {

/// Of a long line only the part around the position is shown.
constexpr int widest = 100;

/// The line with a caret below it, both indented alike. A tab is shown as one space, so that
/// each character is one cell.
std::string excerpt(std::string_view line, int column, int number) {
  const int first = column > widest / 2 ? column - widest / 2 : 1;
  std::string shown;
  for (int at_column = 1; !line.empty() && at_column < first + widest; ++at_column) {
    const bool tab = line.front() == '\t';
    const std::string_view character = text::next_character(line);
    if (at_column >= first) shown += tab ? " " : character;
  }
  const std::string gutter = fmt::format("{:>5} | ", number);
  return fmt::format("{}{}\n{:>{}}| {:>{}}", gutter, shown, "", gutter.size() - 2, "^", column - first + 1);
}

}  // namespace

std::string_view Source::line(int number) const {
  if (line_starts.empty()) {
    line_starts.push_back(0);
    for (std::size_t end = text.find('\n'); end != std::string::npos; end = text.find('\n', end + 1))
      line_starts.push_back(end + 1);
  }
  if (number < 1 || static_cast<std::size_t>(number) > line_starts.size()) return {};
  std::string_view line = std::string_view{text}.substr(line_starts[static_cast<std::size_t>(number) - 1]);
  line = line.substr(0, line.find('\n'));
  if (line.ends_with('\r')) line.remove_suffix(1);
  return line;
}

Diagnostic at_line(std::string_view name, Mark mark, std::string_view line, std::string id, std::string message,
                   std::string hint, Severity severity) {
  Diagnostic diagnostic{std::move(id), severity, std::move(message),
                        fmt::format("{}:{}:{}", name, mark.line, mark.column), std::move(hint)};
  diagnostic.excerpt = excerpt(line, mark.column, mark.line);
  return diagnostic;
}

Diagnostic at(const Source& source, Mark mark, std::string id, std::string message, std::string hint,
              Severity severity) {
  return at_line(source.name, mark, source.line(mark.line), std::move(id), std::move(message), std::move(hint),
                 severity);
}

const Value* Value::find(std::string_view name) const noexcept {
  const auto at_name = std::ranges::find_if(members, [name](const Member& member) { return member.key.name == name; });
  return at_name == members.end() ? nullptr : &at_name->value;
}

bool same(const Value& a, const Value& b) {
  if (a.type != b.type || a.members.size() != b.members.size()) return false;
  const bool members = std::ranges::all_of(a.members, [&b](const Member& member) {
    const Value* other = b.find(member.key.name);
    return other != nullptr && same(member.value, *other);
  });
  return members && a.text == b.text && a.integer == b.integer && a.number == b.number && a.boolean == b.boolean &&
         std::ranges::equal(a.items, b.items, same);
}

std::string_view name_of(Value::Type type) {
  switch (type) {
    case Value::Type::text:
      return "a text";
    case Value::Type::integer:
      return "a whole number";
    case Value::Type::number:
      return "a number";
    case Value::Type::boolean:
      return "true or false";
    case Value::Type::date:
      return "a date or time";
    case Value::Type::list:
      return "a list";
    case Value::Type::table:
      return "a table";
  }
  return "";
}

}  // namespace omnipar::inline abi_0::text
