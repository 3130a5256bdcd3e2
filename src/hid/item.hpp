// Items of report descriptors (USB HID 1.11, section 6.2.2.2).
#pragma once

#include <cstddef>
#include <cstdint>

namespace omnipar::inline abi_0::hid {

inline constexpr std::uint8_t long_item = 0xfe;

/// A short item: its prefix without the length, and its data.
struct Item {
  std::uint32_t tag = 0;
  std::uint32_t data = 0;
  std::size_t length = 0;

  [[nodiscard]] std::int32_t as_signed() const noexcept {
    if (length == 1) return static_cast<std::int8_t>(data);
    if (length == 2) return static_cast<std::int16_t>(data);
    return static_cast<std::int32_t>(data);
  }
};

namespace tag {
inline constexpr std::uint8_t input = 0x80, output = 0x90, collection = 0xa0, feature = 0xb0, end_collection = 0xc0;
inline constexpr std::uint8_t usage_page = 0x04, logical_minimum = 0x14, logical_maximum = 0x24,
                              physical_minimum = 0x34, physical_maximum = 0x44, unit_exponent = 0x54, unit = 0x64,
                              report_size = 0x74, report_id = 0x84, report_count = 0x94, push = 0xa4, pop = 0xb4;
inline constexpr std::uint8_t usage = 0x08, usage_minimum = 0x18, usage_maximum = 0x28, delimiter = 0xa8;
}  // namespace tag

}  // namespace omnipar::inline abi_0::hid
