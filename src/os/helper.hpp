// Processes of our own beside the one that plays.
#pragma once

namespace omnipar::inline abi_0::os {

/// In a new process: nothing but these descriptors (the second may be -1) stays open, so that it has no unit and no
/// other terminal; it has a name of its own, and a Ctrl-C that is meant for the player does not reach it.
void become_helper(const char* name, int descriptor, int other = -1) noexcept;

}  // namespace omnipar::inline abi_0::os
