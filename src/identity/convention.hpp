// From codes to controls: by a sheet, or for unknown pads by the kernel's gamepad convention, with a guess for
// joysticks.
#pragma once

#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"
#include "omnipar/unit.hpp"
#include "omnipar/unit_sheet.hpp"

namespace omnipar::inline abi_0::identity {

/// What each code of a unit means by the convention; codes that it does not speak of are left out.
[[nodiscard]] std::vector<Control> convention_controls(const Description& description);

/// What each code of a node means by its unit's sheet, for one part (empty: for the whole); codes that the node
/// lacks are left out.
[[nodiscard]] std::vector<Control> sheet_controls(const UnitSheet& sheet, const Description& node, bool is_main,
                                                  std::string_view part);

/// For combined pedals: the control ends at the axis's rest position, by default the middle.
void take_half(Control& control, const ControlSheet& said);

}  // namespace omnipar::inline abi_0::identity
