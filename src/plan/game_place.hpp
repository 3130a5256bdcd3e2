// Where a profile's game is on its screen.
#pragma once

#include <optional>

#include "omnipar/catalogue.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/screen.hpp"

namespace omnipar::inline abi_0::plan {

struct GamePlace {
  Screen screen;
  AreaSpec words;
  GameArea area;
};

/// On the screen that the profile names, or on the only one; nothing if it says nothing of screens. Fails with
/// `no-screen`, `unknown-screen` and `bad-area`, without a place.
[[nodiscard]] tl::expected<std::optional<GamePlace>, Diagnostic> game_place(const Catalogue& catalogue,
                                                                            const Profile& profile,
                                                                            const SystemSheet& system);

}  // namespace omnipar::inline abi_0::plan
