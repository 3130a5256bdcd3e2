// Where a control is, as a hand has it.
#pragma once

#include "omnipar/attachment.hpp"
#include "shape/shape.hpp"

namespace omnipar::attach {

/// Of a pointer from the edge, of anything else from its rest.
[[nodiscard]] inline shape::Scale scale_of(const Control& control) noexcept {
  const bool from_edge = control.reading == Reading::pointer;
  return shape::scale_of(control.minimum, control.maximum, from_edge ? control.minimum : control.rest);
}

/// Of a button 0 or 1, of a hat -1, 0 or 1, else as far as its scale says.
[[nodiscard]] inline double position(const Control& control, const shape::Scale& scale, std::int32_t value) noexcept {
  if (control.reading == Reading::button) return value != 0 ? 1 : 0;
  if (control.reading == Reading::hat) return value < 0 ? -1 : value > 0 ? 1 : 0;
  return shape::normalised(scale, value);
}

}  // namespace omnipar::attach
