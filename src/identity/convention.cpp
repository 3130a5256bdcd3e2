#include "identity/convention.hpp"

#include <algorithm>
#include <array>
#include <initializer_list>
#include <span>
#include <string_view>

namespace omnipar::inline abi_0 {
namespace {

struct Meaning {
  Code code;
  ControlType type;
  std::string_view role;
  Axis axis = Axis::none;
};

// Linux Documentation/input/gamepad.rst. ABS_Z and ABS_RZ are what most drivers send for triggers.
constexpr std::array gamepad = std::to_array<Meaning>({
    {code::btn_south, ControlType::button, "south"},
    {code::btn_east, ControlType::button, "east"},
    {code::btn_north, ControlType::button, "north"},
    {code::btn_west, ControlType::button, "west"},
    {code::btn_tl, ControlType::button, "left-shoulder"},
    {code::btn_tr, ControlType::button, "right-shoulder"},
    {code::btn_tl2, ControlType::button, "left-trigger"},
    {code::btn_tr2, ControlType::button, "right-trigger"},
    {code::btn_select, ControlType::button, "select"},
    {code::btn_start, ControlType::button, "start"},
    {code::btn_mode, ControlType::button, "home"},
    {code::btn_thumbl, ControlType::button, "left-stick-press"},
    {code::btn_thumbr, ControlType::button, "right-stick-press"},
    {code::btn_dpad_up, ControlType::button, "dpad-up"},
    {code::btn_dpad_down, ControlType::button, "dpad-down"},
    {code::btn_dpad_left, ControlType::button, "dpad-left"},
    {code::btn_dpad_right, ControlType::button, "dpad-right"},
    {code::abs_x, ControlType::two_sided, "left-stick", Axis::x},
    {code::abs_y, ControlType::two_sided, "left-stick", Axis::y},
    {code::abs_rx, ControlType::two_sided, "right-stick", Axis::x},
    {code::abs_ry, ControlType::two_sided, "right-stick", Axis::y},
    {code::abs_hat0x, ControlType::hat, "dpad", Axis::x},
    {code::abs_hat0y, ControlType::hat, "dpad", Axis::y},
});

// Analog triggers, in order of preference: the first that a unit has is used. ABS_BRAKE and ABS_GAS are sent by
// wireless pads.
constexpr Code abs_gas = absolute(0x09), abs_brake = absolute(0x0a);
constexpr std::array triggers = std::to_array<Meaning>({
    {code::abs_hat2y, ControlType::one_sided, "left-trigger"},
    {abs_brake, ControlType::one_sided, "left-trigger"},
    {code::abs_z, ControlType::one_sided, "left-trigger"},
    {code::abs_hat2x, ControlType::one_sided, "right-trigger"},
    {abs_gas, ControlType::one_sided, "right-trigger"},
    {code::abs_rz, ControlType::one_sided, "right-trigger"},
});

// Joysticks (HID application Joystick: buttons from BTN_TRIGGER) follow no convention; most number
// the face buttons first, then the shoulders, then the two small ones.
constexpr std::array<std::string_view, 13> joystick_buttons{
    "south",  "east",  "west",         "north",         "left-shoulder",    "right-shoulder",
    "select", "start", "left-trigger", "right-trigger", "left-stick-press", "right-stick-press",
    "home"};

constexpr std::size_t few_buttons = 8;

// Neither do pads whose buttons the kernel only numbers; those of more than eight have triggers before the small ones,
// unless that leaves too few beside two sticks and triggers that are axes.
constexpr std::size_t too_few_for_triggers = 11;
constexpr std::array<std::string_view, too_few_for_triggers> numbered_without_triggers{"south",
                                                                                       "east",
                                                                                       "west",
                                                                                       "north",
                                                                                       "left-shoulder",
                                                                                       "right-shoulder",
                                                                                       "select",
                                                                                       "start",
                                                                                       "left-stick-press",
                                                                                       "right-stick-press",
                                                                                       "home"};
constexpr std::array<std::string_view, 13> numbered_buttons{
    "south",        "east",          "west",   "north", "left-shoulder",    "right-shoulder",
    "left-trigger", "right-trigger", "select", "start", "left-stick-press", "right-stick-press",
    "home"};

Control control_of(const Meaning& meaning, const CodeRange& range) {
  Control control{meaning.code,  meaning.type, std::string{meaning.role}, meaning.axis, range.minimum,
                  range.maximum, range.minimum};
  const bool middle = meaning.type == ControlType::two_sided || meaning.type == ControlType::pointer;
  if (middle)  // the value nearest to the centre, the upper of two
    control.rest = static_cast<std::int32_t>((std::int64_t{range.minimum} + range.maximum + 1) >> 1);
  if (meaning.type == ControlType::hat) control.rest = 0;
  return control;
}

bool is_usable(const Meaning& meaning, const CodeRange& range) {
  const std::int64_t width = std::int64_t{range.maximum} - range.minimum;
  if (meaning.type == ControlType::button || meaning.type == ControlType::counts) return true;
  if (meaning.type == ControlType::hat) return range.minimum < 0 && range.maximum > 0;
  return width >= 2;
}

void add(std::vector<Control>& controls, const Description& description, const Meaning& meaning) {
  const CodeRange* range = description.find(meaning.code);
  if (range != nullptr && is_usable(meaning, *range)) controls.push_back(control_of(meaning, *range));
}

bool has_role(const std::vector<Control>& controls, std::string_view role, ControlType type) {
  return std::ranges::any_of(controls, [&](const Control& c) { return c.role == role && c.type == type; });
}

bool has_code(const std::vector<Control>& controls, Code code) {
  return std::ranges::find(controls, code, &Control::code) != controls.end();
}

/// A stick needs both its axes, and so does a pointer; a single axis is dropped.
void drop_halves(std::vector<Control>& controls) {
  std::vector<std::string> halves;
  for (const Control& control : controls) {
    const auto kind = role_kind(control.role);
    const bool pair = kind == RoleKind::stick || kind == RoleKind::pointer;
    if (pair && std::ranges::count(controls, control.role, &Control::role) == 1) halves.push_back(control.role);
  }
  std::erase_if(controls, [&](const Control& c) { return std::ranges::find(halves, c.role) != halves.end(); });
}

/// How a code with this role is read; unknown roles are dropped when the sheet is read.
ControlType reading_of(Code code, const std::string& role) {
  if (code.type == ev_key) return ControlType::button;
  if (code.type == ev_rel) return ControlType::counts;
  switch (role_kind(role).value_or(RoleKind::two_sided)) {
    case RoleKind::dpad:
      return ControlType::hat;
    case RoleKind::one_sided:
      return ControlType::one_sided;
    case RoleKind::pointer:
      return ControlType::pointer;
    default:
      return ControlType::two_sided;
  }
}

/// Returns the number of buttons that the kernel's generic driver numbered from BTN_SOUTH without a gap; 0 if the codes
/// mean what their names say. BTN_C is the third, which drivers for specific pads leave out; a pad that includes the
/// buttons of both sticks was designed for these names.
std::size_t numbered_count(const Description& description) {
  constexpr std::uint16_t last = 0x13e;
  std::size_t count = 0;
  bool gap = false;
  for (std::uint16_t number = code::btn_south.number; number <= last; ++number) {
    const bool is_there = description.find(key(number)) != nullptr;
    if (is_there && gap) return 0;
    gap = gap || !is_there;
    count += is_there ? 1 : 0;
  }
  constexpr std::size_t to_the_sticks = 15;
  return count > 2 && count < to_the_sticks && !description.made_by_program ? count : 0;
}

bool has_all(const Description& description, std::initializer_list<Code> codes) {
  return std::ranges::all_of(codes, [&](Code code) { return description.find(code) != nullptr; });
}

/// Its triggers are axes, whatever buttons it has.
bool has_analog_triggers(const Description& description) {
  if (has_all(description, {abs_gas, abs_brake}) || has_all(description, {code::abs_hat2x, code::abs_hat2y}))
    return true;
  return has_all(description, {code::abs_rx, code::abs_ry, code::abs_z, code::abs_rz});
}

/// If a pad has its triggers elsewhere and no other second stick, ABS_Z and ABS_RZ are that stick.
void add_second_stick(std::vector<Control>& controls, const Description& description, bool numbered) {
  if (has_role(controls, "right-stick", ControlType::two_sided)) return;
  const bool by_buttons = numbered && has_role(controls, "left-trigger", ControlType::button) &&
                          has_role(controls, "right-trigger", ControlType::button);
  if (!by_buttons && !has_analog_triggers(description)) return;
  add(controls, description, {code::abs_z, ControlType::two_sided, "right-stick", Axis::x});
  add(controls, description, {code::abs_rz, ControlType::two_sided, "right-stick", Axis::y});
}

void add_numbered(std::vector<Control>& controls, const Description& description, std::uint16_t first,
                  std::span<const std::string_view> roles) {
  for (std::uint16_t i = 0; i < roles.size(); ++i)
    add(controls, description, {key(static_cast<std::uint16_t>(first + i)), ControlType::button, roles[i]});
}

}  // namespace

void identity::apply_half(Control& control, const ControlSheet& said) {
  if (!said.rest) control.rest = static_cast<std::int32_t>((std::int64_t{control.minimum} + control.maximum + 1) >> 1);
  if (control.rest <= control.minimum || control.rest >= control.maximum) return;  // then it has no parts
  (said.half < 0 ? control.maximum : control.minimum) = control.rest;
  control.half = true;
}

std::vector<Control> identity::sheet_controls(const UnitSheet& sheet, const Description& node, bool is_main,
                                              std::string_view part) {
  std::vector<Control> controls;
  const std::string_view kind = node_kind_name(node_kind(node));
  for (const ControlSheet& control : sheet.controls) {
    if (control.node.empty() ? !is_main : control.node != kind) continue;
    const bool everywhere = part.empty() || control.parts.empty();
    if (!everywhere && std::ranges::find(control.parts, part) == control.parts.end()) continue;
    const std::size_t before = controls.size();
    add(controls, node, {control.code, reading_of(control.code, control.role), control.role, control.axis});
    if (controls.size() == before) continue;
    controls.back().reversed = control.reversed;
    controls.back().own_dead_zone = control.own_dead_zone;
    controls.back().square = control.square;
    controls.back().off_screen = control.off_screen;
    if (control.rest)
      controls.back().rest = std::clamp(*control.rest, controls.back().minimum, controls.back().maximum);
    if (control.half != 0) identity::apply_half(controls.back(), control);
  }
  drop_halves(controls);
  return controls;
}

std::vector<Control> identity::convention_controls(const Description& description) {
  std::vector<Control> controls;
  const std::size_t numbered = numbered_count(description);
  for (const Meaning& meaning : gamepad)
    if (numbered == 0 || meaning.type != ControlType::button || meaning.role.starts_with("dpad"))
      add(controls, description, meaning);
  const bool in_a_row = numbered > few_buttons;
  if (in_a_row && numbered <= too_few_for_triggers && has_analog_triggers(description))
    add_numbered(controls, description, code::btn_south.number, numbered_without_triggers);
  else if (in_a_row)
    add_numbered(controls, description, code::btn_south.number, numbered_buttons);
  else if (numbered > 0)
    add_numbered(controls, description, code::btn_south.number, std::span{joystick_buttons}.first(few_buttons));
  add_second_stick(controls, description, in_a_row);
  for (const Meaning& meaning : triggers)
    if (!has_role(controls, meaning.role, ControlType::one_sided) && !has_code(controls, meaning.code))
      add(controls, description, meaning);
  drop_halves(controls);
  if (description.find(code::btn_south) == nullptr)
    add_numbered(controls, description, code::btn_trigger.number, joystick_buttons);
  return controls;
}

}  // namespace omnipar::inline abi_0
