// What fields a table of a file may have: one table of fields a kind drives the checking, the reference
// page and whatever else needs to know.
#pragma once

#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "text/value.hpp"

namespace omnipar::inline abi_0::text {

enum class FieldKind {
  text,
  name,      ///< lower-case letters, digits and '-', beginning with a letter
  whole,     ///< a whole number within the range
  number,    ///< a number within the range
  flag,      ///< true or false
  names,     ///< a list of names
  texts,     ///< a list of texts
  point,     ///< a list of two numbers
  points,    ///< a list of such lists
  table,     ///< one table with the inner fields
  tables,    ///< a list of tables with the inner fields
  numbered,  ///< a table whose keys are whole numbers, each a table with the inner fields
  named,     ///< a table with keys of the writer's choice, each a table with the inner fields
  uses,  ///< a table with keys of the writer's choice: each a role, a table with the inner fields, or a list of both
};

struct Field {
  std::string_view name;
  FieldKind kind = FieldKind::text;
  std::string_view about;
  bool needed = false;
  double low = 0;
  double high = 0;
  std::span<const Field> inside{};
  std::vector<std::string_view> words{};  ///< if not empty, a text must be one of them
};

/// The valid part of a table: unknown fields and invalid values are left out, and so is
/// every table that lacks a required field; nothing if the table itself is invalid. All errors are reported:
/// `unknown-field`, `missing-field`, `wrong-type`, `bad-number`, `bad-name`, `bad-word`.
[[nodiscard]] std::optional<Value> checked(const Source& source, Value table, std::span<const Field> fields,
                                           Diagnostics& problems);

}  // namespace omnipar::inline abi_0::text
