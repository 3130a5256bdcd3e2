// The fields of every kind of sheet.
#include "catalogue/kinds.hpp"

#include <array>
#include <iterator>

#include "omnipar/calibration.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0::catalogue {
namespace {

// Made when they are first asked for, which may be before main.

using text::Field;
using text::FieldKind;

constexpr double any_native = 2147483647;

const std::vector<Field>& range_fields() {
  static const std::vector<Field> fields{
      {"minimum", FieldKind::whole, "where the axis ends on one side", true, -any_native, any_native},
      {"maximum", FieldKind::whole, "where it ends on the other", true, -any_native, any_native},
      {"rest", FieldKind::whole, "where it rests; a pointer has none", false, -any_native, any_native},
      {"step", FieldKind::whole, "values are so far from each other, counted from rest; 1, if left out", false, 1,
       any_native},
      {"dead-band", FieldKind::whole,
       "so far from rest the machine notices nothing, and the smallest push begins beyond", false, 0, any_native},
  };
  return fields;
}

const std::vector<Field>& target_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::name, "what bindings call it", true},
      {"type",
       FieldKind::text,
       "what its values look like",
       false,
       0,
       0,
       {},
       {"button", "trigger", "wheel", "stick", "spinner", "movement", "pointer"}},
      {"place", FieldKind::name, "the role whose place it has under the hand"},
      {"default", FieldKind::names, "its default sources: roles"},
      {"range", FieldKind::table, "the machine's own numbers", false, 0, 0, range_fields()},
      {"self-centering", FieldKind::flag, "returns to rest when it is released; yes, if left out"},
      {"gate",
       FieldKind::text,
       "what limits the way of a stick: its corners are at 0.71 of both axes (round), at the ends of both (square), or "
       "where 'corner' says (octagon); round, if left out",
       false,
       0,
       0,
       {},
       {"round", "square", "octagon"}},
      {"corner", FieldKind::number, "of an octagon: how far both axes are in its corner; 0.75, if left out", false,
       0.71, 1},
      {"player", FieldKind::whole, "2, if it is the second player's of two on one plug", false, 1, 2},
  };
  return fields;
}

const std::vector<Field>& accessory_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::name, "what profiles call it", true},
      {"title", FieldKind::text, "what people call it", true},
      {"target", FieldKind::tables, "the targets that it adds to the controller", true, 0, 0, target_fields()},
  };
  return fields;
}

const std::vector<Field>& controller_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::name, "what ports and profiles call it", true},
      {"title", FieldKind::text, "what people call it", true},
      {"directions", FieldKind::names, "the default sources of up, down, left and right; left out if it has none"},
      {"target", FieldKind::tables, "its targets: what a hand moves on the real one", true, 0, 0, target_fields()},
      {"accessory", FieldKind::tables, "what can be plugged into it", false, 0, 0, accessory_fields()},
  };
  return fields;
}

const std::vector<Field>& port_fields() {
  static const std::vector<Field> fields{
      {"number", FieldKind::whole, "as the machine counts them", true, 1, 99},
      {"takes", FieldKind::names, "the controllers that fit, the default one first", true},
      {"splitter", FieldKind::text,
       "what has to be plugged in for this port to be there, such as \"a splitter in port 2\""},
  };
  return fields;
}

const std::vector<Field>& system_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the version of the format: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "what the sheet is", true},
      {"name", FieldKind::name, "what commands and profiles call it", true},
      {"title", FieldKind::text, "what people call it", true},
      {"frames-per-second", FieldKind::number, "frames per second, 60 if left out", false, 1, 1000},
      {"area", FieldKind::text, "where its picture is on a screen, such as \"4:3\"; all of it, if left out"},
      {"port", FieldKind::tables, "its ports", true, 0, 0, port_fields()},
      {"controller", FieldKind::tables, "the controllers that its ports take", true, 0, 0, controller_fields()},
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

/// The fields of stages that stand in a port.
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
      {"seat", FieldKind::name, "who plays it; left out only if it is not ours"},
      {"second-seat", FieldKind::name, "who plays the second paddle on the same plug"},
      {"not-ours", FieldKind::flag, "another program serves this port: no virtual controller is made for it"},
      {"accessories", FieldKind::names, "what is plugged into the controller"},
      {"controller", FieldKind::name, "which controller is in it; the default one, if left out"},
      {"like", FieldKind::whole, "begin with the bindings of that port", false, 1, 99},
      {"game-dead-zone", FieldKind::number,
       "the dead zone that the game itself has on its sticks: it is undone, the smallest push begins beyond it", false,
       0, 0.9},
      {"game-shots", FieldKind::points,
       "where the game asks for shots when it calibrates its gun: parts of its picture from the left and from the top, "
       "in order, such as [[0.1, 0.1], [0.9, 0.9]]; given exactly, a pull each, after 'AIM-game-shots' of 'bind'",
       false, 0, 1},
      {"bind", FieldKind::uses, "the bindings", false, 0, 0, use_fields()},
  });
  return fields;
}

