// Units whose event node has lost something: read from their raw reports, and grabbed by their event node.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "host/node.hpp"
#include "omnipar/catalogue.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// The node itself, or, where its raw reports tell more and can be read, a node that reads those: it holds, shakes and
/// lights by the event node. `say` is told in words what was chosen, or what is missing because the raw reports cannot
/// be read. The catalogue must outlive the node.
[[nodiscard]] std::unique_ptr<Node> by_raw_reports(os::Door& door, const Catalogue& catalogue,
                                                   std::unique_ptr<Node> node, const std::string& syspath,
                                                   const std::function<void(const std::string&)>& say);

/// What to say of a unit whose raw reports cannot be read any more, and which is read from this event node from now on.
[[nodiscard]] std::string why_no_longer_raw(os::Door& door, const Catalogue& catalogue, const Description& node,
                                            const std::string& syspath);

}  // namespace omnipar::inline abi_0::host
