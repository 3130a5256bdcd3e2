// The connected units of a session.
#pragma once

#include <string>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"

namespace omnipar::inline abi_0 {

/// A connected unit, or a part of one.
struct UnitHere {
  std::string name;
  std::string seat;  ///< empty: not assigned yet
  bool plays = false;
  /// Identifies the unit while it is connected, independent of its name. Ids are never reused within a session.
  int id = 0;
  friend bool operator==(const UnitHere&, const UnitHere&) = default;
};

/// A connected unit with its nodes and controls.
struct UnitDetails {
  /// A node. `number` is the one passed to `SessionOptions::on_report`; `attachment.state` holds all values known at
  /// this time.
  struct Node {
    int number = 0;
    Description description;
    Attachment attachment;
  };
  UnitHere here;
  std::string part;         ///< the part of the unit; empty: the whole unit
  Description description;  ///< the main node
  std::vector<Node> nodes;
  bool empty = false;  ///< it is a part with an empty socket
};

}  // namespace omnipar::inline abi_0
