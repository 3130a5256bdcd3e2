// The fields of every kind of sheet.
#include "catalogue/kinds.hpp"

#include <array>
#include <iterator>

#include "omnipar/calibration.hpp"
#include "catalogue/kind_examples.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0::catalogue {
namespace {

// Created when first requested, which may be before main.

using text::Field;
using text::FieldKind;

constexpr double any_native = 2147483647;

const std::vector<Field>& range_fields() {
  static const std::vector<Field> fields{
      {"minimum", FieldKind::whole, "the value at one end of the axis", true, -any_native, any_native},
      {"maximum", FieldKind::whole, "the value at the other end", true, -any_native, any_native},
      {"rest", FieldKind::whole, "the value at rest; not used for pointers", false, -any_native, any_native},
      {"step", FieldKind::whole, "the distance between values, counted from rest; default 1", false, 1, any_native},
      {"dead-band", FieldKind::whole,
       "the machine ignores values up to this far from rest, so the smallest push starts beyond it", false, 0,
       any_native},
  };
  return fields;
}

const std::vector<Field>& target_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::name, "its name in bindings", true},
      {"type",
       FieldKind::text,
       "the kind of its values",
       false,
       0,
       0,
       {},
       {"button", "trigger", "wheel", "stick", "spinner", "movement", "pointer"}},
      {"place", FieldKind::name, "the role in the same position on a pad"},
      {"default", FieldKind::names, "its default sources, as roles"},
      {"range", FieldKind::table, "the machine's raw values", false, 0, 0, range_fields()},
      {"self-centering", FieldKind::flag, "returns to rest when released; default true"},
      {"gate",
       FieldKind::text,
       "the gate of a stick, which sets how far both axes go in a corner: 0.71 (round), 1 (square), or 'corner' "
       "(octagon); default round",
       false,
       0,
       0,
       {},
       {"round", "square", "octagon"}},
      {"corner", FieldKind::number, "for an octagon: how far both axes go in a corner; default 0.75", false, 0.71, 1},
      {"player", FieldKind::whole, "2 for the second player of two on one plug", false, 1, 2},
  };
  return fields;
}

const std::vector<Field>& accessory_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::name, "its name in profiles", true},
      {"title", FieldKind::text, "its name for people", true},
      {"target", FieldKind::tables, "the targets it adds to the controller", true, 0, 0, target_fields()},
  };
  return fields;
}

const std::vector<Field>& controller_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::name, "its name in ports and profiles", true},
      {"title", FieldKind::text, "its name for people", true},
      {"directions", FieldKind::names, "the default sources of up, down, left and right; omit if it has no directions"},
      {"target", FieldKind::tables, "its targets, one for each control of the real controller", true, 0, 0,
       target_fields()},
      {"accessory", FieldKind::tables, "accessories that can be plugged into it", false, 0, 0, accessory_fields()},
  };
  return fields;
}

const std::vector<Field>& port_fields() {
  static const std::vector<Field> fields{
      {"number", FieldKind::whole, "the port's number on the machine", true, 1, 99},
      {"takes", FieldKind::names, "the controllers that fit, starting with the default", true},
      {"splitter", FieldKind::text, "the accessory that provides this port, such as \"a splitter in port 2\""},
  };
  return fields;
}

const std::vector<Field>& system_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the format version: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "the kind of sheet", true},
      {"name", FieldKind::name, "its name in commands and profiles", true},
      {"title", FieldKind::text, "its name for people", true},
      {"frames-per-second", FieldKind::number, "frames per second; default 60", false, 1, 1000},
      {"area", FieldKind::text, "where its picture is on the screen, such as \"4:3\"; default: the whole screen"},
      {"port", FieldKind::tables, "its ports", true, 0, 0, port_fields()},
      {"controller", FieldKind::tables, "the controllers for its ports", true, 0, 0, controller_fields()},
  };
  return fields;
}

const std::vector<Field>& use_fields() {
  static const std::vector<Field> fields = [] {
    std::vector<Field> all{{"use", FieldKind::name, "the role", true}};
    for (const stage::Kind* kind : stage::of_uses())
      for (const stage::Field& field : kind->fields) {
        const bool flag = field.measure == stage::Measure::flag;
        const double scale = field.measure == stage::Measure::milliseconds ? 1000 : 1;
        all.push_back({field.name, flag ? FieldKind::flag : FieldKind::number, field.about, false, field.low / scale,
                       flag ? 0 : field.high / scale});
      }
    return all;
  }();
  return fields;
}

