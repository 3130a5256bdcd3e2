// Which units are somebody's seat in a session that runs, also while they are unplugged: every session of ours can see
// it, whoever runs it, and when a session ends, its claims are gone.
#pragma once

#include <map>
#include <set>
#include <string>

#include "omnipar/description.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// What a node is claimed by: which unit it is of, in its socket and anywhere.
struct ClaimKeys {
  explicit ClaimKeys(const Description& node);
  std::string by_socket;
  std::string by_serial;  ///< empty if it has no serial number
};

class Claims {
 public:
  /// The door must outlive this.
  explicit Claims(os::Door& door);

  /// This node is of a unit that is seated here.
  void claim(const ClaimKeys& node);
  /// It is not any more.
  void give_up(const ClaimKeys& node);
  /// The process that has claimed this node in another session; 0 if none has. `has_double`: another node that is here
  /// has the same model and serial number, so it is the socket that tells.
  [[nodiscard]] int holder(const ClaimKeys& node, bool has_double);

 private:
  os::Door& door_;
  std::string prefix_;                          ///< of the names of this session's claims
  std::map<std::string, os::Descriptor> held_;  ///< by key
};

}  // namespace omnipar::inline abi_0::host
