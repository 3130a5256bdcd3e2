// The sheet of an emulated machine: its ports and the controllers for each.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace omnipar::inline abi_0 {

/// The kind of a target.
enum class TargetKind {
  button,
  one_sided,   ///< 0..1
  two_sided,   ///< -1..1
  stick,       ///< two targets, NAME-x and NAME-y, bound as one
  turns,       ///< relative rotation without end
  movement,    ///< two relative targets, NAME-x and NAME-y
  pointer,     ///< two coordinates, NAME-x and NAME-y, and the button NAME-on, pressed while on the game area
  coordinate,  ///< 0..1 of the game area, from its left or top edge; part of a pointer, not used in sheets
};

/// The raw range of a machine's axis. `minimum` and `maximum` are the ends of the normalised range; `rest` is its 0,
/// which for a pointer is `minimum`. If the minimum is greater than the maximum, the axis is reversed.
struct NativeRange {
  std::int32_t minimum = 0;
  std::int32_t maximum = 255;
  std::int32_t rest = 128;
  std::int32_t step = 1;       ///< distance between values, counted from rest; ends and rest are always included
  std::int32_t dead_band = 0;  ///< the machine ignores values up to this far from rest; the smallest push starts beyond
  friend bool operator==(const NativeRange&, const NativeRange&) = default;
};

/// The gate of a machine's stick, which sets its corners: at 0.71 of both axes on a circle, at the ends of both on a
/// square, in between on an octagon.
enum class TargetGate : std::uint8_t { round, square, octagon };

/// A control of an emulated controller. `place` is the role in the same position on a pad; `defaults` are its default
/// sources, by role.
struct TargetSheet {
  std::string name;
  TargetKind kind = TargetKind::button;
  std::string place;
  std::vector<std::string> defaults;
  NativeRange native{};
  bool self_centering = true;           ///< returns to rest when released; otherwise it keeps its position
  TargetGate gate = TargetGate::round;  ///< for a stick
  double corner = 0.75;                 ///< for an octagon: how far both axes go in a corner, 0.71 to 1
  int player = 1;                       ///< 2 for the port's second player, such as the other paddle on the plug
};

/// An accessory of a controller, such as a second stick, a motion part or a pedal. Its targets become targets of the
/// controller.
struct AccessorySheet {
  std::string name;
  std::string title;
  std::vector<TargetSheet> targets;
};

/// An emulated controller. With `directions` it has four additional buttons, up, down, left and right, which form the
/// group "directions".
struct ControllerSheet {
  std::string name;
  std::string title;
  bool directions = true;
  std::vector<std::string> default_directions{"dpad", "left-stick"};
  std::vector<TargetSheet> targets;
  std::vector<AccessorySheet> accessories{};

  /// Returns true if two players share one plug.
  [[nodiscard]] bool is_for_two() const noexcept {
    for (const TargetSheet& target : targets)
      if (target.player == 2) return true;
    return false;
  }
};

struct PortSheet {
  int number = 1;
  std::vector<std::string> takes;  ///< names of controllers; the first is the default
  std::string splitter{};          ///< the accessory that provides this port; empty: always available
};

struct SystemSheet {
  std::string name;
  std::string title;
  std::int32_t frames_per_1000_seconds = 60'000;
  std::vector<PortSheet> ports;
  std::vector<ControllerSheet> controllers;
  std::string area{};  ///< its picture's area on a screen, see `parse_area`; empty: the whole screen

  [[nodiscard]] const ControllerSheet* controller(std::string_view wanted) const noexcept {
    for (const ControllerSheet& sheet : controllers)
      if (sheet.name == wanted) return &sheet;
    return nullptr;
  }
  [[nodiscard]] const PortSheet* port(int number) const noexcept {
    for (const PortSheet& sheet : ports)
      if (sheet.number == number) return &sheet;
    return nullptr;
  }
};

}  // namespace omnipar::inline abi_0