const std::vector<Field>& hotkey_fields() {
  static const std::vector<Field> fields{
      {"modifier", FieldKind::name, "the button that is held", true},
      {"press", FieldKind::name, "the button that is pressed with it", true},
      {"after", FieldKind::number, "milliseconds that both must be down", false, 0, 60'000},
  };
  return fields;
}

const std::vector<Field>& profile_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the version of the format: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "what the sheet is", true},
      {"name", FieldKind::text, "what people call it", true},
      {"system", FieldKind::name, "the machine", true},
      {"screen", FieldKind::text, "the screen of the rig that it is played on; the only one, if left out"},
      {"area", FieldKind::text,
       "where the game is on it: \"4:3\", \"full\", \"4:3, within 12% 5% 88% 95%\", \"whole multiples of 320x240\", "
       "\"4:3, "
       "cut 3%\", \"3:4, turned right\"; as the machine has it, if left out"},
      {"pointer-span",
       FieldKind::text,
       "what the whole range of a virtual pointer is: the game's picture, its screen, or all screens of the desktop",
       false,
       0,
       0,
       {},
       {"area", "screen", "desktop"}},
      {"off-screen",
       FieldKind::text,
       "how a virtual pointer says that it is off the picture: it stands at the edge of its range, or holds its middle "
       "button",
       false,
       0,
       0,
       {},
       {"edge", "button"}},
      {"port", FieldKind::numbered, "who plays which port, and how", true, 0, 0, profile_port_fields()},
      {"hotkeys", FieldKind::named, "actions and their hotkeys; the built-in exit combinations are always there", false,
       0, 0, hotkey_fields()},
  };
  return fields;
}

const std::vector<Field>& identity_fields() {
  static const std::vector<Field> fields{
      {"vendor", FieldKind::whole, "the USB vendor id, such as 0x1209", true, 0, 0xffff},
      {"product", FieldKind::whole, "the USB product id", true, 0, 0xffff},
      {"name", FieldKind::text, "the name that it gives itself; any, if left out"},
  };
  return fields;
}

const std::vector<Field>& unit_control_fields() {
  static const std::vector<Field> fields{
      {"code", FieldKind::text,
       "the raw code, as the Linux input interface calls it; with its node if the unit has several: `keys/KEY_Q`; or a "
       "control of raw reports, as `omnipar units --raw` calls it: `hid:0/x#2`",
       true},
      {"role", FieldKind::name, "what it is", true},
      {"parts", FieldKind::names, "the parts that it belongs to; all, if left out"},
      {"axis", FieldKind::text, "which half of a stick or d-pad it is", false, 0, 0, {}, {"x", "y"}},
      {"label", FieldKind::text, "what people see there, such as \"red, top left\""},
      {"at", FieldKind::point, "millimetres to the right of and below the unit's upper left corner", false, -5000,
       5000},
      {"rest", FieldKind::whole, "where the axis rests, if not in the middle (triggers: at the lower end)", false,
       -any_native, any_native},
      {"reversed", FieldKind::flag,
       "the axis runs from right to left, or from below upwards; of what counts: likewise"},
      {"half",
       FieldKind::text,
       "of one axis for two pedals: which half of its range this one is; the other one is a control of its own",
       false,
       0,
       0,
       {},
       {"lower", "upper"}},
      {"own-dead-zone", FieldKind::number,
       "what the unit itself takes for rest, as a part of a full push: no other dead zone is put on top of it", false,
       0, most_own_dead_zone},
      {"square", FieldKind::flag, "of a stick or yoke: its axes are independent, and reach their ends at once"},
      {"off-screen", FieldKind::flag,
       "of a button: the unit sends it instead of another one of this role while it points beside the screen"},
  };
  return fields;
}

