#include "identity/raw.hpp"

#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/code_names.hpp"
#include "identity/convention.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0 {
namespace {

/// A descriptor with everything derived from it; empty if it cannot be read.
struct Raw {
  hid::Descriptor descriptor;
  std::vector<hid::ReportControl> controls;
  std::vector<hid::Part> parts;

  explicit Raw(const Description& node) {
    auto read = hid::read_descriptor(node.descriptor);
    if (!read) return;
    descriptor = std::move(*read);
    controls = hid::controls_of(descriptor);
    parts = hid::parts_of(descriptor, controls);
  }

  [[nodiscard]] std::vector<std::size_t> indices_of(std::string_view part) const {
    const auto found = std::ranges::find(parts, part, &hid::Part::name);
    return found != parts.end() ? found->controls : hid::played_on(descriptor, controls);
  }
};

ControlType reading_of(const hid::ReportControl& control, std::string_view role) {
  switch (control.kind) {
    case hid::Kind::button:
    case hid::Kind::key:
      return ControlType::button;
    case hid::Kind::counts:
      return ControlType::counts;
    case hid::Kind::hat_x:
    case hid::Kind::hat_y:
      return ControlType::hat;
    case hid::Kind::value:
    case hid::Kind::opaque:
      break;
  }
  const RoleKind kind = role_kind(role).value_or(RoleKind::two_sided);
  if (kind == RoleKind::one_sided) return ControlType::one_sided;
  return kind == RoleKind::pointer ? ControlType::pointer : ControlType::two_sided;
}

std::int32_t rest_of(ControlType type, const hid::ReportControl& control) {
  const std::int64_t ends = std::int64_t{control.minimum} + control.maximum;
  if (type == ControlType::two_sided || type == ControlType::pointer) return static_cast<std::int32_t>((ends + 1) >> 1);
  return type == ControlType::hat ? 0 : control.minimum;
}

/// Playable codes, by the kernel's gamepad convention and related ranges.
bool is_played_code(Code code) {
  constexpr Code first_button = key(0x120), last_button = key(0x13f), first_more = key(0x2c0),
                 last_axis = absolute(0x17);
  if (code.type == ev_abs) return code <= last_axis;
  return code.type == ev_key && ((code >= first_button && code <= last_button) || code >= first_more);
}

/// The kernel's node that has all of this one's playable codes; -1 if none has, or if there are none.
int kernel_node_of(const Description& node, std::span<const hid::KernelCode> codes) {
  std::map<int, std::set<Code>> nodes;
  for (const hid::KernelCode& code : codes)
    if (code.fate != hid::Fate::lost) nodes[code.node].insert(code.code);
  const auto played = [](const CodeRange& range) { return is_played_code(range.code); };
  if (std::ranges::none_of(node.codes, played)) return -1;
  for (const auto& [number, its] : nodes)
    if (std::ranges::all_of(
            node.codes, [&, &all = its](const CodeRange& range) { return !played(range) || all.contains(range.code); }))
      return number;
  return -1;
}

/// Parts whose controls are missing on the event node, entirely or in part.
std::string reason_by_sheet(const Catalogue& catalogue, const UnitSheet& sheet, const Description& node) {
  std::vector<std::string> lacks;
  for (const std::string& part : unit_parts(catalogue, node)) {
    const std::string of_part = part.empty() ? "" : " of " + part;
    const auto there = attach_node(catalogue, node, node, part).controls;
    const auto is_lacking = [&](const ControlSheet& control) {
      const bool is_its =
          part.empty() || control.parts.empty() || std::ranges::find(control.parts, part) != control.parts.end();
      return is_its && !control.raw.empty() && std::ranges::none_of(there, [&](const Control& known) {
               return known.role == control.role && known.axis == control.axis;
             });
    };
    const auto count = std::ranges::count_if(sheet.controls, is_lacking);
    if (count > 0) lacks.push_back(there.empty() ? "all" + of_part : fmt::format("{} controls{}", count, of_part));
  }
  if (lacks.empty()) return "its sheet names controls of raw reports";
  return fmt::format("its event node lacks {}", fmt::join(lacks, " and "));
}

/// For a sheet that names only raw report controls: those that the kernel merges with others.
std::string reason_by_kernel(const UnitSheet& sheet, const hid::Descriptor& descriptor) {
  const auto controls = hid::controls_of(descriptor);
  const auto codes = hid::kernel_codes(descriptor, controls);
  std::set<std::size_t> all;
  for (const ControlSheet& said : sheet.controls)
    if (const auto index = hid::find_control(descriptor, controls, said.raw)) all.insert(*index);
  const auto lost = std::ranges::count_if(all, [&](std::size_t index) { return codes[index].fate != hid::Fate::kept; });
  if (lost == 0) return "its sheet names controls of raw reports";
  return fmt::format("its event node lacks {} of {} controls", lost, all.size());
}

}  // namespace

void describe_raw(Description& node) {
  const Raw raw{node};
  // All controllers of the interface are in its reports.
  node.half.resize(std::min(node.half.size(), node.half.find('.')));
  if (node.half == "1") node.half.clear();
  node.codes.clear();
  for (std::size_t index = 0; index < raw.controls.size(); ++index)
    node.codes.push_back({hid::code_of(index), raw.controls[index].minimum, raw.controls[index].maximum, 0});
}

std::string control_name(const Description& node, Code code) {
  if (code.type != ev_hid || node.descriptor.empty()) return base::code_name(code);
  const Raw raw{node};
  return code.number < raw.controls.size() ? hid::name_of(raw.descriptor, raw.controls[code.number])
                                           : base::code_name(code);
}

