#include "host/part_outputs.hpp"

#include <linux/input.h>

#include <string>
#include <system_error>
#include <utility>

#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::host {

void PartOutputs::find(const Catalogue& catalogue, const Description& node, int descriptor) try {
  const auto read = hid::read_descriptor(node.descriptor);
  if (!read || hid::outputs_of(*read).empty()) return;
  const auto names = unit_parts(catalogue, node);
  auto controls = part_controls(catalogue, node);
  controls.resize(names.size());
  std::vector<std::vector<std::size_t>> players;
  for (std::size_t part = 0; part < names.size(); ++part) {
    const bool is_own = names[part] == hid::own_part;
    players_.push_back(is_own ? -1 : static_cast<int>(players.size()));
    if (!is_own) players.push_back(std::move(controls[part]));
  }
  output_ = std::make_unique<RawOutput>(descriptor, *read, hid::controls_of(*read), players);
} catch (const std::system_error&) {  // no thread available: it is played without them
}

const std::vector<std::uint16_t>& PartOutputs::no_motors() noexcept {
  static const std::vector<std::uint16_t> none;
  return none;
}

const std::vector<std::uint16_t>& PartOutputs::motors(int part) const noexcept {
  static const std::vector<std::uint16_t> rumble{FF_RUMBLE};
  return player_of(part) >= 0 && output_->has_motors(player_of(part)) ? rumble : no_motors();
}

}  // namespace omnipar::inline abi_0::host
