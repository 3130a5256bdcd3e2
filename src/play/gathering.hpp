// The open nodes and their units.
#pragma once

#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace omnipar::inline abi_0::play {

/// The name of a unit, or a part of one, before the rig has a name for it.
[[nodiscard]] std::string name_of(const Description& unit, const std::string& part);
/// The same if another unit has that name, too: with its socket, or else its node.
[[nodiscard]] std::string name_with_socket(const std::string& name, const Description& unit);

/// True if another unit among the nodes has the same model and name, so that only their sockets distinguish them.
[[nodiscard]] bool has_double(std::span<const Description> nodes, const UnitNodes& unit);

/// A node and the unit that it belongs to.
struct Member {
  Description unit;  ///< the unit's main node, with the unit's own half
  Description own;   ///< the node itself
  bool is_main = false;

  /// The meaning of the node's codes for one part of the unit (empty: for the whole).
  [[nodiscard]] Attachment attachment(const Catalogue& catalogue, std::string_view part = "") const {
    return attach_node(catalogue, unit, is_main ? unit : own, part);
  }
};

class Gathering {
 public:
  void arrive(int node, const Description& description) {
    nodes_.insert_or_assign(node, description);
    is_grouped_ = false;
  }
  void leave(int node) { is_grouped_ = nodes_.erase(node) == 0 && is_grouped_; }
  /// Nothing if there is no such node.
  [[nodiscard]] std::optional<Member> find(int node) const;
  /// `name_of`, with the socket if another connected unit has the same name.
  [[nodiscard]] std::string name_among_all(const Description& unit, const std::string& part) const;

 private:
  void group() const;

  std::map<int, Description> nodes_;
  mutable std::map<int, Member> members_;  ///< computed when first requested
  mutable bool is_grouped_ = false;
};

}  // namespace omnipar::inline abi_0::play
