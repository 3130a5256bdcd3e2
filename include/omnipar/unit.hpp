// Units: grouping input nodes into physical devices.
#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/description.hpp"

namespace omnipar::inline abi_0 {

/// The kind of a node, by what it can report. The main node of a unit is the one with the first kind.
enum class NodeKind {
  pad,     ///< buttons of a pad or joystick
  mouse,   ///< movements or a screen position, with mouse buttons
  keys,    ///< keyboard keys
  touch,   ///< a touchpad
  motion,  ///< acceleration and rotation sensors
  other,
};

[[nodiscard]] NodeKind node_kind(const Description& node) noexcept;

/// Returns the name used in sheets: "pad", "motion" …
[[nodiscard]] std::string_view node_kind_name(NodeKind kind) noexcept;

/// One connection of a physical device: indices into the list of nodes, starting with the main node.
struct Connection {
  std::vector<std::size_t> nodes;
  std::string half{};          ///< which of several controllers of one device (see `Description::half`)
  bool shares_device = false;  ///< the device has other controllers
};

/// A physical device, with the nodes of the connection in use.
struct UnitNodes : Connection {
  /// Other connections of the same device, wired or wireless, that are not used.
  std::vector<Connection> spares{};

  [[nodiscard]] std::size_t main() const noexcept { return nodes.front(); }
};

/// Groups nodes into units. The order of `nodes` has no effect.
///
/// Nodes of one device form one unit. A device with several pads (a receiver, a two-player encoder) forms one unit for
/// each pad; other nodes join the pad with their serial number, otherwise with their interface, otherwise the first.
/// `Description::half` distinguishes the pads; if it is unknown, their interfaces do, and pads on one interface are
/// distinguished by order. If the device is unknown, nodes with the same model, serial number and socket form one unit.
/// A serial number that occurs on two buses is one unit: the wired nodes are used, the wireless ones are in `spares`.
///
/// Units are sorted by socket, then by half and node.
[[nodiscard]] std::vector<UnitNodes> group_nodes(std::span<const Description> nodes);

}  // namespace omnipar::inline abi_0
