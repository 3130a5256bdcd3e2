// Claims of units by running sessions, kept even while units are unplugged. Every session of every user sees the
// claims of the others; they vanish when their session ends.
#pragma once

#include <map>
#include <string>

#include "omnipar/description.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// The two keys of a node's claim: its unit in this socket, and its unit in any socket.
struct ClaimKeys {
  explicit ClaimKeys(const Description& node);
  std::string by_socket;
  std::string by_serial;  ///< empty if it has no serial number
};

class Claims {
 public:
  /// The door must outlive this.
  explicit Claims(os::Door& door);

  /// Claims the node's unit for this session.
  void claim(const ClaimKeys& node);
  /// Gives up the claim.
  void give_up(const ClaimKeys& node);
  /// The process of another session that has claimed this node; 0 if there is none. `has_double`: another node here
  /// has the same model and serial number, so the socket decides.
  [[nodiscard]] int holder(const ClaimKeys& node, bool has_double);

 private:
  os::Door& door_;
  std::string prefix_;                          ///< the names of this session's claims
  std::map<std::string, os::Descriptor> held_;  ///< by key
};

}  // namespace omnipar::inline abi_0::host
