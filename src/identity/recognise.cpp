// From a description to a unit of the rig, and then to an attachment.
#include <algorithm>
#include <cmath>
#include <cstdlib>

#include <fmt/format.h>

#include "identity/convention.hpp"
#include "identity/raw.hpp"
#include "identity/serial.hpp"
#include "identity/stem.hpp"
#include "omnipar/identity.hpp"
#include "shape/measured.hpp"
#include "shape/projection.hpp"

namespace omnipar::inline abi_0 {
namespace {

/// On cable and radio one device may have two product numbers and two names, but it has one address.
bool same_model(const RigUnit& unit, const Description& d) {
  if (unit.vendor == d.vendor && unit.product == d.product && unit.model == d.name) return true;
  return unit.vendor == d.vendor && identity::is_address(unit.serial) &&
         identity::plain_serial(unit.serial) == identity::plain_serial(d.serial);
}

/// Cheap pads share one serial number, which then identifies none of them. Parts of one unit may share theirs.
bool is_shared_serial(const Rig& rig, const RigUnit& unit) noexcept {
  return std::ranges::any_of(rig.units, [&](const RigUnit& other) {
    return &other != &unit && other.serial == unit.serial && other.part == unit.part && other.half == unit.half &&
           other.vendor == unit.vendor && other.product == unit.product && other.model == unit.model;
  });
}

MatchConfidence confidence(const Rig& rig, const RigUnit& unit, const Description& d) {
  if (unit.half != d.half) return MatchConfidence::no;
  const bool socket = !unit.socket.empty() && unit.socket == d.socket;
  const MatchConfidence without_serial = socket ? MatchConfidence::socket : MatchConfidence::maybe;
  if (unit.serial.empty() || d.serial.empty()) return without_serial;
  if (identity::plain_serial(unit.serial) != identity::plain_serial(d.serial)) return MatchConfidence::no;
  if (is_shared_serial(rig, unit)) return without_serial;
  return socket ? MatchConfidence::both : MatchConfidence::serial;
}

/// Before its first report every axis reads 0, whatever its range; a 0 at the end of a range
/// without negative values therefore carries no information.
bool is_known(const Control& control, std::int32_t value) noexcept {
  return control.type == ControlType::button || value != 0 || control.minimum < 0;
}

/// 1 for the first controller of a device, plus one for each preceding interface and position.
int number_of_half(const std::string& half) {
  const std::size_t point = half.find('.');
  const auto number = [](const std::string& text) { return std::max(1, std::atoi(text.c_str())); };
  return number(half.substr(0, point)) + (point == std::string::npos ? 0 : number(half.substr(point + 1)) - 1);
}

std::string numbered(const std::string& stem, int number) {
  return number > 1 ? fmt::format("{} ({})", stem, number) : stem;
}

bool names_unit(const Rig& rig, const std::string& name) {
  return std::ranges::any_of(rig.units, [&](const RigUnit& unit) { return unit.name == name; });
}

bool is_present(std::span<const std::string> present, const RigUnit& unit) noexcept {
  return std::ranges::find(present, unit.name) != present.end();
}

}  // namespace

namespace {

bool is_of_range(const DeclaredRange& declared, const Control& control) noexcept {
  return declared == DeclaredRange{} || declared == DeclaredRange{control.minimum, control.maximum};
}

void add_outdated(Attachment& attachment, const std::string& role) {
  if (std::ranges::find(attachment.outdated, role) == attachment.outdated.end()) attachment.outdated.push_back(role);
}

std::int32_t whole(double raw) noexcept { return static_cast<std::int32_t>(std::lround(raw)); }

/// The range of a single axis of a stick: the bounding box of its edge.
void apply_box(Control& control, const StickCalibration& stick, double RawPoint::*side) {
  const auto [low, high] = std::ranges::minmax_element(stick.edge, {}, side);
  control.rest = whole(stick.rest.*side);
  control.minimum = std::min(whole((*low).*side), control.rest);
  control.maximum = std::max(whole((*high).*side), control.rest);
}

void calibrate(Attachment& attachment, const StickCalibration& stick) {
  const auto x = std::ranges::find(attachment.controls, stick.x, &Control::code);
  const auto y = std::ranges::find(attachment.controls, stick.y, &Control::code);
  if (x == attachment.controls.end() || y == attachment.controls.end() || x->role != y->role) return;
  if (!is_of_range(stick.declared_x, *x) || !is_of_range(stick.declared_y, *y))
    return add_outdated(attachment, x->role);
  if (!shape::stick_map(stick)) return;
  apply_box(*x, stick, &RawPoint::x);
  apply_box(*y, stick, &RawPoint::y);
  attachment.sticks.push_back(stick);
}

void calibrate(Attachment& attachment, const AxisCalibration& axis) {
  const auto control = std::ranges::find(attachment.controls, axis.code, &Control::code);
  if (control == attachment.controls.end() || control->type == ControlType::hat) return;
  if (!is_of_range(axis.declared, *control)) return add_outdated(attachment, control->role);
  control->minimum = axis.minimum;
  control->maximum = axis.maximum;
  control->rest = axis.rest;
  attachment.axes.push_back(axis);
}

void calibrate(Attachment& attachment, const AimCalibration& aim) {
  const auto x = std::ranges::find(attachment.controls, aim.x, &Control::code);
  const auto y = std::ranges::find(attachment.controls, aim.y, &Control::code);
  if (x == attachment.controls.end() || y == attachment.controls.end() || x->role != y->role) return;
  if (!is_of_range(aim.declared_x, *x) || !is_of_range(aim.declared_y, *y)) return add_outdated(attachment, x->role);
  if (shape::screen_map(aim)) attachment.aims.push_back(aim);
}

}  // namespace

void calibrate(Attachment& attachment, const Rig& rig) {
  attachment.aims.clear();
  attachment.sticks.clear();
  attachment.axes.clear();
  attachment.outdated.clear();
  const auto measured = std::ranges::find(rig.calibrations, attachment.unit, &Calibration::unit);
  if (measured == rig.calibrations.end()) return;
  for (const AxisCalibration& axis : measured->axes) calibrate(attachment, axis);
  for (const StickCalibration& stick : measured->sticks) calibrate(attachment, stick);
  for (const AimCalibration& aim : measured->aims) calibrate(attachment, aim);
}

bool is_controller(const Description& description) noexcept {
  if (description.ours) return false;
  if (!description.descriptor.empty()) return !description.codes.empty();
  return std::ranges::any_of(description.codes, [](const CodeRange& range) {
    return range.code.type == ev_key && range.code.number >= 0x120 && range.code.number <= 0x13f;
  });
}

bool is_playable(const Catalogue& catalogue, const Description& description) noexcept {
  return is_controller(description) || (!description.ours && find_unit_sheet(catalogue, description) != nullptr);
}

std::string_view confidence_text(MatchConfidence confidence) noexcept {
  switch (confidence) {
    case MatchConfidence::no:
      return "no: its serial number differs";
    case MatchConfidence::maybe:
      return "maybe: same model, but another socket";
    case MatchConfidence::socket:
      return "by its socket";
    case MatchConfidence::serial:
      return "by its serial number";
    case MatchConfidence::both:
      return "by its serial number and socket";
  }
  return "";
}

std::vector<Match> matches(const Rig& rig, const Description& description, std::string_view part) {
  std::vector<Match> all;
  for (const RigUnit& unit : rig.units)
    if (same_model(unit, description) && unit.part == part) all.push_back({&unit, confidence(rig, unit, description)});
  std::ranges::stable_sort(all, std::greater{}, &Match::confidence);
  return all;
}

const RigUnit* find_unit(const Rig& rig, const Description& description, std::span<const std::string> present,
                         std::string_view part) {
  for (const Match& match : matches(rig, description, part))
    if (match.confidence >= MatchConfidence::socket && !is_present(present, *match.unit)) return match.unit;
  return nullptr;
}

void choose_connections(std::vector<UnitNodes>& units, std::span<const Description> nodes, const Rig& rig) {
  constexpr std::uint16_t bluetooth = 5;
  const auto by_wireless = [&](const Connection& way) { return nodes[way.nodes.front()].bus == bluetooth; };
  for (UnitNodes& unit : units) {
    const auto spare = std::ranges::find_if(unit.spares, by_wireless);
    if (spare == unit.spares.end() || by_wireless(unit)) continue;
    const auto asks = [&](const Match& match) {
      return match.unit->connection == "wireless" && match.confidence > MatchConfidence::socket;
    };
    if (std::ranges::any_of(matches(rig, nodes[unit.main()]), asks)) std::swap(static_cast<Connection&>(unit), *spare);
  }
}

std::string own_name(const Description& description) {
  return numbered(printable(description.name), number_of_half(description.half));
}

RigUnit new_unit(const Rig& rig, const Description& description, std::string seat, std::string_view part) {
  const std::string stem = printable(description.name) + (part.empty() ? "" : fmt::format(", {}", part));
  int number = number_of_half(description.half);
  while (names_unit(rig, numbered(stem, number))) ++number;
  return {numbered(stem, number), std::move(seat),   description.vendor,
          description.product,    description.name,  description.serial,
          description.socket,     std::string{part}, "",
          description.half};
}

namespace {

/// How closely an identity matches this node; 0: it belongs to another.
int exactness(const UnitIdentity& identity, const Description& d) noexcept {
  if (identity.vendor != d.vendor || identity.product != d.product) return 0;
  if (identity.name.empty()) return 1;
  return identity.name == d.name ? 3 : identity.name == stem_of(d.name) ? 2 : 0;
}

/// Returns false if the node has none of the sheet's controls, or no axis although the sheet has some. Unknown for raw
/// reports before they are read.
bool has_controls_of(const UnitSheet& sheet, const Description& d) noexcept {
  if (!d.descriptor.empty() || d.codes.empty()) return true;  // not known yet
  const std::string_view kind = node_kind_name(node_kind(d));
  const auto is_kind = [kind](const ControlSheet& control) { return control.node == kind; };
  const bool by_kind = std::ranges::any_of(sheet.controls, is_kind);
  int all = 0, there = 0, axes = 0, axes_there = 0;
  for (const ControlSheet& control : sheet.controls) {
    if (!control.raw.empty() || (by_kind ? !is_kind(control) : !control.node.empty())) continue;
    const bool is_axis = control.code.type != ev_key;
    const bool has = d.find(control.code) != nullptr;
    ++all;
    there += has ? 1 : 0;
    axes += is_axis ? 1 : 0;
    axes_there += is_axis && has ? 1 : 0;
  }
  return all == 0 || (there > 0 && (axes == 0 || axes_there > 0));
}

/// The closest match among the sheets whose controls the node has, or lacks.
const UnitSheet* most_exact(const Catalogue& catalogue, const Description& description, bool fitting) noexcept {
  const UnitSheet* found = nullptr;
  int best = 0;
  for (const UnitSheet& sheet : catalogue.units) {
    int its = 0;
    for (const UnitIdentity& identity : sheet.identities) its = std::max(its, exactness(identity, description));
    if (its == 0 || its < best || has_controls_of(sheet, description) != fitting) continue;
    best = its;
    found = &sheet;
  }
  return found;
}

}  // namespace

const UnitSheet* find_unit_sheet(const Catalogue& catalogue, const Description& description) noexcept {
  return most_exact(catalogue, description, true);
}

const UnitSheet* find_unfit_sheet(const Catalogue& catalogue, const Description& description) noexcept {
  if (find_unit_sheet(catalogue, description) != nullptr) return nullptr;
  return most_exact(catalogue, description, false);
}

Attachment attach_node(const Catalogue& catalogue, const Description& main, const Description& node,
                       std::string_view part) {
  Attachment attachment;
  if (!node.descriptor.empty()) {
    const UnitSheet* sheet = find_unit_sheet(catalogue, main);
    attachment.controls = sheet != nullptr && identity::names_raw_controls(*sheet)
                              ? identity::raw_sheet_controls(*sheet, node, part)
                              : identity::raw_controls(node, part);
    return attachment;  // its state is unknown before its first report
  }
  if (const UnitSheet* sheet = find_unit_sheet(catalogue, main))
    attachment.controls = identity::sheet_controls(*sheet, node, &main == &node, part);
  else if (is_controller(node))
    attachment.controls = identity::convention_controls(node);
  for (const Control& control : attachment.controls) {
    const CodeRange* range = node.find(control.code);
    if (range != nullptr && is_known(control, range->value)) attachment.state.push_back({control.code, range->value});
  }
  return attachment;
}

tl::expected<Attachment, Diagnostics> recognise(const Catalogue& catalogue, const Rig& rig,
                                                const Description& description, std::span<const std::string> present) {
  if (!is_playable(catalogue, description))
    return tl::unexpected(
        Diagnostics{{"not-a-controller", Severity::error, "the unit has no buttons of a pad or joystick",
                     printable(description.name), "'omnipar units' lists usable units"}});
  Attachment attachment = attach_node(catalogue, description, description);
  const RigUnit* unit = find_unit(rig, description, present);
  attachment.unit = unit != nullptr ? unit->name : own_name(description);
  if (unit != nullptr) attachment.seat = unit->seat;
  calibrate(attachment, rig);
  return attachment;
}

}  // namespace omnipar::inline abi_0
