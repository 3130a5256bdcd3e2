// The common part of playing and listening: waits for signals, plugs and nodes at once, and releases grabbed
// units once nothing on them is down.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>

#include "host/nodes.hpp"
#include "host/watch.hpp"
#include "os/signals.hpp"
#include "play/waiter.hpp"

namespace omnipar::inline abi_0::play {

class DeviceMonitor {
 public:
  /// The door and the catalogue must outlive this.
  DeviceMonitor(os::Door& door, const Catalogue& catalogue, bool with_virtual)
      : door_(door), nodes_(door, catalogue, with_virtual), waiter_(door), signals_(door) {}

  /// Redirects these signals to this object during its lifetime. Fails with `no-signals`, `no-udev` or
  /// `cannot-wait`.
  [[nodiscard]] std::optional<Diagnostic> begin(std::span<const int> signals);
  [[nodiscard]] host::Nodes& nodes() noexcept { return nodes_; }
  /// Available after `begin`.
  [[nodiscard]] host::Watch& watch() const noexcept { return *watch_; }
  /// Further descriptors are added to the waiter.
  [[nodiscard]] Waiter& waiter() noexcept { return waiter_; }
  /// Adds this node to the waiter. Fails with `cannot-wait`.
  [[nodiscard]] std::optional<Diagnostic> watch_node(int node);

  /// Called for each ready descriptor that is not a signal, plug or node.
  using Other = std::function<void(Ready)>;
  /// Waits until anything is ready, or until `until`. Marks ready nodes and calls `other`. Returns false if waiting
  /// failed.
  [[nodiscard]] bool wait(std::optional<Time> until, const Other& other);
  /// True if plugs, or signals, arrived in the last wait and have not all been processed.
  [[nodiscard]] bool has_node_events() const noexcept { return node_events_wait_; }
  [[nodiscard]] bool has_signals() const noexcept { return signals_wait_; }
  [[nodiscard]] std::optional<host::NodeEvent> next_node_event();
  [[nodiscard]] std::optional<os::CaughtSignal> next_signal();

  /// Closes each node once no button on it is pressed, so that other programs receive the releases. Limited in time; a
  /// second signal closes at once. `awaits` is called if it has to wait, `left` for nodes that disappear.
  void give_back(const std::function<void()>& awaits, const Other& other, const std::function<void(int node)>& left);

 private:
  os::Door& door_;
  host::Nodes nodes_;
  Waiter waiter_;
  os::Signals signals_;
  std::unique_ptr<host::Watch> watch_;
  bool node_events_wait_ = false;
  bool signals_wait_ = false;
};

}  // namespace omnipar::inline abi_0::play
