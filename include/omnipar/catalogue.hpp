// A catalogue: the available sheets.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/diagnostic.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/screen.hpp"
#include "omnipar/system_sheet.hpp"
#include "omnipar/unit_sheet.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

struct Catalogue {
  std::vector<SystemSheet> systems;
  std::vector<UnitSheet> units{};
  std::vector<Screen> screens{};  ///< the user's screens, named by profiles

  [[nodiscard]] const SystemSheet* system(std::string_view name) const noexcept {
    for (const SystemSheet& sheet : systems)
      if (sheet.name == name) return &sheet;
    return nullptr;
  }
};

/// Returns the sheets shipped with the library.
[[nodiscard]] Catalogue built_in_catalogue();

/// The action that ends the session.
inline constexpr std::string_view exit_action = "exit";

/// Returns the exit combinations that always work: start and select held for 2 s; on a panel, start and coin.
[[nodiscard]] std::vector<Hotkey> built_in_exits();
/// Returns true if a hotkey equals one of them.
[[nodiscard]] bool is_built_in(const Hotkey& hotkey);

/// Returns the default profile of a machine: its ports for "seat-1", "seat-2" … in order, each with its default
/// controller and default sources, and the built-in exit combinations. Fails with `unknown-system`.
[[nodiscard]] tl::expected<Profile, Diagnostics> propose(const Catalogue& catalogue, std::string_view system);

/// Returns the profile with two ports swapped: seats, controllers and bindings. A port that the profile lacks has no
/// effect.
[[nodiscard]] Profile with_ports_swapped(const Catalogue& catalogue, Profile profile, int one, int other);

}  // namespace omnipar::inline abi_0
