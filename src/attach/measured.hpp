// A unit's calibration, prepared for its reports.
#pragma once

#include <optional>
#include <span>

#include "omnipar/attachment.hpp"
#include "shape/measured.hpp"

namespace omnipar::inline abi_0::attach {

/// As the controls of its axes run.
[[nodiscard]] std::optional<shape::StickMap> stick_map(const Attachment& attachment, const StickCalibration& stick);

/// The calibration of the stick that this control is a half of, or of this axis; null without one.
[[nodiscard]] const StickCalibration* stick_of(const Attachment& attachment, Code code) noexcept;
/// The fit of the pointer with this x on that screen; for a screen without a name, the only one or the unnamed one.
[[nodiscard]] const AimCalibration* aim_of(const Attachment& attachment, Code x, std::string_view screen) noexcept;
[[nodiscard]] const AxisCalibration* axis_of(const Attachment& attachment, Code code) noexcept;

/// Returns the default dead zone of a control: what its noise requires, or without a calibration the default of its
/// role. A unit's built-in dead zone is not extended.
[[nodiscard]] double dead_zone_for(const Attachment& attachment, Code code, double usual) noexcept;

}  // namespace omnipar::inline abi_0::attach
