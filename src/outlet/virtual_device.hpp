// One virtual device, created through uinput.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <vector>

#include <tl/expected.hpp>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"
#include "outlet/form.hpp"

namespace omnipar::inline abi_0::outlet {

class VirtualDevice {
 public:
  /// Creates a device, which is usable at once. Fails with `no-uinput` (missing or not allowed) or
  /// `uinput-refused`.
  [[nodiscard]] static tl::expected<VirtualDevice, Diagnostic> make(os::Files& door, DeviceKey key, int play = 1);

  /// Returns the error that `make` would fail with because of a missing device or permission.
  [[nodiscard]] static std::optional<Diagnostic> check(os::Files& door);

  [[nodiscard]] DeviceKey key() const noexcept { return key_; }
  [[nodiscard]] std::string name() const { return device_name(key_, play_); }
  [[nodiscard]] int descriptor() const noexcept { return descriptor_.get(); }
  /// "/dev/input/event7", or empty if unknown.
  [[nodiscard]] const std::string& node() const noexcept { return node_; }
  /// The name of its node in a family: "event" gives "event7"; "js" and "mouse", which older programs read, give "js3"
  /// and "mouse2". Empty if there is none. A pointer has one of each.
  [[nodiscard]] std::string_view node_of(std::string_view family) const noexcept;
  /// Writes a report; the closing SYN_REPORT is part of `events`. False if the device is gone.
  [[nodiscard]] bool write(std::span<const input_event> events);

 private:
  VirtualDevice(os::Files& door, DeviceKey key, int play, os::Descriptor descriptor) noexcept
      : door_(&door), key_(key), play_(play), descriptor_(std::move(descriptor)) {}
  static tl::expected<os::Descriptor, Diagnostic> open_uinput(os::Files& door);
  int set_up();
  void find_nodes();

  os::Files* door_;
  DeviceKey key_;
  int play_;
  os::Descriptor descriptor_;
  std::string node_;
  std::vector<std::string> nodes_;  ///< their names, of all families
};

}  // namespace omnipar::inline abi_0::outlet
