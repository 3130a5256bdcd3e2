// What a host can tell about a node of a unit before anybody has touched it.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "omnipar/report.hpp"

namespace omnipar::inline abi_0 {

/// One code that a unit can report. For keys minimum and maximum are 0 and 1. `value` is what the
/// kernel holds at opening; for axes this does not prove that the unit ever said so.
struct CodeRange {
  Code code;
  std::int32_t minimum = 0;
  std::int32_t maximum = 1;
  std::int32_t value = 0;
};

/// How a node presents its unit. All text is as the unit gave it: it may hold control characters.
struct Description {
  std::string name;
  std::uint16_t bus = 0;
  std::uint16_t vendor = 0;
  std::uint16_t product = 0;
  std::uint16_t version = 0;
  std::string serial;  ///< serial number or radio address; empty if it has none
  std::string socket;  ///< where it is plugged in, stable over reboots; empty if unknown
  std::string device;  ///< the host's name for the physical device, equal for all its nodes; may be empty
  int interface = -1;  ///< which of the device's interfaces this node is of; -1 if unknown
  /// Which of several controllers of one device it is, as the device itself has it, whatever else is there: empty for
  /// the first, "2" for that of the second interface, "1.2" for the second of the first interface.
  std::string half;
  std::string node;              ///< the host's name for its node, for people
  int polling_interval_us = 0;   ///< the USB polling interval; 0 if unknown
  bool made_by_program = false;  ///< another program's (or our own) virtual device
  bool ours = false;             ///< a virtual device of Omnipar itself
  std::vector<CodeRange> codes;
  std::vector<std::uint8_t> descriptor;  ///< its report descriptor (HID 1.11), if this is a raw HID node

  /// The range of a code, or nullptr if the unit has no such code.
  [[nodiscard]] const CodeRange* find(Code code) const noexcept {
    for (const CodeRange& range : codes)
      if (range.code == code) return &range;
    return nullptr;
  }
};

}  // namespace omnipar::inline abi_0
