// What a person names on the command line: a machine, or a file with a profile.
#pragma once

#include <optional>
#include <string>

#include "omnipar/omnipar.hpp"
#include "os/door.hpp"

namespace omnipar::cli {

struct Given {
  Catalogue catalogue;
  std::optional<Profile> profile;
  std::optional<Plan> plan;
  Diagnostics problems;
  bool readable = true;  ///< false if the file itself is bad, and not only what it asks for
};

/// A word with '/' or ending in ".toml" is a file; sheets of machines in the same file count. Anything
/// else is a machine, and its proposed profile is taken.
[[nodiscard]] Given load(os::Door& door, const std::string& word);

/// Each problem on stderr.
void tell(const Diagnostics& problems);

}  // namespace omnipar::cli
