#include "attach/measured.hpp"

#include <algorithm>
#include <cmath>

namespace omnipar::inline abi_0::attach {
namespace {

/// Slightly more than the observed noise and stops, with a margin for what was not observed.
constexpr double noise_room = 1.5, stop_room = 1.25, beside_noise = 0.005, least_zone = 0.01, most_zone = 0.4;

}  // namespace

std::optional<shape::StickMap> stick_map(const Attachment& attachment, const StickCalibration& stick) {
  const auto is_reversed = [&attachment](Code code) {
    const auto at = std::ranges::find(attachment.controls, code, &Control::code);
    return at != attachment.controls.end() && at->reversed;
  };
  return shape::stick_map(stick, is_reversed(stick.x), is_reversed(stick.y));
}

const StickCalibration* stick_of(const Attachment& attachment, Code code) noexcept {
  const auto at =
      std::ranges::find_if(attachment.sticks, [code](const StickCalibration& s) { return s.x == code || s.y == code; });
  return at == attachment.sticks.end() ? nullptr : &*at;
}

const AimCalibration* aim_of(const Attachment& attachment, Code x, std::string_view screen) noexcept {
  const AimCalibration* found = nullptr;
  int others = 0;
  for (const AimCalibration& aim : attachment.aims) {
    if (aim.x != x) continue;
    if (aim.screen == screen) return &aim;
    if (!screen.empty() && !aim.screen.empty()) continue;
    found = &aim;
    ++others;
  }
  return others == 1 ? found : nullptr;
}

const AxisCalibration* axis_of(const Attachment& attachment, Code code) noexcept {
  const auto at = std::ranges::find(attachment.axes, code, &AxisCalibration::code);
  if (at == attachment.axes.end()) return nullptr;
  // A calibration of a whole axis does not apply to combined pedals.
  const auto is_half = [code](const Control& control) { return control.code == code && control.half; };
  return std::ranges::any_of(attachment.controls, is_half) ? nullptr : &*at;
}

double dead_zone_for(const Attachment& attachment, Code code, double usual) noexcept {
  if (usual == 0) return 0;
  // With a built-in dead zone no second one is needed: values start linearly at its border.
  const auto zone = [usual](const Measured& measured, double width, double own) {
    if (own > 0) return std::min(own, most_zone);
    if (measured.count == 0 || !(width > 0)) return usual;
    return std::clamp((measured.noise * noise_room + measured.returns * stop_room) / width + beside_noise, least_zone,
                      most_zone);
  };
  if (const StickCalibration* stick = stick_of(attachment, code))
    return zone(stick->measured, std::min(std::fabs(stick->width.x), std::fabs(stick->width.y)), stick->own_dead_zone);
  if (const AxisCalibration* axis = axis_of(attachment, code)) {
    const double below = static_cast<double>(axis->rest) - axis->minimum;
    const double above = static_cast<double>(axis->maximum) - axis->rest;
    return zone(axis->measured, below > 0 && above > 0 ? std::min(below, above) : std::max(below, above),
                axis->own_dead_zone);
  }
  const auto control = std::ranges::find(attachment.controls, code, &Control::code);
  return zone({}, 0, control == attachment.controls.end() ? 0 : control->own_dead_zone);
}

}  // namespace omnipar::inline abi_0::attach
