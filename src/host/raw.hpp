// Raw HID nodes: the reports of a unit as it sends them.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "omnipar/description.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// The folder in /sys of the HID device of an event node or raw node; empty if it has none.
[[nodiscard]] std::string hid_folder(const std::string& syspath);

/// The report descriptor of a HID device, which is world-readable; empty if there is none.
[[nodiscard]] std::vector<std::uint8_t> report_descriptor_of(os::Files& door, const std::string& hid_folder);

/// The raw node of the HID device with that folder, as "/dev/hidraw0"; empty if it has none.
[[nodiscard]] std::string raw_node_of(os::Files& door, const std::string& hid_folder);

/// An open `/dev/hidraw*`. It is silent until the unit sends its first report: its state before that is
/// unknown.
class RawNode {
 public:
  /// The kernel buffers this many reports (a ring of 64) and silently drops others.
  static constexpr std::size_t most_waiting = 63;

  /// `sibling` is an event node of the same HID device. Null and minus the error number in `error` if it cannot be
  /// opened.
  [[nodiscard]] static std::unique_ptr<RawNode> open(os::Files& door, const std::string& path,
                                                     const Description& sibling, int& error);

  [[nodiscard]] int descriptor() const noexcept { return file_.get(); }
  /// True if output reports can be written.
  [[nodiscard]] bool takes_output() const noexcept { return takes_output_; }
  /// Like that of its event node, but with the report descriptor instead of codes.
  [[nodiscard]] const Description& description() const noexcept { return description_; }

  /// The next pending report, preceded by its report id if the unit numbers its reports; empty if there is
  /// none for now. Nothing when the unit is gone. Valid until the next call.
  [[nodiscard]] std::optional<std::span<const std::uint8_t>> next() noexcept;

 private:
  RawNode(os::Files& door, os::Descriptor file, bool takes_output, Description description)
      : door_(door), file_(std::move(file)), takes_output_(takes_output), description_(std::move(description)) {}

  os::Files& door_;
  os::Descriptor file_;
  bool takes_output_;
  Description description_;
  std::array<std::uint8_t, largest_raw_report> buffer_{};
};

}  // namespace omnipar::inline abi_0::host
