// One virtual pad, made through uinput.
#pragma once

#include <optional>
#include <string>

#include <tl/expected.hpp>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"
#include "outlet/form.hpp"

namespace omnipar::outlet {

class VirtualPad {
 public:
  /// Makes the virtual pad of a port; it is there at once. Fails with `no-uinput` (not there or not
  /// allowed) or `uinput-refused`.
  [[nodiscard]] static tl::expected<VirtualPad, Diagnostic> make(os::Door& door, int port);

  /// What `make` would fail with for want of the device or a permission, before anything is made.
  [[nodiscard]] static std::optional<Diagnostic> check(os::Door& door);

  [[nodiscard]] int port() const noexcept { return port_; }
  [[nodiscard]] int descriptor() const noexcept { return descriptor_.get(); }
  /// "/dev/input/event7", or empty if it cannot be told.
  [[nodiscard]] const std::string& node() const noexcept { return node_; }
  /// Writes a report; the closing SYN_REPORT is part of `events`. False if the device is gone.
  [[nodiscard]] bool write(std::span<const input_event> events);

 private:
  VirtualPad(os::Door& door, int port, os::Descriptor descriptor) noexcept
      : door_(&door), port_(port), descriptor_(std::move(descriptor)) {}
  static tl::expected<os::Descriptor, Diagnostic> open_uinput(os::Door& door);
  int set_up();
  void find_node();

  os::Door* door_;
  int port_;
  os::Descriptor descriptor_;
  std::string node_;
};

}  // namespace omnipar::outlet
