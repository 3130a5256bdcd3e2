#include "plan/game_place.hpp"

#include "catalogue/lookup.hpp"

namespace omnipar::inline abi_0::plan {

tl::expected<std::optional<GamePlace>, Diagnostic> game_place(const Catalogue& catalogue, const Profile& profile,
                                                              const SystemSheet& system) {
  const bool says_nothing = profile.screen.empty() && profile.area.empty() && profile.pointer_span == PointerSpan::area;
  // For a machine with an area the profile needs none if there is exactly one screen.
  if (says_nothing && (catalogue.screens.size() != 1 || system.area.empty())) return std::nullopt;
  const auto screen = catalogue::find_screen(catalogue.screens, profile.screen);
  if (!screen) return tl::unexpected(screen.error());
  const auto words = parse_area(!profile.area.empty() ? profile.area : !system.area.empty() ? system.area : "full");
  if (!words) return tl::unexpected(words.error());
  return GamePlace{**screen, *words, area_on(seen_size(**screen), *words)};
}

}  // namespace omnipar::inline abi_0::plan
