// A profile: which seat plays which port with which controller, and the bindings.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/screen.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// What is said of a use beyond its role, by the names of the fields of a profile ("dead-zone", "long-press"; the list,
/// with what each may be, is that of the stages in docs/files.md). A field that is not set has its default.
class Settings {
 public:
  struct Setting {
    std::string field;
    double value = 0;      ///< of a time: microseconds
    bool is_time = false;  ///< it was set to a duration
  };

  /// A number; of a flag 1 or 0. What it may be is looked at when the profile is compiled, and a time that was set to a
  /// mere number is a mistake (`bad-value`).
  void set(std::string_view field, double value) { put({std::string{field}, value, false}); }
  void set(std::string_view field, Duration time) {
    put({std::string{field}, static_cast<double>(time.count()), true});
  }
  /// Times are in microseconds.
  [[nodiscard]] std::optional<double> find(std::string_view field) const noexcept;
  /// Those that are set, in the order in which they were set first.
  [[nodiscard]] const std::vector<Setting>& all() const noexcept { return all_; }

 private:
  void put(Setting setting);

  std::vector<Setting> all_;
};

/// One source of a binding and what happens to it on its way. Distances are parts of a full push: of the way from where
/// the control rests to its end on that side. A trigger that is a mere switch is at 0 or at 1.
///
/// A stick or axis that moves an analog target goes through the dead zone: within it the value is 0, from its border on
/// it grows evenly, so that it is 1 at a full push; the length of a stick is cut at 1, and its direction is kept. One
/// that counts as a press has no dead zone unless one is set: `threshold` and `release` are places of the control
/// itself.
struct Use {
  std::string role;
  Settings settings{};
  std::string place{};  ///< where it is written, for messages
};

/// One target or group, fed by any of its uses. No uses: empty on purpose.
struct Binding {
  std::string target;
  std::vector<Use> uses;
  std::string place{};
};

/// What becomes of two directions that are opposite and down at once, from whatever sources.
enum class Opposites : std::uint8_t {
  both,     ///< both arrive, as a dance mat needs
  neutral,  ///< neither does
  last,     ///< the one that was pressed last does, and the other one again when it is released
};

struct PortProfile {
  int port = 1;
  std::string seat;
  std::string controller;  ///< empty: the first that the port takes
  /// Begin with that port's bindings. An own binding takes the place of the other port's; one of a whole group
  /// ("directions") also that of its members there, and one of a member only that of the member.
  std::optional<int> like;
  std::vector<Binding> bind;  ///< targets not named here keep their default sources
  std::string place{};
  std::string second_seat{};               ///< of the second player on the same plug; may be empty
  std::vector<std::string> accessories{};  ///< what is plugged into the controller
  Opposites opposites = Opposites::both;   ///< of its directions
  double game_dead_zone = 0;               ///< of the game, on its sticks: the smallest push begins beyond it
  bool not_ours = false;                   ///< another program sees to it: no seat, no bindings, no outlet
  /// Where the game itself asks for shots when it calibrates its gun: places of its picture, in order.
  std::vector<AreaPoint> game_shots{};
};

/// An action that happens while two controls of one seat have been down together for `after`.
struct Hotkey {
  std::string action;
  std::string modifier;  ///< the button that is held
  std::string press;
  Duration after{0};
  std::string place{};
};

/// What the whole range of a virtual pointer is.
enum class PointerSpan : std::uint8_t {
  area,     ///< the game's picture
  screen,   ///< the screen that the profile names: the game's place on it is reached, and no more
  desktop,  ///< likewise of all screens of the rig together
};

/// How a virtual pointer says that it is off the game's picture.
enum class OffScreen : std::uint8_t {
  edge,    ///< it stands at the edge of its range, which no aim at the picture reaches
  button,  ///< its middle button is down, and it stays where it is
};

struct Profile {
  std::string name;
  std::string system;
  std::vector<PortProfile> ports;
  std::vector<Hotkey> hotkeys;
  std::string place{};   ///< where its system is named
  std::string screen{};  ///< on which it is played; empty: the only one there is, if any
  std::string area{};    ///< where the game is on it, in words (see `area_words`); empty: as the machine's sheet has it
  PointerSpan pointer_span = PointerSpan::area;
  OffScreen off_screen = OffScreen::edge;
  std::string screen_place{};  ///< where something of these three is written, for messages
};

}  // namespace omnipar::inline abi_0
