// The position of a control, in the user's directions.
#pragma once

#include "omnipar/attachment.hpp"
#include "omnipar/role.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::attach {

/// Of a pointer from the edge, of anything else from its rest.
[[nodiscard]] inline shape::Scale scale_of(const Control& control) noexcept {
  const bool is_pointer = role_kind(control.role) == RoleKind::pointer;  // from end to end: it has no rest
  const std::int32_t edge = control.reversed ? control.maximum : control.minimum;
  const auto scale = shape::scale_of(control.minimum, control.maximum, is_pointer ? edge : control.rest);
  return control.reversed && control.type != ControlType::one_sided ? shape::reversed(scale) : scale;
}

/// Of a button 0 or 1, of a hat -1, 0 or 1, else as far as its scale says.
[[nodiscard]] inline double position(const Control& control, const shape::Scale& scale, std::int32_t value) noexcept {
  if (control.type == ControlType::button) return value != 0 ? 1 : 0;
  if (control.type == ControlType::hat) return (value < 0 ? -1 : value > 0 ? 1 : 0) * (control.reversed ? -1 : 1);
  return shape::normalised(scale, value);
}

}  // namespace omnipar::inline abi_0::attach
