// By what nodes are found that may belong together.
#pragma once

#include <string>

#include "omnipar/description.hpp"

namespace omnipar::inline abi_0::identity {

/// Equal for all nodes of one device.
[[nodiscard]] std::string device_key(const Description& node);
/// Equal for the ways, by cable and by radio, to one thing; empty for a node without a serial number.
[[nodiscard]] std::string connection_key(const Description& node);

}  // namespace omnipar::inline abi_0::identity
