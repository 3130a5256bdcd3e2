// A profile: the seats and controllers of a machine's ports, and their bindings.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/screen.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// The stage settings of a source, by the field names used in profiles ("dead-zone", "long-press"). docs/files.md lists
/// all fields with their ranges. Fields that are not set have their default.
class Settings {
 public:
  struct Setting {
    std::string field;
    double value = 0;      ///< for a time, in microseconds
    bool is_time = false;  ///< it was set to a duration
  };

  /// Sets a number; for a flag, 1 or 0. `compile` checks the range. Setting a time to a plain number is an error
  /// (`bad-value`).
  void set(std::string_view field, double value) { put({std::string{field}, value, false}); }
  void set(std::string_view field, Duration time) {
    put({std::string{field}, static_cast<double>(time.count()), true});
  }
  /// Returns the value of a field, or nothing. Times are in microseconds.
  [[nodiscard]] std::optional<double> find(std::string_view field) const noexcept;
  /// Returns all fields that are set, in the order in which they were first set.
  [[nodiscard]] const std::vector<Setting>& all() const noexcept { return all_; }

 private:
  void put(Setting setting);

  std::vector<Setting> all_;
};

/// A source of a binding, with its settings. Distances are fractions of a full push, from the rest position to the end
/// on one side. A trigger that is only a switch is at 0 or 1.
///
/// A stick or axis that moves an analog target has a dead zone: inside it the value is 0, and from its border the value
/// increases linearly to 1 at a full push. The length of a stick is limited to 1, and its direction is unchanged. A
/// stick or axis used as a button has no dead zone by default; `threshold` and `release` are positions of the control
/// itself.
struct Use {
  std::string role;
  Settings settings{};
  std::string place{};  ///< its place in the file, for messages
};

/// The sources of a target or a group of targets. Without sources, the target is unassigned on purpose.
struct Binding {
  std::string target;
  std::vector<Use> uses;
  std::string place{};
};

/// How opposite directions held together are resolved, from whatever sources.
enum class Opposites : std::uint8_t {
  both,     ///< both arrive, as required for a dance mat
  neutral,  ///< neither arrives
  last,     ///< the last one pressed arrives; the other one again after its release
};

/// The settings of a port.
struct PortProfile {
  int port = 1;
  std::string seat;
  std::string controller;  ///< empty: the port's default controller
  /// Starts from the bindings of that port. A binding of this port replaces the other port's; a binding of a group
  /// ("directions") also replaces the bindings of its members, one of a member only that of the member.
  std::optional<int> like;
  std::vector<Binding> bind;  ///< targets not named here keep their default sources
  std::string place{};
  std::string second_seat{};               ///< the seat of the second player on the same plug; may be empty
  std::vector<std::string> accessories{};  ///< accessories plugged into the controller
  Opposites opposites = Opposites::both;   ///< for its directions
  double game_dead_zone = 0;               ///< the game's own dead zone for sticks, which is compensated
  bool not_ours = false;                   ///< another program serves the port: no seat, bindings or virtual controller
  /// Where the game asks for calibration shots, in order, as positions in its picture.
  std::vector<AreaPoint> game_shots{};
};

/// An action triggered when two controls of one seat have been held together for `after`.
struct Hotkey {
  std::string action;
  std::string modifier;  ///< the button to hold
  std::string press;
  Duration after{0};
  std::string place{};
};

/// What the full range of a virtual pointer covers.
enum class PointerSpan : std::uint8_t {
  area,     ///< the game's picture
  screen,   ///< the screen of the profile; only the game's area on it is reached
  desktop,  ///< all screens of the rig together; only the game's area is reached
};

/// How a virtual pointer reports off-screen.
enum class OffScreen : std::uint8_t {
  edge,    ///< by the edge of its range, which positions on the picture never reach
  button,  ///< by its middle button; the position is unchanged
};

/// A profile for a machine.
struct Profile {
  std::string name;
  std::string system;
  std::vector<PortProfile> ports;
  std::vector<Hotkey> hotkeys;
  std::string place{};   ///< where its system is written
  std::string screen{};  ///< its screen in the rig; empty: the only one, if any
  std::string area{};    ///< the game's area on it, see `parse_area`; empty: the machine's area
  PointerSpan pointer_span = PointerSpan::area;
  OffScreen off_screen = OffScreen::edge;
  std::string screen_place{};  ///< where one of these three is written, for messages
};

}  // namespace omnipar::inline abi_0
