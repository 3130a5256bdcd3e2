// Keys for grouping nodes that may belong to one unit.
#pragma once

#include <string>

#include "omnipar/description.hpp"

namespace omnipar::inline abi_0::identity {

/// Equal for all nodes of one device.
[[nodiscard]] std::string device_key(const Description& node);
/// Equal for the wired and the wireless connection of one device; empty for a node without a serial number.
[[nodiscard]] std::string connection_key(const Description& node);

}  // namespace omnipar::inline abi_0::identity