const std::vector<Field>& part_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::name, "what the rig and controls call it", true},
      {"title", FieldKind::text, "what people call it", true},
      {"plugged", FieldKind::text, "the control of raw reports that tells whether something is in this socket"},
      {"plugged-bits", FieldKind::whole, "those of its bits that tell it; all, if left out", false, 1, 0xffffffff},
      {"empty-is", FieldKind::whole, "their value while there is nothing; 0, if left out", false, 0, 0xffffffff},
  };
  return fields;
}

const std::vector<Field>& unit_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the version of the format: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "what the sheet is", true},
      {"name", FieldKind::name, "what commands call it", true},
      {"title", FieldKind::text, "what people call it", true},
      {"identity", FieldKind::tables, "how the model shows up; any of them", true, 0, 0, identity_fields()},
      {"part", FieldKind::tables, "pieces that are used as if each were a unit", false, 0, 0, part_fields()},
      {"streams", FieldKind::flag,
       "it sends reports all the time: half a second of silence means that it is out of range"},
      {"control", FieldKind::tables, "its controls", true, 0, 0, unit_control_fields()},
  };
  return fields;
}

const std::vector<Field>& rig_unit_fields() {
  static const std::vector<Field> fields{
      {"name", FieldKind::text, "what you call it", true},
      {"seat", FieldKind::name, "where it belongs; left out if it has no seat now"},
      {"vendor", FieldKind::whole, "its USB vendor id", true, 0, 0xffff},
      {"product", FieldKind::whole, "its USB product id", true, 0, 0xffff},
      {"model", FieldKind::text, "the name that it gives itself", true},
      {"serial", FieldKind::text, "its serial number, if it has one"},
      {"socket", FieldKind::text, "where it is plugged in; tells twins without serial numbers apart"},
      {"half", FieldKind::text,
       "which of several controllers of one device it is: \"2\" for that of the second interface, \"1.2\" for the "
       "second "
       "of the first; the first, if left out"},
      {"part", FieldKind::name, "the part of the unit that this is; the whole, if left out"},
      {"connection",
       FieldKind::text,
       "which connection to use if it has both; wired, if left out",
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
      {"name", FieldKind::text, "what you call it", true},
      {"size", FieldKind::point, "pixels across and down, before it is turned", true, 1, most_pixels},
      {"at", FieldKind::point, "where its upper left corner is on the desktop; [0, 0], if left out", false,
       -most_pixels, most_pixels},
      {"turned",
       FieldKind::text,
       "how it hangs: where its own upper edge is",
       false,
       0,
       0,
       {},
       {"none", "right", "upside down", "left"}},
      {"scale", FieldKind::number, "pixels for a unit of the desktop; 1, if left out", false, least_scale, most_scale},
  };
  return fields;
}

const std::vector<Field>& rig_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the version of the format: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "what the sheet is", true},
      {"unit", FieldKind::tables, "the units of this household", false, 0, 0, rig_unit_fields()},
      {"screen", FieldKind::tables, "its screens", false, 0, 0, screen_fields()},
  };
  return fields;
}

/// What every measurement has, behind its own fields.
std::vector<Field> with_measured(std::vector<Field> fields) {
  constexpr double most_readings = 1e9;
  const Field more[] = {
      {"own-dead-zone", FieldKind::number, "what the unit itself takes for rest, as a part of a full push", false, 0,
       most_own_dead_zone},
      {"self-centering", FieldKind::flag, "returns to rest when it is released; yes, if left out"},
      {"noise", FieldKind::number, "how far readings at rest are from the rest, in raw numbers", false, 0, any_native},
      {"returns", FieldKind::number,
       "how far from the rest it stops when it is released, from whatever side, in raw numbers", false, 0, any_native},
      {"error", FieldKind::number, "what the fit is off by at the edge, as a part of a full push", false, 0, 1},
      {"readings", FieldKind::whole, "how many were used", false, 0, most_readings},
      {"measured", FieldKind::text, "the day on which it was measured"},
  };
  fields.insert(fields.end(), std::begin(more), std::end(more));
  return fields;
}

const std::vector<Field>& axis_fields() {
  static const std::vector<Field> fields = with_measured({
      {"code", FieldKind::text, "the raw code of the axis", true},
      {"minimum", FieldKind::whole, "the lowest value that a hand reaches", true, -any_native, any_native},
      {"maximum", FieldKind::whole, "the highest", true, -any_native, any_native},
      {"rest", FieldKind::whole, "the value at rest", true, -any_native, any_native},
      {"declared", FieldKind::point, "the range that the unit declared then: with another one this does not hold",
       false, -any_native, any_native},
      {"marks", FieldKind::points, "of a bent response: raw numbers, and the part of a full push that each is", false,
       -any_native, any_native},
  });
  return fields;
}

