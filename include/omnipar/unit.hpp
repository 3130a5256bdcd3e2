// Units: which nodes are one physical thing.
#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/description.hpp"

namespace omnipar::inline abi_0 {

/// What a node is good for, by what it can report; what stands for its unit comes first.
enum class NodeKind {
  pad,     ///< buttons of a pad or a joystick
  mouse,   ///< movements, or a place on the screen, with a mouse's buttons
  keys,    ///< a keyboard's keys
  touch,   ///< a finger's place on a pad
  motion,  ///< accelerations and turns of a pad
  other,
};

[[nodiscard]] NodeKind node_kind(const Description& node) noexcept;

/// "pad", "motion" …: what sheets call the node.
[[nodiscard]] std::string_view node_kind_name(NodeKind kind) noexcept;

/// One connection of a physical thing: places in the list of nodes, the main one first.
struct Connection {
  std::vector<std::size_t> nodes;
  std::string half{};          ///< which of several controllers of one device (see `Description::half`)
  bool shares_device = false;  ///< others are there
};

/// One physical thing, by the connection that is used.
struct UnitNodes : Connection {
  /// Other connections of the same thing, wired or wireless, that are not used.
  std::vector<Connection> spares{};

  [[nodiscard]] std::size_t main() const noexcept { return nodes.front(); }
};

/// Groups nodes into units; their order says nothing. Nodes of one device are one unit; but a device with
/// several pads (a receiver, a two-player encoder) is as many units, and other nodes join the pad of their own
/// serial number, else of their own interface, else the first. Which half a pad is, it says itself; where its host
/// does not know, its interface tells, and only among pads of one interface their order. Where the host knows no
/// device, nodes of one model, serial number and socket are one unit. A unit whose serial number comes twice, on two
/// buses, is one: the cable's nodes are used, the radio's are its spares. Units come in the order of their sockets,
/// then of their halves and nodes.
[[nodiscard]] std::vector<UnitNodes> group_nodes(std::span<const Description> nodes);

}  // namespace omnipar::inline abi_0
