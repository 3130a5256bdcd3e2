// A catalogue: the sheets that there are to choose from.
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
  std::vector<Screen> screens{};  ///< of the household: what profiles name

  [[nodiscard]] const SystemSheet* system(std::string_view name) const noexcept {
    for (const SystemSheet& sheet : systems)
      if (sheet.name == name) return &sheet;
    return nullptr;
  }
};

/// The sheets that come with the library.
[[nodiscard]] Catalogue built_in_catalogue();

/// The action that ends an evening.
inline constexpr std::string_view exit_action = "exit";

/// The exit combinations that every profile has, whatever else it binds: start and select held for 2 s, on a panel
/// start and coin.
[[nodiscard]] std::vector<Hotkey> built_in_exits();
/// True of these, wherever the hotkey was written.
[[nodiscard]] bool is_built_in(const Hotkey& hotkey);

/// A whole profile for a machine, nobody asked: its ports for "seat-1", "seat-2" … in order, each with the port's
/// default controller and its default sources, and the built-in exit combinations. Fails with
/// `unknown-system`.
[[nodiscard]] tl::expected<Profile, Diagnostics> propose(const Catalogue& catalogue, std::string_view system);

/// The profile with two ports changing their plugs: seats, controllers and bindings go over to the other. A port
/// that the profile lacks changes nothing.
[[nodiscard]] Profile with_ports_swapped(const Catalogue& catalogue, Profile profile, int one, int other);

}  // namespace omnipar::inline abi_0
