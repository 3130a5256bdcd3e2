// Converts checked tables to unit sheets, rigs and calibrations: everything about raw codes and real units.
#include <algorithm>
#include <cmath>
#include <map>

#include "base/code_names.hpp"
#include "base/near.hpp"
#include "catalogue/kinds.hpp"
#include "catalogue/lookup.hpp"
#include "catalogue/values.hpp"
#include "omnipar/hid.hpp"
#include "shape/measured.hpp"
#include "shape/projection.hpp"

namespace omnipar::inline abi_0::catalogue {
namespace {

using text::Value;

/// A code and the node that reports it.
struct RawName {
  std::string node;
  Code code;
  std::string raw;     ///< instead of a code, a raw report control
  std::string half{};  ///< for one of two on an axis: which half
};

void no_raw_control(const text::Source& source, const Value& name, Diagnostics& problems) {
  problems.push_back(text::at(source, name.mark, "unknown-code",
                              fmt::format("invalid raw report control '{}'", name.text),
                              "write hid:REPORT/USAGE, such as \"hid:0/x#2\"; 'omnipar units --raw' lists them"));
}

class CodeReader {
 public:
  CodeReader(const text::Source& source, Diagnostics& problems) : source_(source), problems_(problems) {}

  void error(text::Mark mark, std::string id, std::string message, std::string hint) {
    problems_.push_back(text::at(source_, mark, std::move(id), std::move(message), std::move(hint)));
  }

  /// The code that a table names, with its node, if it is valid.
  std::optional<RawName> code_in(const Value& table) {
    const Value& name = *table.find("code");
    const std::string half = text_in(table, "half");
    if (name.text.starts_with("hid:")) return raw_control(name, half);
    const std::size_t slash = name.text.find('/');
    const std::string node = slash == std::string::npos ? "" : name.text.substr(0, slash);
    const std::string word = slash == std::string::npos ? name.text : name.text.substr(slash + 1);
    check_node(name.mark, node);
    const auto code = code_called(word, name.mark);
    if (!code) return std::nullopt;
    return once({node, *code, "", half}, name);
  }

  /// For a calibration: an axis, also one of raw reports by its number.
  Code axis_in(const Value& table, std::string_view field) {
    const Value& name = *table.find(field);
    const auto code = code_called(name.text, name.mark);
    if (!code) return {};
    if (code->type != ev_abs && code->type != ev_hid)
      error(name.mark, "wrong-code", "only axes can be calibrated", "use an axis, such as ABS_X");
    return once({"", *code, ""}, name).code;
  }

  /// A list of codes; invalid ones are left out.
  std::vector<Code> list_in(const Value& table, std::string_view field) {
    std::vector<Code> all;
    const Value* list = table.find(field);
    for (const Value& name : list != nullptr ? list->items : std::vector<Value>{})
      if (const auto code = code_called(name.text, name.mark)) all.push_back(*code);
    return all;
  }

  /// Which kinds of roles a code can have.
  void check_role(const Value& table, Code code, RoleKind kind) {
    const text::Mark mark = table.find("code")->mark;
    const std::string& name = table.find("code")->text;
    const std::string& role = table.find("role")->text;
    const bool counts = kind == RoleKind::turns || kind == RoleKind::movement;
    const bool pair =
        kind == RoleKind::stick || kind == RoleKind::dpad || kind == RoleKind::pointer || kind == RoleKind::movement;
    if (code.type == ev_rel && !counts)
      error(mark, "wrong-code", fmt::format("'{}' is relative, but '{}' is not", name, role),
            "use the role 'spinner', 'mouse', 'mouse-wheel' or 'trackball'");
    else if (code.type == ev_key && kind != RoleKind::button && kind != RoleKind::one_sided)
      error(mark, "wrong-code", fmt::format("'{}' is a button, but '{}' is not", name, role),
            pair ? "use a single direction, such as 'dpad-up'" : "use an axis");
    else if (!text_in(table, "half").empty() && (code.type == ev_key || kind != RoleKind::one_sided))
      error(mark, "wrong-code", "'half' is only for combined pedals or triggers on one axis",
            fmt::format("remove it, or give '{}' a role such as 'right-trigger' or 'pedal'", name));
    else if (code.type == ev_abs && kind == RoleKind::button)
      error(mark, "wrong-code", fmt::format("'{}' is an axis, but '{}' is a button", name, role), "use a button");
    else if (code.type == ev_abs && counts)
      error(mark, "wrong-code", fmt::format("'{}' is an axis, but '{}' is relative", name, role),
            "use a relative code, such as REL_X");
    else if (code.type != ev_key && pair && table.find("axis") == nullptr)
      error(mark, "missing-field", fmt::format("'axis' is missing: which axis of '{}' is it?", role),
            "write axis = \"x\" or axis = \"y\"");
  }

