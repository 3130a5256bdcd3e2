// Roles: the portable names of controls, the words in which units and plans meet.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace omnipar::inline abi_0 {

/// What a role's values look like.
enum class RoleKind {
  button,     ///< 0 or 1: "south", "dpad-up", "panel-3"
  one_sided,  ///< 0..1, rests at 0: "left-trigger", "pedal"
  two_sided,  ///< -1..1, rests at 0: "wheel"
  stick,      ///< a pair of two-sided axes, x to the right and y downwards: "left-stick"
  dpad,       ///< four buttons under one name: "dpad"
  pointer,    ///< a place, 0..1 from the left and from the top: "gun"
  turns,      ///< counts of turning, without an end: "spinner"
  movement,   ///< a pair of counts, x to the right and y downwards: "mouse"
};

/// One of a control's two axes; `none` where a control has just one value.
enum class Axis { none, x, y };

/// Order of the four directions wherever they stand in an array.
inline constexpr std::array<std::string_view, 4> direction_names{"up", "down", "left", "right"};

/// The kind of a role by its name, or nothing if the vocabulary has no such role. Besides the fixed
/// names there are `panel-1`..`panel-32` and `key-` followed by lower-case letters, digits or '-'.
[[nodiscard]] std::optional<RoleKind> role_kind(std::string_view role);

/// The dead zone that a use of the role has if nothing is said: none for a paddle, which rests wherever it is left.
[[nodiscard]] double default_dead_zone(std::string_view role) noexcept;

/// A source that is one direction of a stick ("left-stick-up"): the stick's role and the index
/// into `direction_names`; nothing for any other name.
struct StickDirection {
  std::string stick;
  std::size_t direction = 0;
};
[[nodiscard]] std::optional<StickDirection> stick_direction(std::string_view source);

/// The fixed names of the vocabulary, sorted.
[[nodiscard]] std::vector<std::string_view> role_names();

}  // namespace omnipar::inline abi_0
