// Short messages on the desktop, by freedesktop.org notifications on the session bus.
#pragma once

#include <memory>
#include <string>

namespace omnipar::inline abi_0::host {

class Desktop {
 public:
  virtual ~Desktop() = default;
  /// Readable when there is a message for us on the bus.
  [[nodiscard]] virtual int descriptor() const noexcept = 0;
  /// Processes it; false once the bus is gone.
  [[nodiscard]] virtual bool process() noexcept = 0;
  /// Replaces the previous message. Does not wait until it is shown.
  virtual void show(const std::string& words) noexcept = 0;
};

/// Null if the session has no bus.
[[nodiscard]] std::unique_ptr<Desktop> open_desktop();

}  // namespace omnipar::inline abi_0::host
