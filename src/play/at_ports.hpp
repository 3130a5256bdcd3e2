// The motors and LEDs that belong to a port.
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

/// The nodes that play at a port, each once; if all parts of a node share their motors and LEDs, its first part.
[[nodiscard]] std::vector<host::NodePart> parts_at(const PortInfo& port, const Table& table, const host::Nodes& nodes);

/// All nodes in play with their ports; the first port if there are several.
[[nodiscard]] std::vector<PortPart> parts_at_ports(const Plan& plan, const Table& table, const host::Nodes& nodes);

}  // namespace omnipar::inline abi_0::play
