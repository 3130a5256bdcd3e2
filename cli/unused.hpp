// What units have that does nothing, and what a machine has that nothing moves.
#pragma once

#include "sources.hpp"

namespace omnipar::cli {

/// Of each unit that is there, or in a room: an exit status, as `why` has it.
[[nodiscard]] int show_unused(const Sources& sources, bool json);

}  // namespace omnipar::cli
