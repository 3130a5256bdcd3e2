// TOML through toml++, which only this file uses.
//
// Its parser reports errors in "[" or "[=x]", but first asserts that they do not occur: this would end
// the program in builds with assertions, and mislead the optimizer in others. Its assertions are therefore disabled.
#undef NDEBUG
#define TOML_ASSERT(expression) static_cast<void>(0)
#define TOML_EXCEPTIONS 0
#include <toml++/toml.h>

#include <algorithm>
#include <iterator>
#include <optional>
#include <set>
#include <utility>

#include <fmt/format.h>

#include "text/utf8.hpp"
#include "text/value.hpp"

namespace omnipar::inline abi_0::text {
namespace {

constexpr std::size_t largest_file = std::size_t{1} << 20;
constexpr std::size_t longest_line = std::size_t{64} << 10;
constexpr int deepest = 32;
constexpr std::size_t most_problems = 20;

Mark mark_of(const toml::source_position& position) {
  return {static_cast<int>(position.line), static_cast<int>(position.column)};
}

Diagnostic lies_too_deep(const Source& source, Mark mark) {
  return at(source, mark, "too-deep", fmt::format("nested more than {} levels deep", deepest),
            "Omnipar files never need this many levels");
}

class Reader {
 public:
  Reader(const Source& source, Diagnostics& problems) : source_(source), problems_(problems) {}

  Value convert(const toml::node& node, int depth) {
    Value value;
    value.mark = mark_of(node.source().begin);
    value.end = mark_of(node.source().end);
    if (depth > deepest) {
      if (!std::exchange(said_too_deep_, true)) problems_.push_back(lies_too_deep(source_, value.mark));
      return value;
    }
    if (const auto* table = node.as_table()) {
      convert_table(*table, value, depth);
    } else if (const auto* list = node.as_array()) {
      value.type = Value::Type::list;
      for (const toml::node& item : *list) value.items.push_back(convert(item, depth + 1));
    } else if (const auto* text = node.as_string()) {
      value.type = Value::Type::text;
      value.text = text->get();
    } else if (const auto* integer = node.as_integer()) {
      value.type = Value::Type::integer;
      value.integer = integer->get();
      value.number = static_cast<double>(value.integer);
    } else if (const auto* number = node.as_floating_point()) {
      value.type = Value::Type::number;
      value.number = number->get();
    } else if (const auto* boolean = node.as_boolean()) {
      value.type = Value::Type::boolean;
      value.boolean = boolean->get();
    } else {
      value.type = Value::Type::date;
    }
    return value;
  }

 private:
  void convert_table(const toml::table& table, Value& value, int depth) {
    value.type = Value::Type::table;
    for (const auto& [key, member] : table)
      value.members.push_back({{std::string{key.str()}, mark_of(key.source().begin)}, convert(member, depth + 1)});
    std::ranges::stable_sort(value.members, {}, [](const Member& member) {
      return std::pair{member.key.mark.line, member.key.mark.column};
    });
  }

