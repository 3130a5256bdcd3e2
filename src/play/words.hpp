// Sentences that are said in several places.
#pragma once

namespace omnipar::play {

inline constexpr const char* await_release_words =
    "Release all buttons: the units are given back when no button is down.";

}  // namespace omnipar::play
