// The files that Omnipar writes: profiles, rigs and calibrations.
#include <algorithm>

#include <fmt/format.h>

#include "base/code_names.hpp"
#include "catalogue/kinds.hpp"
#include "stage/table.hpp"
#include "text/quoted.hpp"

namespace omnipar::inline abi_0 {
namespace {

/// Milliseconds in the shortest form.
std::string milliseconds(double microseconds) { return fmt::format("{}", microseconds / 1000); }

std::string setting_text(const stage::Field& field, double value) {
  if (field.measure == stage::Measure::flag) return fmt::format("{} = {}", field.name, value != 0);
  return fmt::format("{} = {}", field.name,
                     field.measure == stage::Measure::milliseconds ? milliseconds(value) : fmt::format("{}", value));
}

std::string use_text(const Use& use) {
  std::string more;
  for (const stage::Kind* kind : stage::of_uses())
    for (const stage::Field& field : kind->fields)
      if (const auto value = use.settings.find(field.name)) more += ", " + setting_text(field, *value);
  return more.empty() ? text::quoted(use.role) : fmt::format("{{ use = {}{} }}", text::quoted(use.role), more);
}

std::string list_text(const std::vector<std::string>& words) {
  std::string all;
  for (const std::string& word : words) all += (all.empty() ? "" : ", ") + text::quoted(word);
  return "[" + all + "]";
}

std::string list_text(const std::vector<Code>& codes) {
  std::vector<std::string> words;
  for (const Code code : codes) words.emplace_back(base::code_name(code));
  return list_text(words);
}

std::string shots_text(const std::vector<AreaPoint>& shots) {
  std::string all;
  for (const AreaPoint& shot : shots) all += fmt::format("{}[{}, {}]", all.empty() ? "" : ", ", shot.x, shot.y);
  return "[" + all + "]";
}

std::string control_text(const ControlSheet& control) {
  const std::string code = !control.raw.empty() ? control.raw : std::string{base::code_name(control.code)};
  std::string text =
      fmt::format("\n[[control]]\ncode = {}\nrole = {}\n",
                  text::quoted(control.node.empty() ? code : control.node + "/" + code), text::quoted(control.role));
  if (!control.parts.empty()) text += fmt::format("parts = {}\n", list_text(control.parts));
  if (control.axis != Axis::none) text += fmt::format("axis = \"{}\"\n", control.axis == Axis::x ? "x" : "y");
  if (!control.label.empty()) text += fmt::format("label = {}\n", text::quoted(control.label));
  if (control.spot) text += fmt::format("at = [{}, {}]\n", control.spot->x, control.spot->y);
  if (control.rest) text += fmt::format("rest = {}\n", *control.rest);
  if (control.reversed) text += "reversed = true\n";
  if (control.half != 0) text += fmt::format("half = \"{}\"\n", control.half < 0 ? "lower" : "upper");
  if (control.own_dead_zone != 0) text += fmt::format("own-dead-zone = {}\n", control.own_dead_zone);
  if (control.square) text += "square = true\n";
  if (control.off_screen) text += "off-screen = true\n";
  return text;
}

}  // namespace

std::string to_toml(const Binding& binding) {
  if (binding.uses.size() == 1) return use_text(binding.uses[0]);
  std::string all;
  for (const Use& use : binding.uses) all += (all.empty() ? "" : ", ") + use_text(use);
  return "[" + all + "]";
}

std::string to_toml(const Profile& profile) {
  std::string text = fmt::format("omnipar = 1\nkind = \"profile\"\nname = {}\nsystem = {}\n",
                                 text::quoted(profile.name), text::quoted(profile.system));
  if (!profile.screen.empty()) text += fmt::format("screen = {}\n", text::quoted(profile.screen));
  if (!profile.area.empty()) text += fmt::format("area = {}\n", text::quoted(profile.area));
  if (profile.pointer_span != PointerSpan::area)
    text += fmt::format("pointer-span = \"{}\"\n", profile.pointer_span == PointerSpan::screen ? "screen" : "desktop");
  if (profile.off_screen == OffScreen::button) text += "off-screen = \"button\"\n";
  for (const PortProfile& port : profile.ports) {
    text += fmt::format("\n[port.{}]\n", port.port);
    if (port.not_ours) text += "not-ours = true\n";
    if (!port.seat.empty()) text += fmt::format("seat = {}\n", text::quoted(port.seat));
    if (!port.second_seat.empty()) text += fmt::format("second-seat = {}\n", text::quoted(port.second_seat));
    if (!port.controller.empty()) text += fmt::format("controller = {}\n", text::quoted(port.controller));
    if (port.opposites != Opposites::both)
      text += fmt::format("opposites = \"{}\"\n",
                          stage::opposites.fields[0].words[static_cast<std::size_t>(port.opposites)]);
    if (port.game_dead_zone != 0) text += fmt::format("game-dead-zone = {}\n", port.game_dead_zone);
    if (!port.game_shots.empty()) text += fmt::format("game-shots = {}\n", shots_text(port.game_shots));
    if (!port.accessories.empty()) text += fmt::format("accessories = {}\n", list_text(port.accessories));
    if (port.like) text += fmt::format("like = {}\n", *port.like);
    if (!port.bind.empty()) text += fmt::format("[port.{}.bind]\n", port.port);
    for (const Binding& binding : port.bind) text += fmt::format("{} = {}\n", binding.target, to_toml(binding));
  }
  bool begun = false;
  for (const Hotkey& hotkey : profile.hotkeys) {
    if (is_built_in(hotkey)) continue;
    if (!std::exchange(begun, true)) text += "\n[hotkeys]\n";
    const std::string after =
        hotkey.after.count() != 0 ? ", after = " + milliseconds(static_cast<double>(hotkey.after.count())) : "";
    text += fmt::format("{} = {{ modifier = {}, press = {}{} }}\n", hotkey.action, text::quoted(hotkey.modifier),
                        text::quoted(hotkey.press), after);
  }
  return text;
}

std::string to_toml(const RigUnit& unit) {
  std::string text = fmt::format("\n[[unit]]\nname = {}\n", text::quoted(unit.name));
  if (!unit.seat.empty()) text += fmt::format("seat = {}\n", text::quoted(unit.seat));
  text += fmt::format("vendor = 0x{:04x}\nproduct = 0x{:04x}\nmodel = {}\n", unit.vendor, unit.product,
                      text::quoted(unit.model));
  if (!unit.serial.empty()) text += fmt::format("serial = {}\n", text::quoted(unit.serial));
  if (!unit.socket.empty()) text += fmt::format("socket = {}\n", text::quoted(unit.socket));
  if (!unit.half.empty()) text += fmt::format("half = {}\n", text::quoted(unit.half));
  if (!unit.part.empty()) text += fmt::format("part = {}\n", text::quoted(unit.part));
  if (!unit.connection.empty()) text += fmt::format("connection = {}\n", text::quoted(unit.connection));
  return text;
}

std::string to_toml(const Screen& screen) {
  std::string text =
      fmt::format("\n[[screen]]\nname = {}\nsize = [{}, {}]\n", text::quoted(screen.name), screen.width, screen.height);
  if (screen.left != 0 || screen.top != 0) text += fmt::format("at = [{}, {}]\n", screen.left, screen.top);
  if (screen.turned != QuarterTurn::none) text += fmt::format("turned = \"{}\"\n", word_of(screen.turned));
  if (screen.scale != 1) text += fmt::format("scale = {}\n", screen.scale);
  return text;
}

std::string to_toml(const Rig& rig) {
  std::string text = "omnipar = 1\nkind = \"rig\"\n";
  for (const RigUnit& unit : rig.units) text += to_toml(unit);
  for (const Screen& screen : rig.screens) text += to_toml(screen);
  return text;
}

namespace {

std::string pair_text(double x, double y) { return fmt::format("[{}, {}]", x, y); }

std::string declared_text(std::string_view field, DeclaredRange range) {
  return range == DeclaredRange{} ? "" : fmt::format("{} = {}\n", field, pair_text(range.minimum, range.maximum));
}

std::string measured_text(double own_dead_zone, bool self_centering, const Measured& measured) {
  std::string text;
  if (own_dead_zone != 0) text += fmt::format("own-dead-zone = {}\n", own_dead_zone);
  if (!self_centering) text += "self-centering = false\n";
  if (measured.noise != 0) text += fmt::format("noise = {}\n", measured.noise);
  if (measured.returns != 0) text += fmt::format("returns = {}\n", measured.returns);
  if (measured.error != 0) text += fmt::format("error = {}\n", measured.error);
  if (measured.count != 0) text += fmt::format("readings = {}\n", measured.count);
  if (!measured.on.empty()) text += fmt::format("measured = {}\n", text::quoted(measured.on));
  return text;
}

std::string axis_text(const AxisCalibration& axis) {
  std::string text = fmt::format("\n[[axis]]\ncode = {}\nminimum = {}\nmaximum = {}\nrest = {}\n",
                                 text::quoted(base::code_name(axis.code)), axis.minimum, axis.maximum, axis.rest);
  text += declared_text("declared", axis.declared);
  std::string marks;
  for (const RawMark& mark : axis.marks) marks += (marks.empty() ? "" : ", ") + pair_text(mark.raw, mark.part);
  if (!marks.empty()) text += fmt::format("marks = [{}]\n", marks);
  return text + measured_text(axis.own_dead_zone, axis.self_centering, axis.measured);
}

std::string stick_text(const StickCalibration& stick) {
  std::string text = fmt::format("\n[[stick]]\nx = {}\ny = {}\nrest = {}\nwidth = {}\n",
                                 text::quoted(base::code_name(stick.x)), text::quoted(base::code_name(stick.y)),
                                 pair_text(stick.rest.x, stick.rest.y), pair_text(stick.width.x, stick.width.y));
  if (stick.turned != 0) text += fmt::format("turned = {}\n", stick.turned);
  if (stick.gate != StickGate::round) text += fmt::format("gate = \"{}\"\n", word_of(stick.gate));
  std::string corners;
  for (std::size_t i = 0; i < stick.edge.size(); ++i)
    corners += (i == 0 ? "" : i % 6 == 0 ? ",\n  " : ", ") + pair_text(stick.edge[i].x, stick.edge[i].y);
  text += fmt::format("edge = [{}]\n", corners);
  text += declared_text("declared-x", stick.declared_x) + declared_text("declared-y", stick.declared_y);
  if (stick.own_snap != 0) text += fmt::format("own-snap = {}\n", stick.own_snap);
  return text + measured_text(stick.own_dead_zone, stick.self_centering, stick.measured);
}

std::string aim_text(const AimCalibration& aim) {
  std::string text = "\n[[aim]]\n";
  if (!aim.screen.empty()) text += fmt::format("screen = {}\n", text::quoted(aim.screen));
  text += fmt::format("x = {}\ny = {}\n", text::quoted(base::code_name(aim.x)), text::quoted(base::code_name(aim.y)));
  std::string corners;
  for (const RawPoint& corner : aim.corners) corners += (corners.empty() ? "" : ", ") + pair_text(corner.x, corner.y);
  text += fmt::format("corners = [{}]\nmodel = \"{}\"\n", corners, word_of(aim.model));
  if (aim.shots != 0) text += fmt::format("shots = {}\n", aim.shots);
  text += declared_text("declared-x", aim.declared_x) + declared_text("declared-y", aim.declared_y);
  if (aim.residual != 0) text += fmt::format("residual = {}\n", aim.residual);
  if (aim.bound != 0) text += fmt::format("bound = {}\n", aim.bound);
  if (!aim.on.empty()) text += fmt::format("measured = {}\n", text::quoted(aim.on));
  return text;
}

}  // namespace

std::string to_toml(const Calibration& calibration) {
  std::string text = fmt::format("omnipar = 1\nkind = \"calibration\"\nunit = {}\n", text::quoted(calibration.unit));
  for (const AxisCalibration& axis : calibration.axes) text += axis_text(axis);
  for (const StickCalibration& stick : calibration.sticks) text += stick_text(stick);
  for (const AimCalibration& aim : calibration.aims) text += aim_text(aim);
  for (const Combination& combination : calibration.combinations) {
    text += fmt::format("\n[[combination]]\nheld = {}\n", list_text(combination.held));
    if (!combination.blocked.empty()) text += fmt::format("blocked = {}\n", list_text(combination.blocked));
    if (!combination.ghosts.empty()) text += fmt::format("ghosts = {}\n", list_text(combination.ghosts));
  }
  return text;
}

std::string to_toml(const UnitSheet& sheet) {
  std::string text = fmt::format("omnipar = 1\nkind = \"unit\"\nname = {}\ntitle = {}\n", text::quoted(sheet.name),
                                 text::quoted(sheet.title));
  if (sheet.streams) text += "streams = true\n";
  for (const UnitIdentity& identity : sheet.identities) {
    text += fmt::format("\n[[identity]]\nvendor = 0x{:04x}\nproduct = 0x{:04x}\n", identity.vendor, identity.product);
    if (!identity.name.empty()) text += fmt::format("name = {}\n", text::quoted(identity.name));
  }
  for (const PartSheet& part : sheet.parts) {
    text += fmt::format("\n[[part]]\nname = {}\ntitle = {}\n", text::quoted(part.name), text::quoted(part.title));
    if (part.plugged.empty()) continue;
    text += fmt::format("plugged = {}\n", text::quoted(part.plugged));
    if (part.plugged_bits != ~std::uint32_t{0}) text += fmt::format("plugged-bits = {}\n", part.plugged_bits);
    if (part.empty_is != 0) text += fmt::format("empty-is = {}\n", part.empty_is);
  }
  for (const ControlSheet& control : sheet.controls) text += control_text(control);
  return text;
}

}  // namespace omnipar::inline abi_0
