// Isolates a program: it can open the virtual devices, but not the units in play.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

struct Alone {
  std::vector<std::string> visible;  ///< nodes in /dev/input that can be opened
  std::vector<std::string> raw;      ///< raw HID nodes that cannot
};

/// What remains visible to a program from which the units with these folders in /sys are hidden.
[[nodiscard]] Alone without(os::Door& door, std::span<const std::string> syspaths);

/// Gives this process (forked, before exec) its own /dev/input and removes the raw nodes. Returns 0 or a negative error
/// number. Needs no privileges if the system allows user namespaces.
[[nodiscard]] int go_alone(os::Door& door, const Alone& alone);

/// Hides the nodes of units that connected later, or joined only now, from such a program that is already
/// running. Files that it has opened stay open. 0, or minus the error number.
[[nodiscard]] int hide_also(os::Door& door, pid_t process, std::span<const std::string> syspaths);

/// The kernel setting without which `go_alone` is denied ("kernel.x=1"); empty if no obstacle is known.
[[nodiscard]] std::string setting_for_namespaces(os::Door& door);

}  // namespace omnipar::inline abi_0::host
