// The nodes that are there, and the units that they belong to.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace omnipar::play {

/// What a unit, or a part of one, is called before the rig has a name for it.
[[nodiscard]] std::string name_of(const Description& unit, const std::string& part);

/// A node, and the unit that it is of.
struct Member {
  Description unit;  ///< the unit's main node, with the unit's own half
  Description own;   ///< the node itself
  bool is_main = false;

  /// What the node's codes mean for one part of the unit (empty: for the whole).
  [[nodiscard]] Attachment attachment(const Catalogue& catalogue, std::string_view part = "") const {
    return attach_node(catalogue, unit, is_main ? unit : own, part);
  }
};

class Gathering {
 public:
  void arrive(int node, const Description& description) { nodes_.insert_or_assign(node, description); }
  void leave(int node) { nodes_.erase(node); }
  /// Nothing if there is no such node.
  [[nodiscard]] std::optional<Member> find(int node) const;

 private:
  std::map<int, Description> nodes_;
};

}  // namespace omnipar::play
