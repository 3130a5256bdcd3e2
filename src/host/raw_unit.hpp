// Units whose event node has lost something: read from their raw reports, and held by their event node.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "host/node.hpp"
#include "omnipar/catalogue.hpp"
#include "os/door.hpp"

namespace omnipar::host {

/// The node itself, or, where its raw reports tell more and can be read, a node that reads those: it holds, shakes and
/// lights by the event node. `say` is told in words what was chosen, or what is missing because the raw reports cannot
/// be read; and as long as the node is open, what is plugged into its sockets and taken out.
[[nodiscard]] std::unique_ptr<Node> by_raw_reports(os::Door& door, const Catalogue& catalogue,
                                                   std::unique_ptr<Node> node, const std::string& syspath,
                                                   const std::function<void(const std::string&)>& say);

}  // namespace omnipar::host