 private:
  RawName once(RawName raw, const Value& name) {
    const auto is_same = [&raw](const RawName& other) {
      const bool same_code = other.node == raw.node && other.code == raw.code && other.raw == raw.raw;
      return same_code && (other.half == raw.half || other.half.empty() || raw.half.empty());
    };
    if (std::ranges::any_of(seen_, is_same))
      error(name.mark, "name-twice", fmt::format("duplicate '{}'", name.text), "remove one of them");
    else
      seen_.push_back(raw);
    return raw;
  }

  std::optional<RawName> raw_control(const Value& name, const std::string& half) {
    if (hid::is_name(name.text)) return once({"", {ev_hid, 0}, name.text, half}, name);
    no_raw_control(source_, name, problems_);
    return std::nullopt;
  }

  std::optional<Code> code_called(const std::string& word, text::Mark mark) {
    const auto code = base::code_of_name(word);
    if (code) return code;
    const auto near = base::nearest(word, base::code_names());
    error(mark, "unknown-code", fmt::format("unknown code '{}'", word),
          near ? fmt::format("did you mean '{}'?", *near)
               : "use the names of the Linux input interface, such as BTN_SOUTH");
    return std::nullopt;
  }

  void check_node(text::Mark mark, const std::string& node) {
    static const std::vector<std::string_view> kinds{"keys", "motion", "mouse", "pad", "touch"};
    if (node.empty() || std::ranges::find(kinds, node) != kinds.end()) return;
    error(mark, "bad-word", fmt::format("unknown node '{}'", node), catalogue::suggestion(node, kinds));
  }

