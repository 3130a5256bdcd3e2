// How a node describes its unit.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "omnipar/report.hpp"

namespace omnipar::inline abi_0 {

/// A code that a unit can report, and its range (0 to 1 for keys). `value` is the kernel's value when the node was
/// opened; for axes, the unit may never have reported it.
struct CodeRange {
  Code code;
  std::int32_t minimum = 0;
  std::int32_t maximum = 1;
  std::int32_t value = 0;
};

/// The description of a node. Text is as reported by the unit and can contain control characters.
struct Description {
  std::string name;
  std::uint16_t bus = 0;
  std::uint16_t vendor = 0;
  std::uint16_t product = 0;
  std::uint16_t version = 0;
  std::string serial;  ///< serial number or Bluetooth address; may be empty
  std::string socket;  ///< where it is plugged in, stable across reboots; empty if unknown
  std::string device;  ///< the host's name for the physical device, the same for all its nodes; may be empty
  int interface = -1;  ///< the node's interface within the device; -1 if unknown
  /// Which of several controllers of one device it is, independent of other devices: empty for the first, "2" for the
  /// second interface, "1.2" for the second of the first interface.
  std::string half;
  std::string node;              ///< the host's name for the node, for messages
  int polling_interval_us = 0;   ///< the USB polling interval; 0 if unknown
  bool made_by_program = false;  ///< a virtual device, including Omnipar's own
  bool ours = false;             ///< a virtual device of Omnipar
  std::vector<CodeRange> codes;
  std::vector<std::uint8_t> descriptor;  ///< the report descriptor (HID 1.11) of a raw HID node

  /// Returns the range of a code, or nullptr.
  [[nodiscard]] const CodeRange* find(Code code) const noexcept {
    for (const CodeRange& range : codes)
      if (range.code == code) return &range;
    return nullptr;
  }
};

}  // namespace omnipar::inline abi_0
