// What units have that does nothing, and what a machine has that nothing moves.
#pragma once

#include "sources.hpp"

namespace omnipar::cli {

/// Prints the unbound controls of each unit. Returns the exit status of `why`.
[[nodiscard]] int show_unused(const Sources& sources, bool json);

}  // namespace omnipar::cli
