// Lists event nodes, and reports those that come and go.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace omnipar::inline abi_0::host {

struct NodePath {
  std::string path;     ///< "/dev/input/event3"
  std::string syspath;  ///< its path in /sys
};

struct NodeEvent {
  bool came = true;
  NodePath where;
};

class Watch {
 public:
  virtual ~Watch() = default;
  /// Readable when there is a change; -1 if changes cannot be monitored.
  [[nodiscard]] virtual int descriptor() const noexcept = 0;
  /// The next change, or nothing for now.
  [[nodiscard]] virtual std::optional<NodeEvent> next() = 0;
  /// The existing nodes, sorted by number.
  [[nodiscard]] virtual std::vector<NodePath> present() = 0;
};

/// Through libudev; listens to udevd if it is running, otherwise to the kernel. Null if libudev fails.
[[nodiscard]] std::unique_ptr<Watch> open_watch();

}  // namespace omnipar::inline abi_0::host