/// The fields of stages that belong to a port.
std::vector<Field> with_port_stages(std::vector<Field> fields) {
  for (const stage::Kind* kind : stage::table())
    if (kind->home == stage::Home::directions)
      for (const stage::Field& field : kind->fields)
        fields.insert(
            fields.end() - 1,
            {field.name, FieldKind::text, field.about, false, 0, 0, {}, {field.words.begin(), field.words.end()}});
  return fields;
}

const std::vector<Field>& profile_port_fields() {
  static const std::vector<Field> fields = with_port_stages({
      {"seat", FieldKind::name, "the seat that plays it; omit only with 'not-ours'"},
      {"second-seat", FieldKind::name, "the seat that plays the second paddle on the same plug"},
      {"not-ours", FieldKind::flag, "another program serves this port, so no virtual controller is created for it"},
      {"accessories", FieldKind::names, "accessories plugged into the controller"},
      {"controller", FieldKind::name, "the connected controller; default: the first that fits"},
      {"like", FieldKind::whole, "start from the bindings of that port", false, 1, 99},
      {"game-dead-zone", FieldKind::number,
       "the game's own dead zone for sticks, which is compensated: the smallest push starts beyond it", false, 0, 0.9},
      {"game-shots", FieldKind::points,
       "where the game asks for calibration shots, in order, as fractions of its picture from the left and from the "
       "top, such as [[0.1, 0.1], [0.9, 0.9]]; after 'AIM-game-shots' of 'bind', each pull gives the next one exactly",
       false, 0, 1},
      {"bind", FieldKind::uses, "the bindings", false, 0, 0, use_fields()},
  });
  return fields;
}

const std::vector<Field>& hotkey_fields() {
  static const std::vector<Field> fields{
      {"modifier", FieldKind::name, "the button to hold", true},
      {"press", FieldKind::name, "the button to press with it", true},
      {"after", FieldKind::number, "milliseconds for which both must be held", false, 0, 60'000},
  };
  return fields;
}

const std::vector<Field>& profile_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the format version: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "the kind of sheet", true},
      {"name", FieldKind::text, "its name for people", true},
      {"system", FieldKind::name, "the machine's name", true},
      {"screen", FieldKind::text, "the screen in the rig; default: the only one"},
      {"area", FieldKind::text,
       "where the game is on it: \"4:3\", \"full\", \"4:3, within 12% 5% 88% 95%\", \"whole multiples of 320x240\", "
       "\"4:3, "
       "cut 3%\", \"3:4, turned right\"; default: the machine's area"},
      {"pointer-span",
       FieldKind::text,
       "what the full range of a virtual pointer covers: the game's picture, its screen, or all screens of the desktop",
       false,
       0,
       0,
       {},
       {"area", "screen", "desktop"}},
      {"off-screen",
       FieldKind::text,
       "how a virtual pointer reports off-screen: by the edge of its range, or by its middle button",
       false,
       0,
       0,
       {},
       {"edge", "button"}},
      {"port", FieldKind::numbered, "the ports, by number", true, 0, 0, profile_port_fields()},
      {"hotkeys", FieldKind::named, "actions and their hotkeys; the built-in exit combinations always work", false, 0,
       0, hotkey_fields()},
  };
  return fields;
}

const std::vector<Field>& identity_fields() {
  static const std::vector<Field> fields{
      {"vendor", FieldKind::whole, "the USB vendor id, such as 0x1209", true, 0, 0xffff},
      {"product", FieldKind::whole, "the USB product id", true, 0, 0xffff},
      {"name", FieldKind::text, "the name it reports; default: any"},
  };
  return fields;
}

const std::vector<Field>& unit_control_fields() {
  static const std::vector<Field> fields{
      {"code", FieldKind::text,
       "the raw code of the Linux input interface, with its node if the unit has several: `keys/KEY_Q`; or a control "
       "of raw reports, as `omnipar units --raw` lists it: `hid:0/x#2`",
       true},
      {"role", FieldKind::name, "its role", true},
      {"parts", FieldKind::names, "the parts it belongs to; default: all"},
      {"axis", FieldKind::text, "which axis of a stick or d-pad it is", false, 0, 0, {}, {"x", "y"}},
      {"label", FieldKind::text, "what is printed on it or what it looks like, such as \"red, top left\""},
      {"at", FieldKind::point, "position in millimetres from the unit's top left corner, right and down", false, -5000,
       5000},
      {"rest", FieldKind::whole, "the value at rest; default: the middle, or for triggers the lower end", false,
       -any_native, any_native},
      {"reversed", FieldKind::flag, "the axis or counter runs from right to left, or from bottom to top"},
      {"half",
       FieldKind::text,
       "for combined pedals: the half of the axis that this pedal uses; the other pedal is a separate control",
       false,
       0,
       0,
       {},
       {"lower", "upper"}},
      {"own-dead-zone", FieldKind::number,
       "the unit's built-in dead zone, as a fraction of a full push; no further dead zone is added", false, 0,
       most_own_dead_zone},
      {"square", FieldKind::flag, "for a stick or yoke: its axes are independent and can both be at their ends"},
      {"off-screen", FieldKind::flag,
       "for a button: the unit sends it instead of another one with this role while it points off-screen"},
  };
  return fields;
}

