// The kinds of sheets: their names, their fields, and how they are converted to plain values.
#pragma once

#include <span>
#include <string_view>

#include "omnipar/sheets.hpp"
#include "text/fields.hpp"

namespace omnipar::inline abi_0::catalogue {

/// One kind. The fields drive the checking, the JSON Schema and the reference page.
struct Kind {
  std::string_view name;
  std::string_view about;
  std::string_view example;  ///< a whole file
  std::span<const text::Field> fields;
  /// Converts a checked table to a plain value, checks its semantics, and adds it to `sheets`: among
  /// the valid ones, if there have been no errors since `errors_before`.
  void (*read)(const text::Source& source, const text::Value& table, std::size_t errors_before, Sheets& sheets);
};

[[nodiscard]] std::span<const Kind> kinds();

void read_system(const text::Source& source, const text::Value& table, std::size_t errors_before, Sheets& sheets);
void read_unit(const text::Source& source, const text::Value& table, std::size_t errors_before, Sheets& sheets);
void read_rig(const text::Source& source, const text::Value& table, std::size_t errors_before, Sheets& sheets);
void read_calibration(const text::Source& source, const text::Value& table, std::size_t errors_before, Sheets& sheets);
void read_profile(const text::Source& source, const text::Value& table, std::size_t errors_before, Sheets& sheets);

/// In a list of tables, a field's texts must be unique: `name-twice`.
void check_differ(const text::Source& source, const text::Value& list, std::string_view field, Diagnostics& problems);

/// Each role in a list must be in the vocabulary, or one direction of a stick: `unknown-role`.
void check_roles(const text::Source& source, const text::Value* list, Diagnostics& problems);

/// Checks the field 'area' of a table: `bad-area`.
void check_area(const text::Source& source, const text::Value& table, Diagnostics& problems);

}  // namespace omnipar::inline abi_0::catalogue
