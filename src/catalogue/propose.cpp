// A first proposal for a whole profile.
#include <algorithm>

#include <fmt/format.h>

#include "catalogue/lookup.hpp"

namespace omnipar::inline abi_0 {

std::vector<Hotkey> built_in_exits() {
  constexpr Duration long_enough = std::chrono::seconds{2};
  return {{std::string{exit_action}, "start", "select", long_enough, {}},
          {std::string{exit_action}, "start", "coin", long_enough, {}}};
}

bool is_built_in(const Hotkey& hotkey) {
  return std::ranges::any_of(built_in_exits(), [&hotkey](const Hotkey& known) {
    return hotkey.action == known.action && hotkey.modifier == known.modifier && hotkey.press == known.press &&
           hotkey.after == known.after;
  });
}

tl::expected<Profile, Diagnostics> propose(const Catalogue& catalogue, std::string_view system) {
  const auto sheet = catalogue::find_system(catalogue, system);
  if (!sheet) return tl::unexpected(Diagnostics{sheet.error()});
  Profile profile;
  profile.name = fmt::format("{}, default bindings", (*sheet)->name);
  profile.system = (*sheet)->name;
  int seats = 0;
  for (const PortSheet& port : (*sheet)->ports) {
    PortProfile played;
    played.port = port.number;
    played.seat = fmt::format("seat-{}", ++seats);
    const ControllerSheet* fits = port.takes.empty() ? nullptr : (*sheet)->controller(port.takes.front());
    if (fits != nullptr && fits->is_for_two()) played.second_seat = fmt::format("seat-{}", ++seats);
    profile.ports.push_back(std::move(played));
  }
  profile.hotkeys = built_in_exits();
  return profile;
}

}  // namespace omnipar::inline abi_0
