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

/// What is left for a program that shall not see the units of the event nodes at these places in /sys.
[[nodiscard]] Alone without(os::Door& door, std::span<const std::string> syspaths);

/// Gives this process (a new one, before its program is started) a /dev/input of its own and takes the raw nodes
/// away; 0, or minus the error number. Needs no rights where the system lets everybody have namespaces.
[[nodiscard]] int go_alone(os::Door& door, const Alone& alone);

/// Takes the nodes of units that have come later, or are played on only now, away from such a program that runs
/// already. What it has opened stays open. 0, or minus the error number.
[[nodiscard]] int hide_also(os::Door& door, pid_t process, std::span<const std::string> syspaths);

/// The setting of the kernel without which `go_alone` is refused ("kernel.x=1"); empty if nothing is known against it.
[[nodiscard]] std::string setting_for_namespaces(os::Door& door);

}  // namespace omnipar::inline abi_0::host
