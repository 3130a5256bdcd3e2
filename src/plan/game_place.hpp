// The area of a profile's game on its screen.
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

/// The area on the profile's screen, or on the only one; nothing if the profile has none of the screen fields. Fails
/// with `no-screen`, `unknown-screen` and `bad-area`, without a position.
[[nodiscard]] tl::expected<std::optional<GamePlace>, Diagnostic> game_place(const Catalogue& catalogue,
                                                                            const Profile& profile,
                                                                            const SystemSheet& system);

}  // namespace omnipar::inline abi_0::plan
