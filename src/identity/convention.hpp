// From codes to controls: by a sheet, or for unknown pads by the kernel's gamepad convention, with a best guess for
// joysticks.
#pragma once

#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"
#include "omnipar/unit.hpp"
#include "omnipar/unit_sheet.hpp"

namespace omnipar::inline abi_0::identity {

/// The meaning of a unit's codes by the convention; codes outside the convention are left out.
[[nodiscard]] std::vector<Control> convention_controls(const Description& description);

/// The meaning of a node's codes by its unit's sheet, for one part (empty: for the whole); codes that the node
/// lacks are left out.
[[nodiscard]] std::vector<Control> sheet_controls(const UnitSheet& sheet, const Description& node, bool is_main,
                                                  std::string_view part);

/// For combined pedals: the control ends at the axis's rest position, by default the centre.
void apply_half(Control& control, const ControlSheet& said);

}  // namespace omnipar::inline abi_0::identity
