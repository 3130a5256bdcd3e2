// Keys that belong to the desktop: a grabbed keyboard still changes the volume. They are passed on through a virtual
// device, except those in play.
#pragma once

#include <map>
#include <span>
#include <vector>

#include "host/nodes.hpp"
#include "outlet/outlets.hpp"
#include "play/table.hpp"

namespace omnipar::inline abi_0::play {

class DesktopKeys {
 public:
  /// All of them must outlive this.
  DesktopKeys(const host::Nodes& nodes, const Table& table, outlet::Outlets& outlets) noexcept
      : nodes_(nodes), table_(table), outlets_(outlets) {}

  /// Looks for such keys on a node; if it has any, the virtual device is created.
  [[nodiscard]] std::optional<Diagnostic> find(int node);
  /// Passes on the changes of a grabbed node. Other programs read nodes that are not grabbed themselves.
  void pass_on(int node, std::span<const Change> changes) {
    if (!keys_.empty()) pass_on_keys(node, changes);
  }
  /// The node is gone: keys that it held are released.
  void forget(int node);

 private:
  struct PassedKey {
    Code code;
    bool down = false;
  };

  void pass_on_keys(int node, std::span<const Change> changes);

  const host::Nodes& nodes_;
  const Table& table_;
  outlet::Outlets& outlets_;
  std::map<int, std::vector<PassedKey>> keys_;  ///< by node
};

}  // namespace omnipar::inline abi_0::play
