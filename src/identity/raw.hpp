// Units read from their raw reports: their parts, and the meaning of their controls.
#pragma once

#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"
#include "omnipar/unit_sheet.hpp"

namespace omnipar::inline abi_0::identity {

/// The meaning of a raw node's controls, for one part (empty: for the whole): that of the kernel's codes for a unit
/// that has only these controls.
[[nodiscard]] std::vector<Control> raw_controls(const Description& node, std::string_view part);

/// The same by a sheet that names raw report controls.
[[nodiscard]] std::vector<Control> raw_sheet_controls(const UnitSheet& sheet, const Description& node,
                                                      std::string_view part);

[[nodiscard]] bool names_raw_controls(const UnitSheet& sheet) noexcept;

}  // namespace omnipar::inline abi_0::identity
