// Sentences that are said in several places.
#pragma once

namespace omnipar::inline abi_0::play {

inline constexpr const char* await_release_words =
    "Release all buttons: the units are given back when no button is down.";

}  // namespace omnipar::inline abi_0::play
