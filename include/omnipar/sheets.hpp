// Reading and writing sheets and profiles as TOML.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/rig.hpp"
#include "omnipar/system_sheet.hpp"
#include "omnipar/unit_sheet.hpp"

namespace omnipar::inline abi_0 {

/// The contents of a text. Sheets with errors are omitted; all others are included.
struct Sheets {
  std::vector<SystemSheet> systems;
  std::vector<UnitSheet> units;
  std::vector<Profile> profiles;
  Rig rig;  ///< units, screens and calibrations of all sheets
  Diagnostics problems;
  /// Machines and profiles with errors, as far as they can be read. For display only.
  std::vector<SystemSheet> flawed_systems;
  std::vector<Profile> flawed_profiles;
};

/// Reads a text. `name` is its name in messages, such as a file name. All errors are returned at once, with line,
/// column, excerpt and hint. In addition to syntax errors: `too-new`, `unknown-kind`, `name-twice`,
/// `unknown-controller`, `unknown-role`, `unknown-code`, `unknown-part` and `wrong-code`.
[[nodiscard]] Sheets read_sheets(std::string_view name, std::string_view text);

/// Adds excerpts of this text to the problems with a place in it.
void add_excerpts(Diagnostics& problems, std::string_view name, std::string_view text);

/// Returns the sheet kinds, as used in files.
[[nodiscard]] std::vector<std::string_view> sheet_kinds();

/// Returns the JSON Schema (draft 2020-12) of a sheet kind, for TOML converted to JSON. Empty for an unknown kind.
[[nodiscard]] std::string sheet_schema(std::string_view kind);

/// Returns a page in Markdown with the fields of every kind.
[[nodiscard]] std::string sheet_reference();

/// Returns a value as TOML. Reading it returns the same value, and writing that the same text.
[[nodiscard]] std::string to_toml(const Profile& profile);
[[nodiscard]] std::string to_toml(const UnitSheet& sheet);
[[nodiscard]] std::string to_toml(const Rig& rig);
[[nodiscard]] std::string to_toml(const RigUnit& unit);
[[nodiscard]] std::string to_toml(const Screen& screen);
[[nodiscard]] std::string to_toml(const Calibration& calibration);
/// Returns the value of a binding on one line: "south", or ["east", "west"].
[[nodiscard]] std::string to_toml(const Binding& binding);

}  // namespace omnipar::inline abi_0
