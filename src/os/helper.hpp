// Helper processes beside the player.
#pragma once

namespace omnipar::inline abi_0::os {

/// In a new process: closes everything except these descriptors (the second may be -1), so that it holds no unit and no
/// terminal; gives it a name of its own, and protects it from a Ctrl-C meant for the player.
void become_helper(const char* name, int descriptor, int other = -1) noexcept;

}  // namespace omnipar::inline abi_0::os
