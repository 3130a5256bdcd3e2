// Codes, changes and reports.
#pragma once

#include <compare>
#include <cstddef>
#include <cstdint>
#include <span>

#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// A raw code of the Linux input interface: an event type and a number within that type.
struct Code {
  std::uint16_t type = 0;
  std::uint16_t number = 0;
  // NOLINTNEXTLINE(modernize-use-nullptr): the 0 of a rewritten comparison is no pointer
  friend constexpr auto operator<=>(const Code&, const Code&) = default;
};

/// Event types that carry controls.
enum EventType : std::uint16_t {
  ev_syn = 0,
  ev_key = 1,
  ev_rel = 2,
  ev_abs = 3,
  ev_hid = 4,  ///< Omnipar's own: a control of raw reports, by its index; the kernel's type 4 carries no controls
};

[[nodiscard]] constexpr Code key(std::uint16_t number) noexcept { return {ev_key, number}; }
[[nodiscard]] constexpr Code relative(std::uint16_t number) noexcept { return {ev_rel, number}; }
[[nodiscard]] constexpr Code absolute(std::uint16_t number) noexcept { return {ev_abs, number}; }

/// The codes of the kernel's gamepad convention.
namespace code {
inline constexpr Code btn_trigger = key(0x120);
inline constexpr Code btn_south = key(0x130);
inline constexpr Code btn_east = key(0x131);
inline constexpr Code btn_north = key(0x133);
inline constexpr Code btn_west = key(0x134);
inline constexpr Code btn_tl = key(0x136);
inline constexpr Code btn_tr = key(0x137);
inline constexpr Code btn_tl2 = key(0x138);
inline constexpr Code btn_tr2 = key(0x139);
inline constexpr Code btn_select = key(0x13a);
inline constexpr Code btn_start = key(0x13b);
inline constexpr Code btn_mode = key(0x13c);
inline constexpr Code btn_thumbl = key(0x13d);
inline constexpr Code btn_thumbr = key(0x13e);
inline constexpr Code btn_dpad_up = key(0x220);
inline constexpr Code btn_dpad_down = key(0x221);
inline constexpr Code btn_dpad_left = key(0x222);
inline constexpr Code btn_dpad_right = key(0x223);
inline constexpr Code abs_x = absolute(0x00);
inline constexpr Code abs_y = absolute(0x01);
inline constexpr Code abs_z = absolute(0x02);
inline constexpr Code abs_rx = absolute(0x03);
inline constexpr Code abs_ry = absolute(0x04);
inline constexpr Code abs_rz = absolute(0x05);
inline constexpr Code abs_hat0x = absolute(0x10);
inline constexpr Code abs_hat0y = absolute(0x11);
inline constexpr Code abs_hat2x = absolute(0x14);
inline constexpr Code abs_hat2y = absolute(0x15);
}  // namespace code

/// The largest raw HID report in bytes, including its id (the kernel's HID_MAX_BUFFER_SIZE).
inline constexpr std::size_t largest_raw_report = 16384;

/// A new raw value of a control, in the unit's own range.
struct Change {
  Code code;
  std::int32_t value = 0;
  friend constexpr bool operator==(const Change&, const Change&) = default;
};

/// The socket of a part (its index in `unit_parts`) was filled or emptied.
struct SocketChange {
  std::uint16_t part = 0;
  bool filled = false;
  friend constexpr bool operator==(const SocketChange&, const SocketChange&) = default;
};

/// Changes that happened at one time and are processed as a whole. The spans belong to the caller and are read only
/// during the call. For a socket that was filled, `changes` contains the state of its part, which is not input. Engines
/// ignore sockets; sessions process them.
struct Report {
  Time time;
  std::span<const Change> changes;
  std::span<const SocketChange> sockets{};
};

}  // namespace omnipar::inline abi_0