const std::vector<Field>& part_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::name, "its name in the rig and in controls", true},
      {"title", FieldKind::text, "its name for people", true},
      {"plugged", FieldKind::text, "the raw report control that shows whether something is plugged into this socket"},
      {"plugged-bits", FieldKind::whole, "the bits that show it; default: all", false, 1, 0xffffffff},
      {"empty-is", FieldKind::whole, "their value while nothing is plugged in; default 0", false, 0, 0xffffffff},
  };
  return fields;
}

const std::vector<Field>& unit_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the format version: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "the kind of sheet", true},
      {"name", FieldKind::name, "its name in commands", true},
      {"title", FieldKind::text, "its name for people", true},
      {"identity", FieldKind::tables, "how the model identifies itself; any of these", true, 0, 0, identity_fields()},
      {"part", FieldKind::tables, "parts that are used as if each were a unit", false, 0, 0, part_fields()},
      {"streams", FieldKind::flag,
       "it sends reports continuously: half a second of silence means that it is out of range"},
      {"control", FieldKind::tables, "its controls", true, 0, 0, unit_control_fields()},
  };
  return fields;
}

const std::vector<Field>& rig_unit_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::text, "a name for it", true},
      {"seat", FieldKind::name, "its seat; omit if it has none"},
      {"vendor", FieldKind::whole, "its USB vendor id", true, 0, 0xffff},
      {"product", FieldKind::whole, "its USB product id", true, 0, 0xffff},
      {"model", FieldKind::text, "the name it reports", true},
      {"serial", FieldKind::text, "its serial number, if it has one"},
      {"socket", FieldKind::text,
       "where it is plugged in; distinguishes units of the same model without serial numbers"},
      {"half", FieldKind::text,
       "which of several controllers of one device it is: \"2\" for the second interface, \"1.2\" for the second of "
       "the first; default: the first"},
      {"part", FieldKind::name, "the part of the unit; default: the whole unit"},
      {"connection",
       FieldKind::text,
       "which connection to use if both are available; default wired",
       false,
       0,
       0,
       {},
       {"wired", "wireless"}},
  };
  return fields;
}

const std::vector<Field>& screen_fields() {
  constexpr double most_pixels = 100'000, least_scale = 0.1, most_scale = 10;
  static const std::vector<Field> fields{
      {"name", FieldKind::text, "a name for it", true},
      {"size", FieldKind::point, "width and height in pixels before rotation", true, 1, most_pixels},
      {"at", FieldKind::point, "position of its top left corner on the desktop; default [0, 0]", false, -most_pixels,
       most_pixels},
      {"turned",
       FieldKind::text,
       "its rotation: the side where its own top edge is",
       false,
       0,
       0,
       {},
       {"none", "right", "upside down", "left"}},
      {"scale", FieldKind::number, "pixels per desktop unit; default 1", false, least_scale, most_scale},
  };
  return fields;
}

const std::vector<Field>& rig_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the format version: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "the kind of sheet", true},
      {"unit", FieldKind::tables, "the units", false, 0, 0, rig_unit_fields()},
      {"screen", FieldKind::tables, "the screens", false, 0, 0, screen_fields()},
  };
  return fields;
}

/// Fields that every calibration has, after its own ones.
std::vector<Field> with_measured(std::vector<Field> fields) {
  constexpr double most_readings = 1e9;
  const Field more[] = {
      {"own-dead-zone", FieldKind::number, "the unit's built-in dead zone, as a fraction of a full push", false, 0,
       most_own_dead_zone},
      {"self-centering", FieldKind::flag, "returns to rest when released; default true"},
      {"noise", FieldKind::number, "the noise at rest, in raw values", false, 0, any_native},
      {"returns", FieldKind::number, "how far from its rest position it may stop after release, in raw values", false,
       0, any_native},
      {"error", FieldKind::number, "the error of the fit at the edge, as a fraction of a full push", false, 0, 1},
      {"readings", FieldKind::whole, "the number used", false, 0, most_readings},
      {"measured", FieldKind::text, "the date of the measurement"},
  };
  fields.insert(fields.end(), std::begin(more), std::end(more));
  return fields;
}

