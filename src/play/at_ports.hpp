// Whose motors and LEDs are a port's.
#pragma once

#include <vector>

#include "host/nodes.hpp"
#include "play/table.hpp"

namespace omnipar::inline abi_0::play {

/// A playing unit and its port.
struct PortPart {
  host::NodePart part;
  int port = 0;
  friend bool operator==(PortPart, PortPart) = default;
};

/// Those that play at a port, each once; where all parts of a node share their motors and LEDs, its first part.
[[nodiscard]] std::vector<host::NodePart> parts_at(const PortInfo& port, const Table& table, const host::Nodes& nodes);

/// All that play, with the port that each plays at; the first, if it is played at several.
[[nodiscard]] std::vector<PortPart> parts_at_ports(const Plan& plan, const Table& table, const host::Nodes& nodes);

}  // namespace omnipar::inline abi_0::play
