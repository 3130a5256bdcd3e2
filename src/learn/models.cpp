// Learning unknown models: the questions, and the resulting sheets.
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "inspect/report.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/unit_learning.hpp"

namespace omnipar::inline abi_0 {
namespace {

constexpr std::array forms =
    std::to_array<std::string_view>({"pad", "panel", "gun", "wheel", "yoke", "mat", "ball", "spinner", "numbered"});

/// One row of the questions.
struct Row {
  std::string_view name;
  TargetKind kind;
  std::string_view words;
  std::string_view role;
  Axis axis = Axis::none;
  bool upwards = false;
  std::string_view opposite{};
  std::string_view label{};
  LearnMotion motion = LearnMotion::push;
};

constexpr TargetKind press = TargetKind::button, trigger = TargetKind::one_sided, way = TargetKind::two_sided,
                     turn = TargetKind::turns;

constexpr std::array lever = std::to_array<Row>({
    {"up", press, "Press or push up.", "dpad-up", Axis::none, false, "down"},
    {"down", press, "Press or push down.", "dpad-down", Axis::none, false, "up"},
    {"left", press, "Press or push left.", "dpad-left", Axis::none, false, "right"},
    {"right", press, "Press or push right.", "dpad-right", Axis::none, false, "left"},
});
constexpr std::array by_place = std::to_array<Row>({
    {"bottom", press, "Press the bottom face button.", "south"},
    {"right face", press, "Press the right face button.", "east"},
    {"left face", press, "Press the left face button.", "west"},
    {"top", press, "Press the top face button.", "north"},
});
constexpr std::array by_letters = std::to_array<Row>({
    {"A", press, "Press button A.", "south", Axis::none, false, "", "A"},
    {"B", press, "Press button B.", "east", Axis::none, false, "", "B"},
    {"X", press, "Press button X.", "north", Axis::none, false, "", "X"},
    {"Y", press, "Press button Y.", "west", Axis::none, false, "", "Y"},
});
constexpr std::array rest_of_pad = std::to_array<Row>({
    {"left shoulder", press, "Press the upper left shoulder button.", "left-shoulder"},
    {"right shoulder", press, "Press the upper right shoulder button.", "right-shoulder"},
    {"left trigger", trigger, "Press the lower left shoulder button or trigger fully, then release it.",
     "left-trigger"},
    {"right trigger", trigger, "Press the lower right shoulder button or trigger fully, then release it.",
     "right-trigger"},
    {"left stick, right", way, "Push the left stick to the right.", "left-stick", Axis::x},
    {"left stick, up", way, "Push the left stick up.", "left-stick", Axis::y, true},
    {"right stick, right", way, "Push the right stick to the right.", "right-stick", Axis::x},
    {"right stick, up", way, "Push the right stick up.", "right-stick", Axis::y, true},
    {"left stick press", press, "Press the left stick down.", "left-stick-press"},
    {"right stick press", press, "Press the right stick down.", "right-stick-press"},
    {"start", press, "Press start, the small button on the right.", "start"},
    {"select", press, "Press select, the small button on the left.", "select"},
    {"home", press, "Press the centre button.", "home"},
});
constexpr std::array panel_rows = std::to_array<Row>({
    {"upper 1", press, "Press the first button in the upper row.", "west", Axis::none, false, "", "upper row, first"},
    {"upper 2", press, "Press the second button in the upper row.", "north", Axis::none, false, "",
     "upper row, second"},
    {"upper 3", press, "Press the third button in the upper row.", "left-shoulder", Axis::none, false, "",
     "upper row, third"},
    {"lower 1", press, "Press the first button in the lower row.", "south", Axis::none, false, "", "lower row, first"},
    {"lower 2", press, "Press the second button in the lower row.", "east", Axis::none, false, "", "lower row, second"},
    {"lower 3", press, "Press the third button in the lower row.", "right-shoulder", Axis::none, false, "",
     "lower row, third"},
    {"start", press, "Press the start button.", "start", Axis::none, false, "", "start"},
    {"coin", press, "Insert a coin, or press the coin button.", "coin", Axis::none, false, "", "coin"},
});
constexpr std::array gun_rows = std::to_array<Row>({
    {"aim, right", way, "Aim at the left edge, move slowly to the right edge, and pull the trigger there.", "gun",
     Axis::x, false, "", "", LearnMotion::span},
    {"aim, up", way, "Aim at the bottom edge, move slowly to the top edge, and pull the trigger there.", "gun", Axis::y,
     true, "", "", LearnMotion::span},
    {"trigger", press, "Pull the trigger.", "trigger"},
    {"off screen", press, "Aim off-screen and pull the trigger, if the gun reports another button then.", "off-screen"},
    {"reload", press, "Press the reload button.", "reload"},
    {"start", press, "Press start.", "start"},
    {"coin", press, "Press the coin button.", "coin"},
});
constexpr std::array wheel_rows = std::to_array<Row>({
    {"wheel, right", way, "Turn the wheel to the right and back.", "wheel", Axis::none, false, "", "",
     LearnMotion::turn},
    {"gas", trigger, "Press the gas pedal fully, then release it.", "right-trigger"},
    {"brake", trigger, "Press the brake pedal fully, then release it.", "left-trigger"},
    {"clutch", trigger, "Press the third pedal fully, then release it.", "pedal"},
});
constexpr std::array yoke_rows = std::to_array<Row>({
    {"yoke, right", way, "Turn the yoke to the right and back.", "left-stick", Axis::x, false, "", "yoke, turned",
     LearnMotion::turn},
    {"yoke, towards you", way, "Pull the yoke towards you and back.", "left-stick", Axis::y, false, "", "yoke, pulled",
     LearnMotion::turn},
    {"throttle", way, "Pull the throttle to its lower end, then to its upper end, and press any button there.", "pedal",
     Axis::none, false, "", "throttle", LearnMotion::span},
    {"rudder, right", way, "Press the right rudder pedal fully, or twist the yoke to the right, then release it.",
     "wheel", Axis::none, false, "", "rudder", LearnMotion::turn},
    {"first", press, "Press the button under your index finger.", "south"},
    {"second", press, "Press the button under your thumb.", "east"},
    {"third", press, "Press the next button.", "west"},
    {"fourth", press, "Press the next button.", "north"},
    {"start", press, "Press start.", "start"},
    {"select", press, "Press select.", "select"},
});
constexpr std::array mat_rows = std::to_array<Row>({
    {"up", press, "Step on the front panel.", "dpad-up"},
    {"down", press, "Step on the back panel.", "dpad-down"},
    {"left", press, "Step on the left panel.", "dpad-left"},
    {"right", press, "Step on the right panel.", "dpad-right"},
    {"front left", press, "Step on the front left corner.", "south"},
    {"front right", press, "Step on the front right corner.", "north"},
    {"back left", press, "Step on the back left corner.", "west"},
    {"back right", press, "Step on the back right corner.", "east"},
    {"start", press, "Press start.", "start"},
    {"select", press, "Press select.", "select"},
});
constexpr std::array ball_rows = std::to_array<Row>({
    {"ball, right", turn, "Roll the ball to the right.", "trackball", Axis::x},
    {"ball, towards you", turn, "Roll the ball towards you.", "trackball", Axis::y},
});
constexpr std::array spinner_rows = std::to_array<Row>({
    {"spinner, right", turn, "Turn the spinner to the right.", "spinner"},
});
constexpr std::array beside_ball = std::to_array<Row>({
    {"first", press, "Press the first button.", "south"},
    {"second", press, "Press the second button.", "east"},
    {"third", press, "Press the third button.", "west"},
    {"fourth", press, "Press the fourth button.", "north"},
    {"start", press, "Press start.", "start"},
    {"coin", press, "Insert a coin, or press the coin button.", "coin"},
});

void add(std::vector<Row>& all, std::span<const Row> rows) { all.insert(all.end(), rows.begin(), rows.end()); }

std::vector<Row> rows_of(ModelForm form, bool by_letter) {
  std::vector<Row> all;
  if (form != ModelForm::numbered) add(all, lever);
  const std::span<const Row> face = by_letter ? std::span<const Row>{by_letters} : std::span<const Row>{by_place};
  switch (form) {
    case ModelForm::pad:
      add(all, face);
      add(all, rest_of_pad);
      break;
    case ModelForm::panel:
      add(all, panel_rows);
      break;
    case ModelForm::gun:
      all.clear();
      add(all, gun_rows);
      add(all, lever);
      break;
    case ModelForm::wheel:
      all.clear();
      add(all, wheel_rows);
      add(all, lever);
      add(all, face);
      add(all, std::span{rest_of_pad}.last(3));
      break;
    case ModelForm::yoke:
      all.clear();
      add(all, yoke_rows);
      add(all, lever);
      break;
    case ModelForm::mat:
      all.clear();
      add(all, mat_rows);
      break;
    case ModelForm::ball:
      all.clear();
      add(all, ball_rows);
      add(all, beside_ball);
      break;
    case ModelForm::spinner:
      all.clear();
      add(all, spinner_rows);
      add(all, beside_ball);
      break;
    case ModelForm::numbered:
      break;
  }
  return all;
}

ModelQuestion question_of(const Row& row, const std::string& part) {
  const std::string before = part.empty() ? "" : part + ": ";
  ModelQuestion made;
  made.question.name = before + std::string{row.name};
  made.question.kind = row.kind;
  made.question.place = row.role;
  made.question.words = part.empty() ? std::string{row.words} : fmt::format("{}: {}", part, row.words);
  if (!row.opposite.empty()) made.question.opposite = before + std::string{row.opposite};
  made.role = row.role;
  made.axis = row.axis;
  made.question.motion = row.motion;
  made.question.upwards = row.upwards;
  made.part = part;
  made.label = row.label;
  return made;
}

ModelQuestion numbered(int number, const std::string& part) {
  const std::string name = fmt::format("panel-{}", number);
  const std::string words = fmt::format("Press button {}.", number);
  return question_of({name, press, words, name, Axis::none, false, "", ""}, part);
}

struct Counted {
  int buttons = 0, axes = 0, counters = 0;
};

Counted counted(std::span<const Description> nodes) {
  Counted all;
  for (const Description& node : nodes)
    for (const Control& control : raw_attachment(node).controls)
      ++(control.type == ControlType::button   ? all.buttons
         : control.type == ControlType::counts ? all.counters
                                               : all.axes);
  return all;
}

/// A button is not an axis, but a direction may be half of one. A gun may also be a mouse.
bool may_have(const Counted& unit, const Row& row) {
  if (row.kind == way) return unit.axes > 0 || (row.role == "gun" && unit.counters > 0);
  if (row.kind == turn) return unit.counters > 0;
  const bool may_be_axis = row.kind == trigger || !row.opposite.empty();
  return unit.buttons > 0 || (may_be_axis && unit.axes > 0);
}

bool has_code_of(std::span<const Description> nodes, Code code) {
  return std::ranges::any_of(nodes, [code](const Description& node) { return node.find(code) != nullptr; });
}

// -- the sheet ------------------------------------------------------------------------------------------------

bool is_hat(const Description& node, Code code) {
  const CodeRange* range = node.find(code);
  return range != nullptr && code.type != ev_key && range->minimum == -1 && range->maximum == 1;
}

/// In raw reports a button is a range of two values.
bool is_switch(const Description& node, Code code) {
  const CodeRange* range = node.find(code);
  return range != nullptr && range->minimum == 0 && range->maximum == 1;
}

ControlSheet control_for(const LearnedNode& node, Code code) {
  ControlSheet control;
  control.node = node.is_main ? "" : std::string{node_kind_name(node_kind(node.description))};
  control.code = code;
  if (code.type == ev_hid) control.raw = control_name(node.description, code);
  return control;
}

/// A direction that is one side of an axis is half of a d-pad or of a stick.
void make_half(ControlSheet& control, const Description& node, const LearnedSource& source) {
  const bool across = control.role.ends_with("-left") || control.role.ends_with("-right");
  const bool first_side = control.role.ends_with("-up") || control.role.ends_with("-left");
  control.role = is_hat(node, source.code) ? "dpad" : "left-stick";
  control.axis = across ? Axis::x : Axis::y;
  control.reversed = first_side == (source.side > 0);
}

/// A pedal rests at the end from which it is pressed; where two share an axis, it rests between them.
void make_trigger(ControlSheet& control, const CodeRange& range, const LearnedSource& source) {
  constexpr double at_an_end = 0.5;
  if (source.rests > at_an_end) control.rest = range.maximum;
  if (std::fabs(source.rests) > at_an_end) return;
  control.half = source.side;
  const double width = static_cast<double>(range.maximum) - range.minimum;
  const auto rest = static_cast<std::int32_t>(std::lround(range.minimum + (source.rests + 1) / 2 * width));
  const std::int64_t middle = (std::int64_t{range.minimum} + range.maximum + 1) >> 1;
  if (rest != middle) control.rest = rest;
}

ControlSheet control_of(const LearnedNode& node, const ModelQuestion& asked, const LearnedSource& source) {
  ControlSheet control = control_for(node, source.code);
  control.role = asked.role;
  control.label = asked.label;
  control.axis = asked.axis;
  if (!asked.part.empty()) control.parts = {asked.part};
  const bool is_axis = source.code.type != ev_key && !is_switch(node.description, source.code);
  const CodeRange* range = node.description.find(source.code);
  const auto kind = asked.question.kind;
  const bool is_one_sided = role_kind(asked.role) == RoleKind::one_sided;
  if (kind == way && is_one_sided && range != nullptr) {
    if (source.side < 0) control.rest = range->maximum;  // it is pushed towards its lower end
  } else if (kind == way || kind == turn) {
    control.reversed = (source.side < 0) != asked.question.upwards;
  }
  if (source.code.type == ev_rel && asked.role == "gun") control.role = "mouse";
  if (kind == press && is_axis && role_kind(asked.role) == RoleKind::button) {
    const bool is_direction = asked.role.starts_with("dpad-");
    if (is_direction)
      make_half(control, node.description, source);
    else
      control.role = "";  // an axis is not a button
  }
  if (kind == trigger && is_axis && range != nullptr) make_trigger(control, *range, source);
  return control;
}

/// False if the control already has another role.
bool merge(std::vector<ControlSheet>& all, ControlSheet control) {
  const auto same = std::ranges::find_if(all, [&control](const ControlSheet& other) {
    const bool is_other_half = control.half != 0 && other.half == -control.half;
    return other.node == control.node && other.code == control.code && other.raw == control.raw && !is_other_half;
  });
  if (same == all.end()) {
    all.push_back(std::move(control));
    return true;
  }
  if (same->role != control.role || same->axis != control.axis) return false;
  // One control for two players; both sides of one axis are one control.
  for (const std::string& part : control.parts)
    if (!same->parts.empty() && std::ranges::find(same->parts, part) == same->parts.end()) same->parts.push_back(part);
  return true;
}

}  // namespace

Attachment raw_attachment(const Description& node) {
  Attachment attachment;
  for (const CodeRange& range : node.codes) {
    if (range.code.type != ev_key && range.code.type != ev_rel && range.code.type != ev_abs &&
        range.code.type != ev_hid)
      continue;
    Control control;
    control.code = range.code;
    control.role = control_name(node, range.code);
    const bool is_button = range.code.type == ev_key || is_switch(node, range.code);
    control.type = range.code.type == ev_rel ? ControlType::counts
                   : is_button               ? ControlType::button
                                             : ControlType::two_sided;
    control.minimum = range.minimum;
    control.maximum = range.maximum;
    if (control.type == ControlType::two_sided && control.minimum >= control.maximum) continue;
    const std::int64_t middle = (std::int64_t{range.minimum} + range.maximum + 1) >> 1;
    if (control.type == ControlType::two_sided) control.rest = static_cast<std::int32_t>(middle);
    // The kernel reports 0 for an axis without a report.
    const bool is_hat = range.minimum == -1 && range.maximum == 1;
    const bool is_known = control.type == ControlType::button || is_hat || range.value != 0;
    if (is_known && control.type != ControlType::counts) attachment.state.push_back({range.code, range.value});
    attachment.controls.push_back(std::move(control));
  }
  return attachment;
}

std::vector<std::string_view> model_form_names() { return {forms.begin(), forms.end()}; }

bool has_face_buttons(ModelForm form) noexcept { return form == ModelForm::pad || form == ModelForm::wheel; }

std::vector<ModelForm> likely_forms(std::span<const Description> nodes) {
  constexpr Code throttle = absolute(6), rudder = absolute(7), wheel_axis = absolute(8), gas = absolute(9),
                 dial = relative(7);
  constexpr int of_a_mat = 8, of_a_keyboard = 12;
  const Counted unit = counted(nodes);
  const bool has_keys =
      std::ranges::any_of(nodes, [](const Description& node) { return node_kind(node) == NodeKind::keys; });
  std::vector<ModelForm> all;
  const auto add = [&all](ModelForm form, bool may_be) {
    if (may_be && std::ranges::find(all, form) == all.end()) all.push_back(form);
  };
  const bool is_gun = has_code_of(nodes, code::abs_x) && unit.axes <= 2 && has_code_of(nodes, key(0x110));
  add(ModelForm::gun, is_gun);
  add(ModelForm::wheel, has_code_of(nodes, wheel_axis) || has_code_of(nodes, gas));
  add(ModelForm::yoke, has_code_of(nodes, throttle) || has_code_of(nodes, rudder));
  add(ModelForm::spinner, unit.counters == 1 || has_code_of(nodes, dial));
  add(ModelForm::ball, unit.counters >= 2 && unit.axes == 0);
  add(ModelForm::panel, has_keys && unit.axes == 0);
  add(ModelForm::mat,
      unit.axes == 0 && unit.counters == 0 && unit.buttons >= of_a_mat && unit.buttons <= of_a_keyboard);
  add(ModelForm::pad, unit.buttons > 0);
  add(ModelForm::panel, unit.buttons > 0);
  add(ModelForm::gun, unit.axes >= 2 || unit.counters >= 2);
  add(ModelForm::wheel, unit.axes > 0);
  add(ModelForm::yoke, unit.axes >= 2);
  add(ModelForm::mat, unit.buttons > 0);
  add(ModelForm::ball, unit.counters >= 2);
  add(ModelForm::spinner, unit.counters > 0);
  add(ModelForm::numbered, true);
  return all;
}

std::vector<ModelQuestion> model_questions(ModelForm form, bool by_letter, const std::vector<std::string>& parts,
                                           std::span<const Description> nodes) {
  constexpr int most_numbered = 32;
  const Counted unit = nodes.empty() ? Counted{most_numbered, 1, 1} : counted(nodes);
  std::vector<ModelQuestion> all;
  for (const std::string& part : parts.empty() ? std::vector<std::string>{""} : parts) {
    for (const Row& row : rows_of(form, by_letter))
      if (may_have(unit, row)) all.push_back(question_of(row, part));
    if (form == ModelForm::numbered)
      for (int number = 1; number <= std::min(most_numbered, unit.buttons); ++number)
        all.push_back(numbered(number, part));
  }
  return all;
}

UnitSheet learned_sheet(std::string name, std::span<const LearnedNode> nodes, std::span<const ModelQuestion> asked,
                        const Learning& learning, std::vector<std::string>& left_out, const UnitSheet& base) {
  UnitSheet sheet = base;
  sheet.name = std::move(name);
  sheet.identities.clear();
  for (const LearnedNode& node : nodes) {
    if (!node.is_main) continue;
    sheet.title = printable(node.description.name);
    sheet.identities.push_back({node.description.vendor, node.description.product, node.description.name});
  }
  std::vector<ControlSheet> learned;
  std::set<std::string> parts;
  for (std::size_t q = 0; q < learning.questions().size(); ++q) {
    const auto model = std::ranges::find_if(
        asked, [&](const ModelQuestion& one) { return one.question.name == learning.questions()[q].name; });
    if (model == asked.end()) continue;
    if (!model->part.empty() && parts.insert(model->part).second &&
        std::ranges::find(sheet.parts, model->part, &PartSheet::name) == sheet.parts.end())
      sheet.parts.push_back({model->part, model->part});
    for (const LearnedSource& source : learning.answers()[q].sources) {
      const auto node = std::ranges::find(nodes, source.node, &LearnedNode::number);
      if (node == nodes.end()) continue;
      ControlSheet control = control_of(*node, *model, source);
      if (control.role.empty() || !merge(learned, std::move(control))) left_out.push_back(model->question.name);
    }
  }
  // Earlier entries for these codes and these roles are replaced.
  std::erase_if(sheet.controls, [&](const ControlSheet& old) {
    return std::ranges::any_of(learned, [&old](const ControlSheet& now) {
      const bool same_code = old.node == now.node && old.code == now.code && old.raw == now.raw;
      return same_code || (old.role == now.role && old.axis == now.axis && old.parts == now.parts);
    });
  });
  sheet.controls.insert(sheet.controls.end(), learned.begin(), learned.end());
  return sheet;
}

UnitSheet conventional_sheet(std::span<const LearnedNode> nodes) {
  UnitSheet sheet;
  for (const LearnedNode& node : nodes) {
    const auto add = [&](Code code, const std::string& role, Axis axis) {
      if (role.empty()) return;
      ControlSheet made = control_for(node, code);
      made.role = role;
      made.axis = axis;
      sheet.controls.push_back(std::move(made));
    };
    const Description& description = node.description;
    if (!description.descriptor.empty()) {
      for (const Control& control : attach_node(Catalogue{}, description, description).controls)
        add(control.code, control.role, control.axis);
      continue;
    }
    const auto guesses = inspect::guesses_for(description);
    for (std::size_t c = 0; c < guesses.size(); ++c) add(description.codes[c].code, guesses[c].role, guesses[c].axis);
  }
  return sheet;
}

UnitSheet sheet_like(const UnitSheet& other, std::span<const LearnedNode> nodes) {
  UnitSheet sheet = other;
  std::erase_if(sheet.controls, [&](const ControlSheet& control) {
    return std::ranges::none_of(nodes, [&](const LearnedNode& node) {
      const std::string kind = node.is_main ? "" : std::string{node_kind_name(node_kind(node.description))};
      if (!control.raw.empty())
        return std::ranges::any_of(node.description.codes, [&](const CodeRange& range) {
          return range.code.type == ev_hid && control_name(node.description, range.code) == control.raw;
        });
      return control.node == kind && node.description.find(control.code) != nullptr;
    });
  });
  return sheet;
}

}  // namespace omnipar::inline abi_0
