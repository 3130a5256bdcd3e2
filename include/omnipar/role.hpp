// Roles: portable names of controls, which connect units and plans.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace omnipar::inline abi_0 {

/// The kind of a role's values.
enum class RoleKind {
  button,     ///< 0 or 1: "south", "dpad-up", "panel-3"
  one_sided,  ///< 0 to 1, 0 at rest: "left-trigger", "pedal"
  two_sided,  ///< -1 to 1, 0 at rest: "wheel"
  stick,      ///< a pair of two-sided axes, x to the right and y downwards: "left-stick"
  dpad,       ///< four buttons under one name: "dpad"
  pointer,    ///< a position, 0 to 1 from the left and from the top: "gun"
  turns,      ///< relative rotation without end: "spinner"
  movement,   ///< a pair of relative movements, x to the right and y downwards: "mouse"
};

/// An axis of a control with two; `none` for controls with one value.
enum class Axis { none, x, y };

/// The four directions, in the order used by all arrays.
inline constexpr std::array<std::string_view, 4> direction_names{"up", "down", "left", "right"};

/// Returns the kind of a role, or nothing for an unknown one. In addition to `role_names` there are `panel-1` to
/// `panel-32`, and `key-` followed by lower-case letters, digits or '-'.
[[nodiscard]] std::optional<RoleKind> role_kind(std::string_view role);

/// Returns the default dead zone of a role; 0 for a paddle, which is not self-centering.
[[nodiscard]] double default_dead_zone(std::string_view role) noexcept;

/// One direction of a stick: the stick's role, and an index into `direction_names`.
struct StickDirection {
  std::string stick;
  std::size_t direction = 0;
};
/// Parses a source such as "left-stick-up". Returns nothing for other names.
[[nodiscard]] std::optional<StickDirection> stick_direction(std::string_view source);

/// Returns all fixed role names, sorted.
[[nodiscard]] std::vector<std::string_view> role_names();

}  // namespace omnipar::inline abi_0
