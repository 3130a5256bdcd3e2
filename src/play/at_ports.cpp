#include "play/at_ports.hpp"

#include <algorithm>

namespace omnipar::inline abi_0::play {

std::vector<host::NodePart> parts_at(const PortInfo& port, const Table& table, const host::Nodes& nodes) {
  std::vector<host::NodePart> parts;
  for (const std::string_view seat : {port.seat, port.second_seat})
    for (const host::NodePart part : seat.empty() ? std::vector<host::NodePart>{} : table.playing_parts(seat))
      if (const auto output = nodes.output_of(part); std::ranges::find(parts, output) == parts.end())
        parts.push_back(output);
  return parts;
}

std::vector<PortPart> parts_at_ports(const Plan& plan, const Table& table, const host::Nodes& nodes) {
  std::vector<PortPart> playing;
  for (const PortInfo& port : plan.ports())
    for (const host::NodePart part : parts_at(port, table, nodes))
      if (std::ranges::find(playing, part, &PortPart::part) == playing.end()) playing.push_back({part, port.number});
  return playing;
}

}  // namespace omnipar::inline abi_0::play
