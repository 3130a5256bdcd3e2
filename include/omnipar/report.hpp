// What a unit says: codes, changes, and reports, the smallest thing that is committed at once.
#pragma once

#include <compare>
#include <cstddef>
#include <cstdint>
#include <span>

#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// A raw code as the Linux input interface numbers it: an event type and a number within that type.
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
  ev_hid = 4,  ///< ours: a control of raw reports, by its place in the unit's list; the kernel's 4 carries no control
};

[[nodiscard]] constexpr Code key(std::uint16_t number) noexcept { return {ev_key, number}; }
[[nodiscard]] constexpr Code relative(std::uint16_t number) noexcept { return {ev_rel, number}; }
[[nodiscard]] constexpr Code absolute(std::uint16_t number) noexcept { return {ev_abs, number}; }

/// The codes that the kernel's gamepad convention speaks of, under its names.
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

/// Bytes of a raw HID report, with its id: no more than the kernel takes (its HID_MAX_BUFFER_SIZE).
inline constexpr std::size_t largest_raw_report = 16384;

/// One control's new raw value, in the unit's own range.
struct Change {
  Code code;
  std::int32_t value = 0;
  friend constexpr bool operator==(const Change&, const Change&) = default;
};

/// The socket of a part of a unit (by its place in `unit_parts`): something is in it from now on, or nothing.
struct SocketChange {
  std::uint16_t part = 0;
  bool filled = false;
  friend constexpr bool operator==(const SocketChange&, const SocketChange&) = default;
};

/// What a unit said at one moment; committed as a whole. Changes and sockets belong to the caller and are
/// only read during the call that takes the report. Of a socket that is filled now the changes say how its part stands,
/// which is not input. An engine takes no notice of sockets: sessions do.
struct Report {
  Time time;
  std::span<const Change> changes;
  std::span<const SocketChange> sockets{};
};

}  // namespace omnipar::inline abi_0
