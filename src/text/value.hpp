// The contents of a TOML file, as a tree that records the position of each value.
#pragma once

#include <compare>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/diagnostic.hpp"

namespace omnipar::inline abi_0::text {

/// A position in a file; both count from 1, columns in characters.
struct Mark {
  int line = 1;
  int column = 1;
  friend auto operator<=>(const Mark&, const Mark&) = default;
};

/// A whole file's text and its name in messages.
struct Source {
  std::string name;
  std::string text;
  mutable std::vector<std::size_t> line_starts{};  ///< computed when the first line is requested

  /// Without its line ending; empty if there is no such line.
  [[nodiscard]] std::string_view line(int number) const;
};

/// A diagnostic at a position in a file: "name:line:column", with the line itself and a caret below it.
[[nodiscard]] Diagnostic at(const Source& source, Mark mark, std::string id, std::string message, std::string hint,
                            Severity severity = Severity::error);
/// The same for a line that the caller already has.
[[nodiscard]] Diagnostic at_line(std::string_view name, Mark mark, std::string_view line, std::string id,
                                 std::string message, std::string hint, Severity severity = Severity::error);

struct Member;

struct Value {
  enum class Type { text, integer, number, boolean, date, list, table };
  struct Key {
    std::string name;
    Mark mark;
  };

  Type type = Type::table;
  Mark mark;
  Mark end;  ///< just after it; for a table with a header of its own: after the header
  std::string text;
  std::int64_t integer = 0;
  double number = 0;  ///< also for an integer
  bool boolean = false;
  std::vector<Value> items;     ///< of a list
  std::vector<Member> members;  ///< of a table, in the order of the file

  /// The value of a table's key, or nullptr.
  [[nodiscard]] const Value* find(std::string_view name) const noexcept;
};

struct Member {
  Value::Key key;
  Value value;
};

/// True if two values have the same contents, regardless of position and order.
[[nodiscard]] bool same(const Value& a, const Value& b);

/// "a text", "a whole number" …
[[nodiscard]] std::string_view name_of(Value::Type type);

/// Parses TOML. After a syntax error it continues after the statement, so that all errors are reported at
/// once (at most 20); the tree then contains everything that could be read. Errors: `not-text` (bad UTF-8),
/// `file-too-large` (over 1 MiB), `line-too-long` (over 64 KiB), `too-deep` (over 32 levels), `syntax`.
struct Parsed {
  Value root;
  Diagnostics problems;
};
[[nodiscard]] Parsed parse_toml(const Source& source);

}  // namespace omnipar::inline abi_0::text
