// Wireless units that are paired, by the Bluetooth daemon.
#pragma once

#include <optional>
#include <vector>

#include "inspect/doctor.hpp"

namespace omnipar::inline abi_0::host {

/// Paired units that are played on, by their addresses; nothing if the daemon does not answer within two seconds. Asks
/// it over the system's bus, which everybody may.
[[nodiscard]] std::optional<std::vector<inspect::PairedFact>> paired_units();

}  // namespace omnipar::inline abi_0::host