const std::vector<Field>& axis_fields() {
  static const std::vector<Field> fields = with_measured({
      {"code", FieldKind::text, "the raw code of the axis", true},
      {"minimum", FieldKind::whole, "the lowest value reached", true, -any_native, any_native},
      {"maximum", FieldKind::whole, "the highest value reached", true, -any_native, any_native},
      {"rest", FieldKind::whole, "the value at rest", true, -any_native, any_native},
      {"declared", FieldKind::point,
       "the range declared at that time; with another range, this calibration is not used", false, -any_native,
       any_native},
      {"marks", FieldKind::points, "for a curved response: raw values, each with its fraction of a full push", false,
       -any_native, any_native},
  });
  return fields;
}

const std::vector<Field>& stick_fields() {
  static const std::vector<Field> fields = with_measured({
      {"x", FieldKind::text, "the raw code of its x", true},
      {"y", FieldKind::text, "the raw code of its y", true},
      {"rest", FieldKind::point, "its rest position, in raw values", true, -any_native, any_native},
      {"width", FieldKind::point, "raw values for a full push to the right and down; negative if the axis is reversed",
       true, -any_native, any_native},
      {"turned", FieldKind::number, "rotation in its housing in degrees, from right towards down", false, -180, 180},
      {"gate", FieldKind::text, "its gate", false, 0, 0, {}, {"round", "square", "octagon", "other"}},
      {"edge", FieldKind::points,
       "the corners of the area it reaches, in raw values, in order around the rest position", true, -any_native,
       any_native},
      {"declared-x", FieldKind::point,
       "the range declared at that time; with another range, this calibration is not used", false, -any_native,
       any_native},
      {"declared-y", FieldKind::point, "the same for y", false, -any_native, any_native},
      {"own-snap", FieldKind::number, "degrees within which the unit snaps to its axes", false, 0, 45},
  });
  return fields;
}

const std::vector<Field>& aim_fields() {
  constexpr double most_shots = 1000;
  static const std::vector<Field> fields{
      {"screen", FieldKind::text, "the screen in the rig; default: the only one"},
      {"x", FieldKind::text, "the raw code of the horizontal position", true},
      {"y", FieldKind::text, "the raw code of the vertical position", true},
      {"corners", FieldKind::points,
       "the raw values at the screen's corners: top left, top right, bottom right, bottom left", true, -1e12, 1e12},
      {"model", FieldKind::text, "the model used for the fit", false, 0, 0, {}, {"scale", "affine", "projective"}},
      {"shots", FieldKind::whole, "the number used", false, 0, most_shots},
      {"declared-x", FieldKind::point,
       "the range declared at that time; with another range, this calibration is not used", false, -any_native,
       any_native},
      {"declared-y", FieldKind::point, "the same for y", false, -any_native, any_native},
      {"residual", FieldKind::number, "the RMS error at the shots, as a fraction of the screen's width", false, 0, 1},
      {"bound", FieldKind::number, "the 95 % error bound, as a fraction of the screen's width", false, 0, 1},
      {"measured", FieldKind::text, "the date of the measurement"},
  };
  return fields;
}

const std::vector<Field>& combination_fields() {
  static const std::vector<Field> fields{
      {"held", FieldKind::texts, "the raw codes held", true},
      {"blocked", FieldKind::texts, "the codes that are then blocked"},
      {"ghosts", FieldKind::texts, "the codes that then arrive without being pressed"},
  };
  return fields;
}

const std::vector<Field>& calibration_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the format version: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "the kind of sheet", true},
      {"unit", FieldKind::text, "the unit's name in the rig", true},
      {"axis", FieldKind::tables, "single axes", false, 0, 0, axis_fields()},
      {"stick", FieldKind::tables, "sticks", false, 0, 0, stick_fields()},
      {"aim", FieldKind::tables, "guns, one entry for each screen", false, 0, 0, aim_fields()},
      {"combination", FieldKind::tables, "combinations that are blocked or ghost", false, 0, 0, combination_fields()},
  };
  return fields;
}

}  // namespace

std::span<const Kind> kinds() {
  static const std::array all{
      Kind{"profile", "The seats and controllers of a machine's ports, and their bindings.", profile_example,
           profile_table(), read_profile},
      Kind{"rig", "The units you own, how each is identified, their seats, and the screens.", rig_example, rig_table(),
           read_rig},
      Kind{"unit", "A unit model: its raw codes and their roles, for everyone who owns one.", unit_example,
           unit_table(), read_unit},
      Kind{"calibration", "The calibration of one unit in the rig. Written by Omnipar.", calibration_example,
           calibration_table(), read_calibration},
      Kind{"system", "An emulated machine: its ports and the controllers for each.", system_example, system_table(),
           read_system},
  };
  return all;
}

}  // namespace omnipar::inline abi_0::catalogue
