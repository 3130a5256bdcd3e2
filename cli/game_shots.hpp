// Calibration shots of a game, as given on the command line.
#pragma once

#include <optional>
#include <string>

#include "omnipar/catalogue.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/profile.hpp"

namespace omnipar::cli {

/// Sets the positions, such as "0.1,0.1 0.9,0.1", for each port that has a pointer, replacing its own. Where nothing
/// starts them yet, `start` held for 1.5 s does. Fails with `bad-arguments`.
[[nodiscard]] std::optional<Diagnostic> add_game_shots(const Catalogue& catalogue, const std::string& places,
                                                       Profile& profile);

}  // namespace omnipar::cli
