// Units that are read from their raw reports: their parts, and what their controls mean.
#pragma once

#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"
#include "omnipar/unit_sheet.hpp"

namespace omnipar::inline abi_0::identity {

/// What each control of a raw node means, for one part (empty: for the whole): as the kernel's codes of it would mean,
/// had the unit no other controls.
[[nodiscard]] std::vector<Control> raw_controls(const Description& node, std::string_view part);

/// The same by a sheet that names controls of raw reports.
[[nodiscard]] std::vector<Control> raw_sheet_controls(const UnitSheet& sheet, const Description& node,
                                                      std::string_view part);

[[nodiscard]] bool names_raw_controls(const UnitSheet& sheet) noexcept;

}  // namespace omnipar::inline abi_0::identity
