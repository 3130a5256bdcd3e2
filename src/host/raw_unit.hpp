// Units whose event node is incomplete: read from their raw reports, and grabbed through their event node.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "host/node.hpp"
#include "omnipar/catalogue.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// Returns the node itself, or a node that reads its raw reports if those contain more and are readable; it grabs,
/// rumbles and lights through the event node. `say` receives a message about the choice, or about what is missing
/// without the raw reports. The catalogue must outlive the node.
[[nodiscard]] std::unique_ptr<Node> by_raw_reports(os::Door& door, const Catalogue& catalogue,
                                                   std::unique_ptr<Node> node, const std::string& syspath,
                                                   const std::function<void(const std::string&)>& say);

/// The message for a unit whose raw reports became unreadable, and which is read through this event node from now on.
[[nodiscard]] std::string why_no_longer_raw(os::Door& door, const Catalogue& catalogue, const Description& node,
                                            const std::string& syspath);

}  // namespace omnipar::inline abi_0::host
