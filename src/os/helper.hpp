// Processes of our own beside the one that plays.
#pragma once

namespace omnipar::os {

/// In a new process: nothing but this descriptor stays open, so that it holds no unit and no terminal; it has a name of
/// its own, and a Ctrl-C that is meant for the player does not reach it.
void become_helper(const char* name, int descriptor) noexcept;

}  // namespace omnipar::os
