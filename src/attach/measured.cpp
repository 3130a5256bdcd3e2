#include "attach/measured.hpp"

#include <algorithm>

namespace omnipar::attach {
namespace {

/// Noise that is a little more than what was seen, and a little beside for what was not.
constexpr double noise_room = 1.5, beside_noise = 0.005, least_zone = 0.01, most_zone = 0.4;

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

const AxisCalibration* axis_of(const Attachment& attachment, Code code) noexcept {
  const auto at = std::ranges::find(attachment.axes, code, &AxisCalibration::code);
  return at == attachment.axes.end() ? nullptr : &*at;
}

double dead_zone_for(const Attachment& attachment, Code code, double usual) noexcept {
  const auto zone = [usual](const Measured& measured, double width, double own) {
    if (usual == 0 || !(width > 0) || measured.count == 0) return usual;
    const double noise = measured.noise / width * noise_room + beside_noise;
    return own >= noise ? 0 : std::clamp(noise, least_zone, most_zone);
  };
  if (const StickCalibration* stick = stick_of(attachment, code))
    return zone(stick->measured, std::min(stick->width.x, stick->width.y), stick->own_dead_zone);
  if (const AxisCalibration* axis = axis_of(attachment, code)) {
    const double below = static_cast<double>(axis->rest) - axis->minimum;
    const double above = static_cast<double>(axis->maximum) - axis->rest;
    return zone(axis->measured, below > 0 && above > 0 ? std::min(below, above) : std::max(below, above),
                axis->own_dead_zone);
  }
  return usual;
}

}  // namespace omnipar::attach
