// Grabs the units in use, as soon as no button on them is pressed.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "host/nodes.hpp"
#include "omnipar/events.hpp"

namespace omnipar::inline abi_0::play {

class Grabs {
 public:
  /// `nodes` must outlive this object. `tell` receives GrabbedElsewhere, GrabEnded and GrabbedWhileDown.
  Grabs(host::Nodes& nodes, EventHandler tell) : nodes_(nodes), on_event_(std::move(tell)) {}

  /// Checks whether another program has grabbed or released a node, and emits the event.
  void look_at(int node);
  /// The node is gone.
  void forget(int node) { reported_.erase(node); }
  /// Sets the nodes in use, which are grabbed, or released while frozen. All others are available to the desktop.
  void set(const std::vector<int>& playing, bool frozen, Time now);
  /// Retries units that another program has, and grabs units with buttons held for long, which may be stuck; other
  /// programs receive a release.
  void insist(Time now);
  /// When to insist without an event.
  [[nodiscard]] std::optional<Time> next_due() const noexcept { return again_at_; }

 private:
  struct Wait {
    Time since{};
    std::vector<std::string> down;
  };
  void grab_what_is_stuck(int node, const std::vector<std::string>& down);
  void held_elsewhere(int node);
  [[nodiscard]] std::string name_of(int node) const;
  void is_free_again(int node);

  host::Nodes& nodes_;
  EventHandler on_event_;
  std::optional<Time> again_at_;  ///< while some node in use is not grabbed
  std::map<int, Wait> waits_;     ///< by node
  std::set<int> reported_;        ///< held by another program
  std::vector<int> played_;       ///< nodes grabbed so far
};

}  // namespace omnipar::inline abi_0::play
