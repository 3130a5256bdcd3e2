// From a description to the rig's unit, and on to an attachment.
#include <algorithm>

#include <fmt/format.h>

#include "identity/convention.hpp"
#include "omnipar/identity.hpp"

namespace omnipar {
namespace {

bool same_model(const RigUnit& unit, const Description& d) noexcept {
  return unit.vendor == d.vendor && unit.product == d.product && unit.model == d.name;
}

/// How sure it is that `d` is `unit`: 0 it is not, 3 serial and socket, 2 serial, 1 socket.
int sureness(const RigUnit& unit, const Description& d) noexcept {
  if (!same_model(unit, d)) return 0;
  const bool socket = !unit.socket.empty() && unit.socket == d.socket;
  if (unit.serial.empty() || d.serial.empty()) return socket ? 1 : 0;
  if (unit.serial != d.serial) return 0;
  return socket ? 3 : 2;
}

/// Before its first report every axis reads 0, whatever its range; a 0 at the end of a range that
/// has no negative half is therefore no news.
bool is_known(const Control& control, std::int32_t value) noexcept {
  return control.reading == Reading::button || value != 0 || control.minimum < 0;
}

bool names_unit(const Rig& rig, const std::string& name) {
  return std::ranges::any_of(rig.units, [&](const RigUnit& unit) { return unit.name == name; });
}

bool is_present(std::span<const std::string> present, const RigUnit& unit) noexcept {
  return std::ranges::find(present, unit.name) != present.end();
}

/// What was measured takes the place of what the unit says of itself.
void calibrate(Attachment& attachment, const Rig& rig) {
  const auto measured = std::ranges::find(rig.calibrations, attachment.unit, &Calibration::unit);
  if (measured == rig.calibrations.end()) return;
  for (Control& control : attachment.controls) {
    const auto axis = std::ranges::find(measured->axes, control.code, &AxisCalibration::code);
    if (axis == measured->axes.end() || control.reading == Reading::hat) continue;
    control.minimum = axis->minimum;
    control.maximum = axis->maximum;
    control.rest = axis->rest;
  }
}

}  // namespace

bool is_controller(const Description& description) noexcept {
  if (description.ours) return false;
  return std::ranges::any_of(description.codes, [](const CodeRange& range) {
    return range.code.type == ev_key && range.code.number >= 0x120 && range.code.number <= 0x13f;
  });
}

const RigUnit* find_unit(const Rig& rig, const Description& description,
                         std::span<const std::string> present) noexcept {
  const RigUnit* found = nullptr;
  int best = 0;
  for (const RigUnit& unit : rig.units) {
    const int sure = is_present(present, unit) ? 0 : sureness(unit, description);
    if (sure > best) {
      best = sure;
      found = &unit;
    }
  }
  return found;
}

RigUnit new_unit(const Rig& rig, const Description& description, std::string seat) {
  const std::string stem = printable(description.name);
  std::string name = stem;
  for (int number = 2; names_unit(rig, name); ++number) name = fmt::format("{} ({})", stem, number);
  return {std::move(name),  std::move(seat),    description.vendor, description.product,
          description.name, description.serial, description.socket};
}

const UnitSheet* find_unit_sheet(const Catalogue& catalogue, const Description& description) noexcept {
  const UnitSheet* found = nullptr;
  for (const UnitSheet& sheet : catalogue.units)
    for (const UnitIdentity& identity : sheet.identities) {
      if (identity.vendor != description.vendor || identity.product != description.product) continue;
      if (identity.name == description.name) return &sheet;
      if (identity.name.empty()) found = &sheet;
    }
  return found;
}

tl::expected<Attachment, Diagnostics> recognise(const Catalogue& catalogue, const Rig& rig,
                                                const Description& description, std::span<const std::string> present) {
  if (!is_controller(description))
    return tl::unexpected(
        Diagnostics{{"not-a-controller", Severity::error, "the unit has no buttons of a pad or joystick",
                     printable(description.name), "'omnipar units' lists what can be played on"}});
  Attachment attachment;
  const RigUnit* unit = find_unit(rig, description, present);
  attachment.unit = unit != nullptr ? unit->name : printable(description.name);
  if (unit != nullptr) attachment.seat = unit->seat;
  const UnitSheet* sheet = find_unit_sheet(catalogue, description);
  attachment.controls = sheet != nullptr ? sheet_controls(*sheet, description) : convention_controls(description);
  calibrate(attachment, rig);
  for (const Control& control : attachment.controls) {
    const CodeRange* range = description.find(control.code);
    if (range != nullptr && is_known(control, range->value)) attachment.state.push_back({control.code, range->value});
  }
  return attachment;
}

}  // namespace omnipar
