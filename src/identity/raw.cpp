#include "identity/raw.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "identity/convention.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"

namespace omnipar {
namespace {

/// A descriptor with all that is derived of it; nothing in it if it cannot be read.
struct Raw {
  hid::Descriptor descriptor;
  std::vector<hid::Control> controls;
  std::vector<hid::Part> parts;

  explicit Raw(const Description& node) {
    auto read = hid::read_descriptor(node.descriptor);
    if (!read) return;
    descriptor = std::move(*read);
    controls = hid::controls_of(descriptor);
    parts = hid::parts_of(descriptor, controls);
  }

  [[nodiscard]] std::vector<std::size_t> places_of(std::string_view part) const {
    const auto found = std::ranges::find(parts, part, &hid::Part::name);
    return found != parts.end() ? found->controls : hid::played_on(descriptor, controls);
  }
};

Reading reading_of(const hid::Control& control, std::string_view role) {
  switch (control.kind) {
    case hid::Kind::button:
    case hid::Kind::key:
      return Reading::button;
    case hid::Kind::counts:
      return Reading::counts;
    case hid::Kind::hat_x:
    case hid::Kind::hat_y:
      return Reading::hat;
    case hid::Kind::value:
      break;
  }
  const RoleKind kind = role_kind(role).value_or(RoleKind::two_sided);
  if (kind == RoleKind::one_sided) return Reading::one_sided;
  return kind == RoleKind::pointer ? Reading::pointer : Reading::two_sided;
}

std::int32_t rest_of(Reading reading, const hid::Control& control) {
  const std::int64_t ends = std::int64_t{control.minimum} + control.maximum;
  if (reading == Reading::two_sided || reading == Reading::pointer) return static_cast<std::int32_t>((ends + 1) >> 1);
  return reading == Reading::hat ? 0 : control.minimum;
}

}  // namespace

void describe_raw(Description& node) {
  const Raw raw{node};
  node.codes.clear();
  for (std::size_t place = 0; place < raw.controls.size(); ++place)
    node.codes.push_back({hid::code_of(place), raw.controls[place].minimum, raw.controls[place].maximum, 0});
}

std::string reason_for_raw(const Catalogue& catalogue, const Description& node,
                           std::span<const std::uint8_t> descriptor) {
  const auto read = hid::read_descriptor(descriptor);
  if (!read) return "";
  const UnitSheet* sheet = find_unit_sheet(catalogue, node);
  if (sheet != nullptr && names_raw_controls(*sheet)) return "its sheet names what only they tell apart";
  if (sheet != nullptr) return "";
  const auto controls = hid::controls_of(*read);
  const auto codes = hid::kernel_codes(*read, controls);
  const auto played = hid::played_on(*read, controls);
  const auto count = [&](hid::Fate fate) {
    return std::ranges::count_if(played, [&](std::size_t place) { return codes[place].fate == fate; });
  };
  const auto lost = count(hid::Fate::lost);
  const auto shared = count(hid::Fate::shared);
  if (lost == 0 && shared == 0) return "";
  return fmt::format("of {} controls the kernel's node loses {} and mixes up {}", played.size(), lost, shared);
}

std::vector<std::string> unit_parts(const Catalogue& catalogue, const Description& unit) {
  std::vector<std::string> parts;
  const UnitSheet* sheet = find_unit_sheet(catalogue, unit);
  if (sheet != nullptr)
    for (const PartSheet& part : sheet->parts) parts.push_back(part.name);
  else if (!unit.descriptor.empty())
    for (const hid::Part& part : Raw{unit}.parts) parts.push_back(part.name);
  if (parts.empty()) parts.emplace_back();
  return parts;
}

bool names_raw_controls(const UnitSheet& sheet) noexcept {
  return std::ranges::any_of(sheet.controls, [](const ControlSheet& control) { return !control.raw.empty(); });
}

std::vector<Control> raw_controls(const Description& node, std::string_view part) {
  const Raw raw{node};
  const auto places = raw.places_of(part);
  const auto codes = hid::kernel_codes(raw.descriptor, raw.controls, places);
  Description alone;
  for (const std::size_t place : places)
    if (codes[place].fate != hid::Fate::lost && alone.find(codes[place].code) == nullptr)
      alone.codes.push_back({codes[place].code, raw.controls[place].minimum, raw.controls[place].maximum, 0});
  std::vector<Control> controls = convention_controls(alone);
  for (Control& control : controls) {
    const auto place = std::ranges::find_if(
        places, [&](std::size_t p) { return codes[p].fate != hid::Fate::lost && codes[p].code == control.code; });
    control.code = hid::code_of(*place);
  }
  return controls;
}

std::vector<Control> raw_sheet_controls(const UnitSheet& sheet, const Description& node, std::string_view part) {
  const Raw raw{node};
  std::vector<Control> controls;
  for (const ControlSheet& said : sheet.controls) {
    const bool everywhere = part.empty() || said.parts.empty();
    if (said.raw.empty() || (!everywhere && std::ranges::find(said.parts, part) == said.parts.end())) continue;
    const auto place = hid::find_control(raw.descriptor, raw.controls, said.raw);
    if (!place) continue;
    const hid::Control& control = raw.controls[*place];
    const Reading reading = reading_of(control, said.role);
    controls.push_back({hid::code_of(*place), reading, said.role, said.axis, control.minimum, control.maximum,
                        said.rest.value_or(rest_of(reading, control))});
  }
  return controls;
}

}  // namespace omnipar