std::string reason_for_raw(const Catalogue& catalogue, const Description& node,
                           std::span<const std::uint8_t> descriptor) {
  const auto read = hid::read_descriptor(descriptor);
  if (!read) return "";
  const UnitSheet* sheet = find_unit_sheet(catalogue, node);
  if (sheet != nullptr && identity::names_raw_controls(*sheet)) {
    const bool only_raw =
        std::ranges::all_of(sheet->controls, [](const ControlSheet& control) { return !control.raw.empty(); });
    return only_raw ? reason_by_kernel(*sheet, *read) : reason_by_sheet(catalogue, *sheet, node);
  }
  if (sheet != nullptr || !is_controller(node)) return "";
  const auto controls = hid::controls_of(*read);
  const auto codes = hid::kernel_codes(*read, controls);
  if (kernel_node_of(node, codes) < 0) return "";  // it has a driver of its own
  const auto played = hid::played_on(*read, controls);
  const auto count = [&](hid::Fate fate) {
    return std::ranges::count_if(played, [&](std::size_t index) { return codes[index].fate == fate; });
  };
  const auto lost = count(hid::Fate::lost);
  const auto shared = count(hid::Fate::shared);
  if (lost == 0 && shared == 0) return "";
  return fmt::format("its event node lacks {} of {} controls{}", lost, played.size(),
                     shared > 0 ? fmt::format(" and mixes up {}", shared) : "");
}

bool raw_tells_all(const Catalogue& catalogue, const Description& raw, const Description& node) {
  if (const UnitSheet* sheet = find_unit_sheet(catalogue, node);
      sheet != nullptr && identity::names_raw_controls(*sheet)) {
    const auto parts = unit_parts(catalogue, raw);
    return std::ranges::all_of(
        parts, [&](const std::string& part) { return attach_node(catalogue, raw, node, part).controls.empty(); });
  }
  const Raw read{raw};
  const auto played = hid::played_on(read.descriptor, read.controls);
  const auto codes = hid::kernel_codes(read.descriptor, read.controls);
  const int number = kernel_node_of(node, codes);
  if (number < 0) return false;
  for (std::size_t index = 0; index < codes.size(); ++index)
    if (codes[index].fate != hid::Fate::lost && codes[index].node == number &&
        std::ranges::find(played, index) == played.end())
      return false;
  return true;
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

std::vector<std::vector<std::size_t>> part_controls(const Catalogue& catalogue, const Description& unit) {
  std::vector<std::vector<std::size_t>> all;
  if (find_unit_sheet(catalogue, unit) == nullptr) {
    for (hid::Part& part : Raw{unit}.parts) all.push_back(std::move(part.controls));
    return all;
  }
  std::map<std::size_t, int> owners;
  for (const std::string& part : unit_parts(catalogue, unit)) {
    auto& indices = all.emplace_back();
    for (const Control& control : attach_node(catalogue, unit, unit, part).controls) {
      indices.push_back(control.code.number);
      ++owners[control.code.number];
    }
  }
  for (auto& indices : all) std::erase_if(indices, [&](std::size_t index) { return owners[index] > 1; });
  return all;
}

bool identity::names_raw_controls(const UnitSheet& sheet) noexcept {
  return std::ranges::any_of(sheet.controls, [](const ControlSheet& control) { return !control.raw.empty(); });
}

std::vector<Control> identity::raw_controls(const Description& node, std::string_view part) {
  const Raw raw{node};
  const auto indices = raw.indices_of(part);
  const auto codes = hid::kernel_codes(raw.descriptor, raw.controls, indices);
  Description alone;
  std::vector<Control> controls;
  for (const std::size_t index : indices)
    if (const std::string word = hid::word_of(raw.controls[index].usage); word.starts_with("dpad-"))
      controls.push_back({hid::code_of(index), ControlType::button, word});
    else if (codes[index].fate != hid::Fate::lost && alone.find(codes[index].code) == nullptr)
      alone.codes.push_back({codes[index].code, raw.controls[index].minimum, raw.controls[index].maximum, 0});
  const auto by_convention = identity::convention_controls(alone);
  for (Control control : by_convention) {
    // Raw reports contain all values from the start, so an axis cannot prove that it exists: a trigger's is assumed to.
    const bool is_axis_too =
        control.type == ControlType::button && std::ranges::any_of(by_convention, [&](const Control& other) {
          return other.role == control.role && other.type == ControlType::one_sided;
        });
    if (is_axis_too) continue;
    const auto index = std::ranges::find_if(
        indices, [&](std::size_t p) { return codes[p].fate != hid::Fate::lost && codes[p].code == control.code; });
    control.code = hid::code_of(*index);
    controls.push_back(std::move(control));
  }
  return controls;
}

std::vector<Control> identity::raw_sheet_controls(const UnitSheet& sheet, const Description& node,
                                                  std::string_view part) {
  const Raw raw{node};
  std::vector<Control> controls;
  for (const ControlSheet& said : sheet.controls) {
    const bool everywhere = part.empty() || said.parts.empty();
    if (said.raw.empty() || (!everywhere && std::ranges::find(said.parts, part) == said.parts.end())) continue;
    const auto index = hid::find_control(raw.descriptor, raw.controls, said.raw);
    if (!index) continue;
    const hid::ReportControl& control = raw.controls[*index];
    const ControlType type = reading_of(control, said.role);
    controls.push_back({hid::code_of(*index), type, said.role, said.axis, control.minimum, control.maximum,
                        said.rest.value_or(rest_of(type, control)), said.reversed, said.own_dead_zone, said.square,
                        said.off_screen});
    if (said.half != 0) identity::apply_half(controls.back(), said);
  }
  return controls;
}

}  // namespace omnipar::inline abi_0
