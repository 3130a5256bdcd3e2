// The position of a control, in the user's directions.
#pragma once

#include "omnipar/attachment.hpp"
#include "omnipar/role.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::attach {

/// From the edge for a pointer, from rest for anything else.
[[nodiscard]] inline shape::Scale scale_of(const Control& control) noexcept {
  const bool is_pointer = role_kind(control.role) == RoleKind::pointer;  // from end to end: it has no rest
  const std::int32_t edge = control.reversed ? control.maximum : control.minimum;
  const auto scale = shape::scale_of(control.minimum, control.maximum, is_pointer ? edge : control.rest);
  return control.reversed && control.type != ControlType::one_sided ? shape::reversed(scale) : scale;
}

/// 0 or 1 for a button, -1, 0 or 1 for a hat, otherwise by its scale.
[[nodiscard]] inline double position(const Control& control, const shape::Scale& scale, std::int32_t value) noexcept {
  if (control.type == ControlType::button) return value != 0 ? 1 : 0;
  if (control.type == ControlType::hat) return (value < 0 ? -1 : value > 0 ? 1 : 0) * (control.reversed ? -1 : 1);
  return shape::normalised(scale, value);
}

}  // namespace omnipar::inline abi_0::attach