  const text::Source& source_;
  Diagnostics& problems_;
  std::vector<RawName> seen_;
};

ControlSheet control_of(const Value& table, const RawName& raw) {
  ControlSheet control;
  control.node = raw.node;
  control.code = raw.code;
  control.raw = raw.raw;
  control.parts = names_in(table, "parts");
  control.role = text_in(table, "role");
  control.label = text_in(table, "label");
  if (const std::string axis = text_in(table, "axis"); !axis.empty()) control.axis = axis == "x" ? Axis::x : Axis::y;
  if (const Value* at = table.find("at")) control.spot = Spot{at->items[0].number, at->items[1].number};
  control.reversed = flag_in(table, "reversed");
  if (const std::string half = text_in(table, "half"); !half.empty()) control.half = half == "lower" ? -1 : 1;
  control.own_dead_zone = number_in(table, "own-dead-zone", 0);
  control.square = flag_in(table, "square");
  control.off_screen = flag_in(table, "off-screen");
  if (const Value* rest = table.find("rest")) control.rest = static_cast<std::int32_t>(rest->integer);
  return control;
}

PartSheet part_of(const text::Source& source, const Value& table, Diagnostics& problems) {
  PartSheet part{text_in(table, "name"), text_in(table, "title"), text_in(table, "plugged")};
  const Value* plugged = table.find("plugged");
  if (plugged != nullptr && !hid::is_name(plugged->text)) no_raw_control(source, *plugged, problems);
  part.plugged_bits = whole_in<std::uint32_t>(table, "plugged-bits", part.plugged_bits);
  part.empty_is = whole_in<std::uint32_t>(table, "empty-is");
  return part;
}

/// Each part that a control names must be a part of the unit.
void check_parts(const text::Source& source, const Value& control, const UnitSheet& unit, Diagnostics& problems) {
  const Value* parts = control.find("parts");
  if (parts == nullptr) return;
  std::vector<std::string_view> names;
  for (const PartSheet& part : unit.parts) names.emplace_back(part.name);
  for (const Value& name : parts->items)
    if (std::ranges::find(names, name.text) == names.end())
      problems.push_back(text::at(source, name.mark, "unknown-part",
                                  fmt::format("this unit has no part '{}'", name.text),
                                  catalogue::suggestion(name.text, names)));
}

}  // namespace

void read_unit(const text::Source& source, const Value& table, std::size_t errors_before, Sheets& sheets) {
  UnitSheet unit;
  unit.name = text_in(table, "name");
  unit.title = text_in(table, "title");
  for (const Value& identity : table.find("identity")->items)
    unit.identities.push_back({whole_in<std::uint16_t>(identity, "vendor"),
                               whole_in<std::uint16_t>(identity, "product"), text_in(identity, "name")});
  unit.streams = flag_in(table, "streams");
  if (const Value* parts = table.find("part")) {
    check_differ(source, *parts, "name", sheets.problems);
    for (const Value& part : parts->items) unit.parts.push_back(part_of(source, part, sheets.problems));
  }
  CodeReader codes{source, sheets.problems};
  for (const Value& control : table.find("control")->items) {
    const auto code = codes.code_in(control);
    const auto kind = role_kind(text_in(control, "role"));
    if (!kind) check_roles(source, control.find("role"), sheets.problems);
    if (code && kind) codes.check_role(control, code->code, *kind);
    check_parts(source, control, unit, sheets.problems);
    if (code) unit.controls.push_back(control_of(control, *code));
  }
  if (sheets.problems.size() == errors_before) sheets.units.push_back(std::move(unit));
}

namespace {

Screen screen_in(const Value& table) {
  const Value *size = table.find("size"), *at = table.find("at");
  Screen screen{text_in(table, "name"), static_cast<int>(size->items[0].number),
                static_cast<int>(size->items[1].number)};
  if (at != nullptr) {
    screen.left = static_cast<int>(at->items[0].number);
    screen.top = static_cast<int>(at->items[1].number);
  }
  screen.turned = quarter_turn(text_in(table, "turned")).value_or(QuarterTurn::none);
  screen.scale = number_in(table, "scale", 1);
  return screen;
}

}  // namespace

void read_rig(const text::Source& source, const Value& table, std::size_t errors_before, Sheets& sheets) {
  for (const char* const list : {"unit", "screen"})
    if (const Value* all = table.find(list)) check_differ(source, *all, "name", sheets.problems);
  if (sheets.problems.size() != errors_before) return;
  for (const Value& screen : items_of(table, "screen")) sheets.rig.screens.push_back(screen_in(screen));
  for (const Value& unit : items_of(table, "unit"))
    sheets.rig.units.push_back({text_in(unit, "name"), text_in(unit, "seat"), whole_in<std::uint16_t>(unit, "vendor"),
                                whole_in<std::uint16_t>(unit, "product"), text_in(unit, "model"),
                                text_in(unit, "serial"), text_in(unit, "socket"), text_in(unit, "part"),
                                text_in(unit, "connection"), text_in(unit, "half")});
}

namespace {

Measured measured_in(const Value& table) {
  return {text_in(table, "measured"), whole_in<std::int32_t>(table, "readings"), number_in(table, "error", 0),
          number_in(table, "noise", 0), number_in(table, "returns", 0)};
}

DeclaredRange declared_in(const Value& table, std::string_view field) {
  const Value* range = table.find(field);
  if (range == nullptr) return {};
  return {static_cast<std::int32_t>(range->items[0].number), static_cast<std::int32_t>(range->items[1].number)};
}

RawPoint point_of(const Value& pair) { return {pair.items[0].number, pair.items[1].number}; }

AxisCalibration axis_in(CodeReader& codes, const Value& table) {
  AxisCalibration axis{codes.axis_in(table, "code"), whole_in<std::int32_t>(table, "minimum"),
                       whole_in<std::int32_t>(table, "maximum"), whole_in<std::int32_t>(table, "rest")};
  if (axis.minimum >= axis.maximum || axis.rest < axis.minimum || axis.rest > axis.maximum)
    codes.error(table.find("minimum")->mark, "bad-number", "invalid range",
                "the minimum must be less than the maximum, and the rest between them");
  axis.declared = declared_in(table, "declared");
  if (const Value* marks = table.find("marks")) {
    for (const Value& mark : marks->items) axis.marks.push_back({mark.items[0].number, mark.items[1].number});
    Control control;
    control.type =
        axis.rest == axis.minimum || axis.rest == axis.maximum ? ControlType::one_sided : ControlType::two_sided;
    if (!axis.marks.empty() && !shape::axis_map(axis, control))
      codes.error(marks->mark, "bad-number", "the marks do not form a curve",
                  "use at most 9, inside the range and in increasing order");
  }
  axis.own_dead_zone = number_in(table, "own-dead-zone", 0);
  axis.self_centering = flag_in(table, "self-centering", true);
  axis.measured = measured_in(table);
  return axis;
}

StickCalibration stick_in(CodeReader& codes, const Value& table) {
  StickCalibration stick;
  stick.x = codes.axis_in(table, "x");
  stick.y = codes.axis_in(table, "y");
  stick.rest = point_of(*table.find("rest"));
  stick.width = point_of(*table.find("width"));
  stick.turned = number_in(table, "turned", 0);
  const std::string gate = text_in(table, "gate");
  for (const StickGate one : {StickGate::round, StickGate::square, StickGate::octagon, StickGate::other})
    if (gate == word_of(one)) stick.gate = one;
  for (const Value& corner : table.find("edge")->items) stick.edge.push_back(point_of(corner));
  constexpr double least_width = 1e-6;
  if (std::fabs(stick.width.x) < least_width || std::fabs(stick.width.y) < least_width)
    codes.error(table.find("width")->mark, "bad-number", "the width is 0", "both widths must differ from 0");
  else if (!shape::stick_map(stick))
    codes.error(table.find("edge")->mark, "bad-number", "the edge does not surround the rest position",
                "use 3 to 64 corners in order that form a convex shape");
  stick.declared_x = declared_in(table, "declared-x");
  stick.declared_y = declared_in(table, "declared-y");
  stick.own_dead_zone = number_in(table, "own-dead-zone", 0);
  stick.own_snap = number_in(table, "own-snap", 0);
  stick.self_centering = flag_in(table, "self-centering", true);
  stick.measured = measured_in(table);
  return stick;
}

AimCalibration aim_in(CodeReader& codes, const Value& table) {
  AimCalibration aim;
  aim.screen = text_in(table, "screen");
  aim.x = codes.axis_in(table, "x");
  aim.y = codes.axis_in(table, "y");
  const Value& corners = *table.find("corners");
  const bool are_four = corners.items.size() == aim.corners.size();
  for (std::size_t i = 0; are_four && i < aim.corners.size(); ++i) aim.corners.at(i) = point_of(corners.items[i]);
  if (!are_four || !shape::screen_map(aim))
    codes.error(corners.mark, "bad-number", "the corners do not form a screen",
                "use four corners in this order: top left, top right, bottom right, bottom left");
  const std::string model = text_in(table, "model");
  for (const AimModel one : {AimModel::scale, AimModel::affine, AimModel::projective})
    if (model == word_of(one)) aim.model = one;
  aim.shots = whole_in<int>(table, "shots");
  aim.declared_x = declared_in(table, "declared-x");
  aim.declared_y = declared_in(table, "declared-y");
  aim.residual = number_in(table, "residual", 0);
  aim.bound = number_in(table, "bound", 0);
  aim.on = text_in(table, "measured");
  return aim;
}

}  // namespace

void read_calibration(const text::Source& source, const Value& table, std::size_t errors_before, Sheets& sheets) {
  Calibration calibration{text_in(table, "unit"), {}, {}};
  CodeReader codes{source, sheets.problems};
  for (const Value& axis : items_of(table, "axis")) calibration.axes.push_back(axis_in(codes, axis));
  for (const Value& stick : items_of(table, "stick")) calibration.sticks.push_back(stick_in(codes, stick));
  // A gun may be calibrated on each screen, once on each.
  std::map<std::string, CodeReader> by_screen;
  for (const Value& aim : items_of(table, "aim")) {
    CodeReader& its = by_screen.try_emplace(text_in(aim, "screen"), source, sheets.problems).first->second;
    calibration.aims.push_back(aim_in(its, aim));
  }
  for (const Value& combination : items_of(table, "combination"))
    calibration.combinations.push_back({codes.list_in(combination, "held"), codes.list_in(combination, "blocked"),
                                        codes.list_in(combination, "ghosts")});
  if (sheets.problems.size() == errors_before) sheets.rig.calibrations.push_back(std::move(calibration));
}

}  // namespace omnipar::inline abi_0::catalogue
