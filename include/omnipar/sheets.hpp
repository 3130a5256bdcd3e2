// Sheets and profiles as people write them: TOML texts, read into plain values.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/system_sheet.hpp"

namespace omnipar {

/// What one text holds. A sheet with errors is left out; the others are there all the same.
struct Sheets {
  std::vector<SystemSheet> systems;
  std::vector<Profile> profiles;
  Diagnostics problems;
};

/// Reads a text. `name` is what messages call it, mostly a file name. All errors come back at once, each
/// with its line and column, the line itself and a hint. Besides those of the file's form there are
/// `too-new`, `unknown-kind` and `name-twice`.
[[nodiscard]] Sheets read_sheets(std::string_view name, std::string_view text);

/// Adds the lines that the places in `problems` name, where they are places of this text.
void add_excerpts(Diagnostics& problems, std::string_view name, std::string_view text);

}  // namespace omnipar