const std::vector<Field>& stick_fields() {
  static const std::vector<Field> fields = with_measured({
      {"x", FieldKind::text, "the raw code of its x", true},
      {"y", FieldKind::text, "the raw code of its y", true},
      {"rest", FieldKind::point, "where it rests, in raw numbers", true, -any_native, any_native},
      {"width", FieldKind::point,
       "raw numbers of the same way of the stick to the right and downwards; below 0 if that axis runs the other way",
       true, -any_native, any_native},
      {"turned", FieldKind::number, "degrees by which it is turned in its housing, from right to down", false, -180,
       180},
      {"gate", FieldKind::text, "what limits its way", false, 0, 0, {}, {"round", "square", "octagon", "other"}},
      {"edge", FieldKind::points, "corners of what it reaches, in raw numbers, in turn around the rest", true,
       -any_native, any_native},
      {"declared-x", FieldKind::point, "the range that the unit declared then: with another one this does not hold",
       false, -any_native, any_native},
      {"declared-y", FieldKind::point, "likewise of its y", false, -any_native, any_native},
      {"own-snap", FieldKind::number, "degrees beside its axes that the unit itself makes straight", false, 0, 45},
  });
  return fields;
}

const std::vector<Field>& aim_fields() {
  constexpr double most_shots = 1000;
  static const std::vector<Field> fields{
      {"screen", FieldKind::text, "the screen of the rig; the only one, if left out"},
      {"x", FieldKind::text, "the raw code of what says where it points, to the right", true},
      {"y", FieldKind::text, "likewise downwards", true},
      {"corners", FieldKind::points,
       "what it says, in raw numbers, where it is aimed at the screen's corners: upper left, upper right, lower right, "
       "lower left",
       true, -1e12, 1e12},
      {"model", FieldKind::text, "what it was fitted by", false, 0, 0, {}, {"scale", "affine", "projective"}},
      {"shots", FieldKind::whole, "how many were used", false, 0, most_shots},
      {"declared-x", FieldKind::point, "the range that the unit declared then: with another one this does not hold",
       false, -any_native, any_native},
      {"declared-y", FieldKind::point, "likewise of its y", false, -any_native, any_native},
      {"residual", FieldKind::number, "what is left at the shots, as a part of the screen's width", false, 0, 1},
      {"bound", FieldKind::number, "95 of 100 fits are nowhere off by more, as a part of the screen's width", false, 0,
       1},
      {"measured", FieldKind::text, "the day on which it was measured"},
  };
  return fields;
}

const std::vector<Field>& combination_fields() {
  static const std::vector<Field> fields{
      {"held", FieldKind::texts, "the raw codes that were held", true},
      {"blocked", FieldKind::texts, "what is then blocked: it does not come when it is pressed"},
      {"ghosts", FieldKind::texts, "what then comes although nobody pressed it"},
  };
  return fields;
}

const std::vector<Field>& calibration_table() {
  static const std::vector<Field> fields{
      {"omnipar", FieldKind::whole, "the version of the format: 1", false, 1, 1e9},
      {"kind", FieldKind::text, "what the sheet is", true},
      {"unit", FieldKind::text, "the unit's name in the rig", true},
      {"axis", FieldKind::tables, "what was measured on single axes", false, 0, 0, axis_fields()},
      {"stick", FieldKind::tables, "what was measured on sticks", false, 0, 0, stick_fields()},
      {"aim", FieldKind::tables, "where it points, by screen", false, 0, 0, aim_fields()},
      {"combination", FieldKind::tables, "controls that do not go together", false, 0, 0, combination_fields()},
  };
  return fields;
}

}  // namespace

std::span<const Kind> kinds() {
  static const std::array all{
      Kind{"profile", "Which seat plays which port with which controller, and the bindings.", profile_table(),
           read_profile},
      Kind{"rig", "The units of this household, how each is known again, and where it belongs; and its screens.",
           rig_table(), read_rig},
      Kind{"unit", "A model of unit: its raw codes and what they are. For everybody who owns one.", unit_table(),
           read_unit},
      Kind{"calibration", "What was measured on one unit of the rig. Written by Omnipar.", calibration_table(),
           read_calibration},
      Kind{"system", "An emulated machine: its ports, and the controllers that each takes.", system_table(),
           read_system},
  };
  return all;
}

}  // namespace omnipar::inline abi_0::catalogue
