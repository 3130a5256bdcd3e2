// A first guess at a whole profile.
#include <fmt/format.h>

#include "catalogue/lookup.hpp"

namespace omnipar {

HotAction built_in_way_out() { return {"exit", "start", "select", std::chrono::seconds{2}, {}}; }

tl::expected<Profile, Diagnostics> propose(const Catalogue& catalogue, std::string_view system) {
  const auto sheet = find_system(catalogue, system);
  if (!sheet) return tl::unexpected(Diagnostics{sheet.error()});
  Profile profile;
  profile.name = fmt::format("{}, as proposed", (*sheet)->name);
  profile.system = (*sheet)->name;
  for (const PortSheet& port : (*sheet)->ports) {
    PortProfile seat;
    seat.port = port.number;
    seat.seat = fmt::format("seat-{}", port.number);
    profile.ports.push_back(std::move(seat));
  }
  profile.hot.push_back(built_in_way_out());
  return profile;
}

}  // namespace omnipar
