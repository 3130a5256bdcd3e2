// The sheet of an emulated machine: its ports, and the controllers that each takes.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace omnipar::inline abi_0 {

enum class TargetKind {
  button,
  one_sided,   ///< 0..1
  two_sided,   ///< -1..1
  stick,       ///< two targets, NAME-x and NAME-y, bound and shaped as one
  turns,       ///< counts of turning, without an end
  movement,    ///< two targets that count, NAME-x and NAME-y
  pointer,     ///< two coordinates, NAME-x and NAME-y, and NAME-on, a button that is down while it is on the game area
  coordinate,  ///< 0..1 of the game area, from its left or upper edge; half of a pointer, never of a sheet
};

/// A machine's own integers for one axis. `minimum` and `maximum` are reached at the ends of the
/// normalised range; `rest` at 0, which for a pointer is `minimum`. A minimum above the maximum means that the axis
/// runs backwards.
struct NativeRange {
  std::int32_t minimum = 0;
  std::int32_t maximum = 255;
  std::int32_t rest = 128;
  std::int32_t step = 1;  ///< values are so far from each other, counted from rest; ends and rest are always reached
  std::int32_t dead_band = 0;  ///< so far from rest the machine notices nothing: the smallest push begins beyond
  friend bool operator==(const NativeRange&, const NativeRange&) = default;
};

/// What limits the way of a machine's own stick, and so where its corners are: on a circle at 0.71 of both axes, on a
/// square at the ends of both, on an octagon between them.
enum class TargetGate : std::uint8_t { round, square, octagon };

/// One control of an emulated controller. `place` is the role whose place under the hand it has on
/// the real thing; `defaults` are its default sources, by role.
struct TargetSheet {
  std::string name;
  TargetKind kind = TargetKind::button;
  std::string place;
  std::vector<std::string> defaults;
  NativeRange native{};
  bool self_centering = true;           ///< returns to rest when it is released; else it stays as it was left
  TargetGate gate = TargetGate::round;  ///< of a stick
  double corner = 0.75;                 ///< of an octagon: how far both axes are in its corner, 0.71 to 1
  int player = 1;                       ///< 2: of the port's second player, such as the other paddle on the plug
};

/// What can be plugged into a controller: a companion stick, a motion part, a pedal. Its controls are then
/// controls of the controller.
struct AccessorySheet {
  std::string name;
  std::string title;
  std::vector<TargetSheet> targets;
};

/// An emulated controller. With `directions` it has four more buttons, up, down, left and right,
/// which form the group "directions", bound as one.
struct ControllerSheet {
  std::string name;
  std::string title;
  bool directions = true;
  std::vector<std::string> default_directions{"dpad", "left-stick"};
  std::vector<TargetSheet> targets;
  std::vector<AccessorySheet> accessories{};

  /// True if two people play on one plug.
  [[nodiscard]] bool is_for_two() const noexcept {
    for (const TargetSheet& target : targets)
      if (target.player == 2) return true;
    return false;
  }
};

struct PortSheet {
  int number = 1;
  std::vector<std::string> takes;  ///< names of controllers; the first is the default one
  std::string splitter{};          ///< what has to be plugged in for this port to be there; empty: it always is
};

struct SystemSheet {
  std::string name;
  std::string title;
  std::int32_t frames_per_1000_seconds = 60'000;
  std::vector<PortSheet> ports;
  std::vector<ControllerSheet> controllers;
  std::string area{};  ///< where its picture is on a screen, in words; empty: all of it

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
