#include "outlet/form.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <set>
#include <utility>

#include "base/code_names.hpp"
#include "os/our_mark.hpp"

namespace omnipar::inline abi_0::outlet {
namespace {

constexpr NativeRange stick_range{-32768, 32767, 0};
constexpr NativeRange trigger_range{0, 65535, 0};
constexpr NativeRange hat_range{-1, 1, 0};
constexpr NativeRange pointer_range{0, 65535, 32768};

struct Entry {
  std::string_view place;
  DeviceCode to;
};

constexpr std::array places = std::to_array<Entry>({
    {"south", {FormKind::pad, code::btn_south}},
    {"east", {FormKind::pad, code::btn_east}},
    {"north", {FormKind::pad, code::btn_north}},
    {"west", {FormKind::pad, code::btn_west}},
    {"left-shoulder", {FormKind::pad, code::btn_tl}},
    {"right-shoulder", {FormKind::pad, code::btn_tr}},
    {"select", {FormKind::pad, code::btn_select}},
    {"coin", {FormKind::pad, code::btn_select}},
    {"start", {FormKind::pad, code::btn_start}},
    {"home", {FormKind::pad, code::btn_mode}},
    {"left-stick-press", {FormKind::pad, code::btn_thumbl}},
    {"right-stick-press", {FormKind::pad, code::btn_thumbr}},
    {"dpad-up", {FormKind::pad, code::abs_hat0y}},
    {"dpad-down", {FormKind::pad, code::abs_hat0y}},
    {"dpad-left", {FormKind::pad, code::abs_hat0x}},
    {"dpad-right", {FormKind::pad, code::abs_hat0x}},
    {"left-trigger", {FormKind::pad, code::abs_z}},
    {"right-trigger", {FormKind::pad, code::abs_rz}},
    {"pedal", {FormKind::pad, code::abs_rz}},
    {"wheel", {FormKind::pad, code::abs_x}},
    {"mouse-left", {FormKind::mouse, key(BTN_LEFT)}},
    {"mouse-right", {FormKind::mouse, key(BTN_RIGHT)}},
    {"mouse-middle", {FormKind::mouse, key(BTN_MIDDLE)}},
    {"mouse-wheel", {FormKind::mouse, relative(REL_WHEEL)}},
    {"spinner", {FormKind::mouse, relative(REL_X)}},
    {"trigger", {FormKind::pointer, key(BTN_LEFT)}},
    {"touch-press", {FormKind::pointer, key(BTN_LEFT)}},
    {"reload", {FormKind::pointer, key(BTN_RIGHT)}},
});

/// Positions with two axes: the code of the horizontal one, then of the vertical one.
struct PairEntry {
  std::string_view place;
  FormKind form;
  Code x, y;
};
constexpr std::array pair_places = std::to_array<PairEntry>({
    {"left-stick", FormKind::pad, code::abs_x, code::abs_y},
    {"right-stick", FormKind::pad, code::abs_rx, code::abs_ry},
    {"mouse", FormKind::mouse, relative(REL_X), relative(REL_Y)},
    {"trackball", FormKind::mouse, relative(REL_X), relative(REL_Y)},
    {"gun", FormKind::pointer, code::abs_x, code::abs_y},
    {"pointer", FormKind::pointer, code::abs_x, code::abs_y},
    {"touch", FormKind::pointer, code::abs_x, code::abs_y},
});

constexpr std::array modifiers{KEY_LEFTSHIFT, KEY_RIGHTSHIFT, KEY_LEFTCTRL, KEY_RIGHTCTRL,
                               KEY_LEFTALT,   KEY_RIGHTALT,   KEY_LEFTMETA, KEY_RIGHTMETA};

constexpr std::array desktop_keys{KEY_MUTE,     KEY_VOLUMEDOWN,   KEY_VOLUMEUP, KEY_MICMUTE,      KEY_PLAYPAUSE,
                                  KEY_NEXTSONG, KEY_PREVIOUSSONG, KEY_STOPCD,   KEY_BRIGHTNESSUP, KEY_BRIGHTNESSDOWN};

std::vector<Code> keyboard_keys() {
  std::vector<Code> keys;
  for (std::uint16_t number = KEY_ESC; number <= KEY_COMPOSE; ++number) keys.push_back(key(number));
  for (std::uint16_t number = KEY_F13; number <= KEY_F24; ++number) keys.push_back(key(number));
  std::stable_partition(keys.begin(), keys.end(), [](Code code) { return !is_modifier(code); });
  return keys;
}

Form pad_form() {
  return {"pad",
          0x0001,
          {code::btn_south, code::btn_east, code::btn_north, code::btn_west, code::btn_tl, code::btn_tr, code::btn_tl2,
           code::btn_tr2, code::btn_select, code::btn_start, code::btn_mode, code::btn_thumbl, code::btn_thumbr},
          {},
          {{code::abs_x, stick_range},
           {code::abs_y, stick_range},
           {code::abs_z, trigger_range},
           {code::abs_rx, stick_range},
           {code::abs_ry, stick_range},
           {code::abs_rz, trigger_range},
           {code::abs_hat0x, hat_range},
           {code::abs_hat0y, hat_range}}};
}

Form mouse_form() {
  return {"mouse",
          0x0003,
          {key(BTN_LEFT), key(BTN_RIGHT), key(BTN_MIDDLE), key(BTN_SIDE), key(BTN_EXTRA)},
          {relative(REL_X), relative(REL_Y), relative(REL_WHEEL), relative(REL_HWHEEL)},
          {}};
}

/// BTN_LEFT makes udev classify it as a mouse; with another button it would have no class and be ignored.
Form pointer_form() {
  return {"pointer",
          0x0004,
          {key(BTN_LEFT), key(BTN_RIGHT), key(BTN_MIDDLE)},
          {},
          {{code::abs_x, pointer_range}, {code::abs_y, pointer_range}},
          true};
}

Form desktop_form() {
  Form form{"keys", 0x0005, {}, {}, {}};
  for (const int number : desktop_keys) form.keys.push_back(key(static_cast<std::uint16_t>(number)));
  return form;
}

/// "key-q" is KEY_Q, "key-left-shift" KEY_LEFTSHIFT.
std::optional<DeviceCode> key_code_of(std::string_view place) {
  constexpr std::string_view family = "key-";
  if (!place.starts_with(family)) return std::nullopt;
  std::string name = "KEY_";
  for (const char c : place.substr(family.size()))
    if (c != '-') name += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  const auto code = base::code_of_name(name);
  const auto& keys = form_of(FormKind::keyboard).keys;
  if (!code || std::ranges::find(keys, *code) == keys.end()) return std::nullopt;
  return DeviceCode{FormKind::keyboard, *code};
}

}  // namespace

const FormAxis* Form::axis(Code code) const noexcept {
  const auto at = std::ranges::find(axes, code, &FormAxis::code);
  return at == axes.end() ? nullptr : &*at;
}

const Form& form_of(FormKind kind) {
  static const std::array<Form, 5> forms{pad_form(), Form{"keyboard", 0x0002, keyboard_keys(), {}, {}}, mouse_form(),
                                         pointer_form(), desktop_form()};
  return forms.at(static_cast<std::size_t>(kind));
}

std::string device_name(DeviceKey device, int play) {
  const std::string number = play > 1 ? fmt::format(" ({})", play) : "";
  if (device == passed_on_keys) return "Omnipar passed-on keys" + number;
  return fmt::format("Omnipar port {} {}{}", device.port, form_of(device.form).word, number);
}

std::string device_phys(DeviceKey device, int play) {
  const std::string number = play > 1 ? fmt::format("play{}/", play) : "";
  return fmt::format("{}{}port{}/{}", os::our_mark, number, device.port, form_of(device.form).word);
}

input_id device_id(DeviceKey device) {
  constexpr std::uint16_t open_community_vendor = 0x1209;
  return {BUS_VIRTUAL, open_community_vendor, form_of(device.form).product, static_cast<std::uint16_t>(device.port)};
}

std::optional<DeviceCode> device_code_of(const TargetInfo& target) {
  const auto* const pair = std::ranges::find(pair_places, target.place, &PairEntry::place);
  if (pair != pair_places.end()) {
    if (target.kind == TargetKind::button) return std::nullopt;  // no code means off-screen
    return DeviceCode{pair->form, target.name.ends_with("-x") != target.spans_across ? pair->x : pair->y};
  }
  const auto* const at = std::ranges::find(places, target.place, &Entry::place);
  if (at != places.end()) return at->to;
  return key_code_of(target.place);
}

std::vector<DeviceKey> devices_of(const Plan& plan) {
  std::vector<DeviceKey> devices;
  for (const PortInfo& port : plan.ports()) {
    if (port.number == 0) continue;
    std::set<FormKind> forms;
    for (const TargetInfo& target : plan.targets().subspan(port.first_target, port.target_count))
      if (const auto to = device_code_of(target)) forms.insert(to->form);
    if (forms.empty()) forms.insert(FormKind::pad);
    for (const FormKind form : forms) devices.push_back({port.number, form});
  }
  std::ranges::sort(devices);
  return devices;
}

bool is_desktop_key(Code code) noexcept {
  return code.type == ev_key && std::ranges::find(desktop_keys, int{code.number}) != desktop_keys.end();
}

bool is_modifier(Code code) noexcept {
  return code.type == ev_key && std::ranges::find(modifiers, int{code.number}) != modifiers.end();
}

input_event event_of(Code code, std::int32_t value) noexcept {
  input_event event{};
  event.type = code.type;
  event.code = code.number;
  event.value = value;
  return event;
}

input_event end_of_report() noexcept { return event_of({EV_SYN, SYN_REPORT}, 0); }

std::vector<input_event> neutral_report(FormKind kind) {
  const Form& form = form_of(kind);
  std::vector<input_event> events;
  for (const Code code : form.keys) events.push_back(event_of(code, 0));
  for (const FormAxis& axis : form.axes)
    if (!form.stays) events.push_back(event_of(axis.code, axis.range.rest));
  events.push_back(end_of_report());
  return events;
}

}  // namespace omnipar::inline abi_0::outlet
