// Which units nobody else hears: those that are played on, as soon as that harms nobody.
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
  /// The nodes must outlive this. `tell` is told of GrabbedElsewhere and GrabEnded, and of GrabbedWhileDown.
  Grabs(host::Nodes& nodes, EventHandler tell) : nodes_(nodes), tell_(std::move(tell)) {}

  /// A node may be another program's, or not any more: either is told, once.
  void look_at(int node);
  /// It is gone.
  void forget(int node) { told_.erase(node); }
  /// These are played on from now on: they are grabbed, or, while all is frozen, everybody's again. What nobody plays
  /// on, or plays on any more, works for the desktop.
  void set(const std::vector<int>& playing, bool frozen, Time now);
  /// Tries again what could not be grabbed at once: a unit that another program has, and one of which something stays
  /// down for a while, for its switch may be stuck. Of that others are told that it is up.
  void insist(Time now);
  /// When to insist although nothing happens.
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
  EventHandler tell_;
  std::optional<Time> again_at_;  ///< while something is to be grabbed that is not
  std::map<int, Wait> waits_;     ///< by node
  std::set<int> told_;            ///< to be another program's
  std::vector<int> played_;       ///< nodes, by now
};

}  // namespace omnipar::inline abi_0::play
