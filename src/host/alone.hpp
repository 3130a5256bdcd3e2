// A program of its own: it can open the virtual devices, but not the units that are played on.
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

/// Takes the nodes of units that have come later, or are played on only now, away from such a program that runs
/// already. What it has opened stays open. 0, or minus the error number.
[[nodiscard]] int hide_also(os::Door& door, pid_t process, std::span<const std::string> syspaths);

/// The setting of the kernel without which `go_alone` is refused ("kernel.x=1"); empty if nothing is known against it.
[[nodiscard]] std::string setting_for_namespaces(os::Door& door);

}  // namespace omnipar::inline abi_0::host
