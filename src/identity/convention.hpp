// The sheet of unknown pads: the kernel's gamepad convention, and a guess for joysticks.
#pragma once

#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"

namespace omnipar {

/// What each code of a unit means by the convention; codes that it does not speak of are left out.
[[nodiscard]] std::vector<Control> convention_controls(const Description& description);

}  // namespace omnipar
