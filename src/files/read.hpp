// Reading whole text files.
#pragma once

#include <string>

#include <tl/expected.hpp>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"

namespace omnipar::files {

/// The text of a plain file of at most 1 MiB. Fails with `no-file`, `not-a-file` (a folder, a pipe, a
/// device), `file-too-large` or `unreadable`.
[[nodiscard]] tl::expected<std::string, Diagnostic> read_text(os::Door& door, const std::string& path);

}  // namespace omnipar::files