  const Source& source_;
  Diagnostics& problems_;
  bool said_too_deep_ = false;
};

/// Problems that make reading pointless.
bool check_text(const Source& source, Diagnostics& problems) {
  if (source.text.size() > largest_file) {
    problems.push_back(
        {"file-too-large", Severity::error, "the file is larger than 1 MiB", source.name, "is it the right file?"});
    return false;
  }
  if (source.text.starts_with("\xef\xbb\xbf")) {
    problems.push_back({"not-text", Severity::error, "the file starts with a byte-order mark", source.name,
                        "save it as UTF-8 without a byte-order mark (BOM)"});
    return false;
  }
  Mark mark;
  std::size_t line_start = 0;
  for (std::size_t i = 0; i < source.text.size();) {
    const std::size_t length = utf8_length(std::string_view{source.text}.substr(i));
    if (length == 0) {
      problems.push_back(at(source, mark, "not-text", "this byte is not valid UTF-8", "save the file as UTF-8"));
      return false;
    }
    ++mark.column;
    if (source.text[i] == '\n') {
      ++mark.line;
      mark.column = 1;
      line_start = i + 1;
    } else if (i - line_start > longest_line) {
      problems.push_back(
          at(source, {mark.line, 1}, "line-too-long", "the line is longer than 64 KiB", "is it the right file?"));
      return false;
    }
    i += length;
  }
  return true;
}

Mark mark_at(std::string_view text, std::size_t place) {
  Mark mark;
  for (const char c : text.substr(0, place)) {
    const bool follows = (static_cast<unsigned char>(c) & 0xc0) == 0x80;
    mark.column = c == '\n' ? 1 : mark.column + (follows ? 0 : 1);
    mark.line += c == '\n' ? 1 : 0;
  }
  return mark;
}

/// Scans the text outside quotes and comments until `matches` returns true. Returns that position.
template <typename Predicate>
std::optional<Mark> find_outside_quotes(std::string_view text, const Predicate& matches) {
  std::string_view open;  // the quotes that the text is in, or "#"
  for (std::size_t i = 0; i < text.size();) {
    const std::string_view rest = text.substr(i);
    ++i;
    if (open.empty()) {
      if (matches(rest.front())) return mark_at(text, i - 1);
      for (const std::string_view opening : {"\"\"\"", "'''", "\"", "'", "#"})
        if (open.empty() && rest.starts_with(opening)) open = opening;
      if (!open.empty()) i += open.size() - 1;
    } else if (rest.front() == '\n') {
      if (open.size() == 1) {
        open = {};
        if (matches('\n')) return mark_at(text, i - 1);
      }
    } else if (open.front() == '"' && rest.starts_with('\\')) {
      if (!rest.substr(1).starts_with('\n')) ++i;
    } else if (open != "#" && rest.starts_with(open)) {
      i += open.size() - 1;
      open = {};
    }
  }
  return std::nullopt;
}

/// The first non-ASCII character outside quotes and comments. TOML allows none there, and toml++
/// has undefined behaviour for some of them.
std::optional<Mark> stray_character(std::string_view text) {
  return find_outside_quotes(text, [](char c) { return static_cast<unsigned char>(c) >= 0x80; });
}

/// The position at which nesting exceeds our limit, by brackets or dotted keys. The parser would recurse
/// until the stack overflows.
std::optional<Mark> too_deep(std::string_view text) {
  int brackets = 0, dots = 0;
  return find_outside_quotes(text, [&](char c) {
    constexpr std::string_view ends_of_keys = "[]{}=,\n";
    if (ends_of_keys.find(c) != std::string_view::npos) dots = 0;
    if (c == '[' || c == '{') ++brackets;
    if (c == ']' || c == '}') brackets = std::max(0, brackets - 1);
    if (c == '.') ++dots;
    return brackets > deepest || dots > deepest;
  });
}

/// Empties a line, keeping its end.
void blank_line(std::string& text, int number) {
  std::size_t begin = 0;
  for (; number > 1; --number) {
    const std::size_t end = text.find('\n', begin);
    if (end == std::string::npos) return;
    begin = end + 1;
  }
  const std::size_t end = std::min(text.find('\n', begin), text.size());
  std::fill(text.begin() + static_cast<std::ptrdiff_t>(begin), text.begin() + static_cast<std::ptrdiff_t>(end), ' ');
}

/// A syntax error in plain words, derived from the parser's description.
struct Advice {
  std::string_view said;  ///< part of the parser's description
  std::string_view message;
  std::string_view hint;
};

/// The first match.
const Advice& advice_for(std::string_view description) {
  static constexpr Advice advice[] = {
      {"redefine", "duplicate definition", "write each field and table once; repeated tables start with [[…]]"},
      {"cannot insert", "duplicate definition", "write each field and table once; repeated tables start with [[…]]"},
      {"escape sequence", "invalid escape sequence", R"(write a backslash as "\\", or put the text in single quotes)"},
      {"encountered end", "the file ends inside a value",
       "close this before the end of the file: text with its quotes, a list with ']', a table with '}'"},
      {"literal string", "the text is not closed", "close the text with the same quote: name = 'text'"},
      {"parsing string", "the text is not closed", R"(close the text with the same quote: name = "text")"},
      {"break", "the text is not closed", R"(close the text with the same quote: name = "text")"},
      {"']'", "']' is missing", "close the list or the table's name with ']'; separate members with commas"},
      {"'}'", "'}' is missing", "close the table with '}'; separate members with commas, without one after the last"},
      {"expected '='", "'=' is missing", "write the field's name, '=' and its value: seat = \"left\""},
      {"leading zeroes", "the number has leading zeroes", "write numbers without leading zeroes"},
      {"nested value", "too many levels", "Omnipar files never need this many levels"},
      {"expected value", "the value is missing",
       R"(write a value after '=': text in quotes, a number, true, or a list in [ ])"},
      {"determine value", "invalid value", R"(write one '=', and put text in quotes: seat = "left")"},
      {"parsing boolean", "invalid value", R"(put text in quotes: seat = "left")"},
      {"integer", "invalid number", R"(write a number as 300 or 0.5, or text in quotes)"},
      {"floating", "invalid number", R"(write a number as 300 or 0.5, or text in quotes)"},
      {"a comment or whitespace", "unexpected text after the value", "start a new line for the next field"},
      {"", "this is neither a field nor a table",
       R"(a line is a field, name = "text", or the head of a table, [name] or [[name]])"},
  };
  for (const Advice& one : advice)
    if (description.find(one.said) != std::string_view::npos) return one;
  return advice[std::size(advice) - 1];
}

}  // namespace

Parsed parse_toml(const Source& source) {
  Parsed parsed;
  if (!check_text(source, parsed.problems)) return parsed;
  if (const auto deep = too_deep(source.text)) {
    parsed.problems.push_back(lies_too_deep(source, *deep));
    return parsed;
  }
  std::string text = source.text;
  std::set<int> blanked;
  while (parsed.problems.size() < most_problems) {
    if (const auto stray = stray_character(text)) {
      parsed.problems.push_back(at(source, *stray, "syntax", "this character is only allowed in quotes or in a comment",
                                   "put the name or the text in quotes"));
      blank_line(text, stray->line);
      continue;
    }
    const toml::parse_result result = toml::parse(std::string_view{text});
    if (result) {
      parsed.root = Reader{source, parsed.problems}.convert(result.table(), 0);
      return parsed;
    }
    const Mark mark = mark_of(result.error().source().begin);
    if (!blanked.insert(mark.line).second) break;
    const Advice& advice = advice_for(result.error().description());
    parsed.problems.push_back(at(source, mark, "syntax", std::string{advice.message}, std::string{advice.hint}));
    blank_line(text, mark.line);
  }
  return parsed;
}

}  // namespace omnipar::inline abi_0::text
