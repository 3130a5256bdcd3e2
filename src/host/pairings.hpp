// Wireless units that are paired, by the Bluetooth daemon.
#pragma once

#include <optional>
#include <vector>

#include "inspect/doctor.hpp"

namespace omnipar::inline abi_0::host {

/// Paired controllers by address; nothing if the daemon does not answer within two seconds. Uses the system bus, which
/// needs no privileges.
[[nodiscard]] std::optional<std::vector<inspect::PairedFact>> paired_units();

}  // namespace omnipar::inline abi_0::host
