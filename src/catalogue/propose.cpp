// A first guess at a whole profile.
#include <fmt/format.h>

#include "catalogue/lookup.hpp"

namespace omnipar {

Hotkey built_in_exit() { return {"exit", "start", "select", std::chrono::seconds{2}, {}}; }

tl::expected<Profile, Diagnostics> propose(const Catalogue& catalogue, std::string_view system) {
  const auto sheet = find_system(catalogue, system);
  if (!sheet) return tl::unexpected(Diagnostics{sheet.error()});
  Profile profile;
  profile.name = fmt::format("{}, as proposed", (*sheet)->name);
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
  profile.hotkeys.push_back(built_in_exit());
  return profile;
}

}  // namespace omnipar
