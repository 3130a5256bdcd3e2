// Units that are there: what a session knows of each.
#pragma once

#include <string>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"

namespace omnipar::inline abi_0 {

/// A unit that is there; a part of a unit is one of its own.
struct UnitHere {
  std::string name;
  std::string seat;  ///< empty: nobody has pressed yet
  bool plays = false;
  /// The unit itself, from its coming to its leaving, whatever it is called: no other unit of the session has the same
  /// one, then or later.
  int id = 0;
  friend bool operator==(const UnitHere&, const UnitHere&) = default;
};

/// The same with its nodes and controls.
struct UnitDetails {
  /// One node, by the number that `SessionOptions::heard` gives. `state` of the attachment is how its controls are at
  /// this moment, as far as they have been heard of.
  struct Node {
    int number = 0;
    Description description;
    Attachment attachment;
  };
  UnitHere here;
  std::string part;         ///< the part of a unit that it is; empty: the whole
  Description description;  ///< of the unit's main node
  std::vector<Node> nodes;
  bool empty = false;  ///< a part, and nothing is in its socket
};

}  // namespace omnipar::inline abi_0
