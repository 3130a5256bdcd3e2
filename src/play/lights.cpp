#include "play/lights.hpp"

#include <algorithm>
#include <utility>

namespace omnipar::inline abi_0::play {

std::uint32_t leds_of(int port, int count) noexcept {
  constexpr std::uint32_t all_leds = ~std::uint32_t{0};
  return port >= 1 && port <= count ? std::uint32_t{1} << (port - 1) : all_leds;
}

void Lights::set(int port, std::optional<std::uint32_t> which) {
  requests_[port] = which;
  for (const PortPart playing : playing_)
    if (playing.port == port) show(playing);
}

void Lights::seat(std::vector<PortPart> playing) {
  const std::vector<PortPart> before = std::exchange(playing_, std::move(playing));
  for (const PortPart now : playing_)
    if (std::ranges::find(before, now) == before.end()) show(now);
}

void Lights::show(PortPart playing) {
  const auto request = requests_.find(playing.port);
  const int count = request == requests_.end() ? 0 : nodes_.count_of_leds(playing.part);
  if (count > 0) nodes_.show_leds(playing.part, request->second.value_or(leds_of(playing.port, count)));
}

}  // namespace omnipar::inline abi_0::play
