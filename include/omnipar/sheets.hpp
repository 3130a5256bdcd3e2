// Sheets and profiles as people write them: TOML texts, read into plain values.
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

/// What one text holds. A sheet with errors is left out; the others are there all the same.
struct Sheets {
  std::vector<SystemSheet> systems;
  std::vector<UnitSheet> units;
  std::vector<Profile> profiles;
  Rig rig;  ///< units and calibrations of all its sheets
  Diagnostics problems;
  /// What can be read of machines and profiles that have errors: for looking on, never for playing.
  std::vector<SystemSheet> flawed_systems;
  std::vector<Profile> flawed_profiles;
};

/// Reads a text. `name` is what messages call it, mostly a file name. All errors come back at once, each
/// with its line and column, the line itself and a hint. Besides those of the file's form there are
/// `too-new`, `unknown-kind`, `name-twice`, `unknown-controller`, `unknown-role`, `unknown-code`,
/// `unknown-part` and `wrong-code`.
[[nodiscard]] Sheets read_sheets(std::string_view name, std::string_view text);

/// Adds the lines that the places in `problems` name, where they are places of this text.
void add_excerpts(Diagnostics& problems, std::string_view name, std::string_view text);

/// The kinds of sheets, as their files name them.
[[nodiscard]] std::vector<std::string_view> sheet_kinds();

/// The JSON Schema (draft 2020-12) of a kind of sheet, read as TOML is read into JSON. Empty for an unknown kind.
[[nodiscard]] std::string sheet_schema(std::string_view kind);

/// A page in Markdown with the fields of every kind.
[[nodiscard]] std::string sheet_reference();

/// A profile, a model of unit, a rig's units, one of them, or a calibration as a file. Reading it gives the same again,
/// and writing that the same text.
[[nodiscard]] std::string to_toml(const Profile& profile);
[[nodiscard]] std::string to_toml(const UnitSheet& sheet);
[[nodiscard]] std::string to_toml(const Rig& rig);
[[nodiscard]] std::string to_toml(const RigUnit& unit);
[[nodiscard]] std::string to_toml(const Screen& screen);
[[nodiscard]] std::string to_toml(const Calibration& calibration);
/// The value of a binding, on one line: "south", or ["east", "west"].
[[nodiscard]] std::string to_toml(const Binding& binding);

}  // namespace omnipar::inline abi_0
