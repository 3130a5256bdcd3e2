// Controls without an effect, and targets without a source.
#pragma once

#include "sources.hpp"

namespace omnipar::cli {

/// Prints the unbound controls of each unit. Returns the exit status of `why`.
[[nodiscard]] int show_unused(const Sources& sources, bool json);

}  // namespace omnipar::cli
