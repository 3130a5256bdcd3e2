// Sentences that several places use.
#pragma once

namespace omnipar::inline abi_0::play {

inline constexpr const char* await_release_words = "Release all buttons to give the units back.";

}  // namespace omnipar::inline abi_0::play
