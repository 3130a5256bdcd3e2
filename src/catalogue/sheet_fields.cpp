#include "catalogue/sheet_fields.hpp"

namespace omnipar::catalogue {
namespace {

using text::Field;
using text::FieldKind;

constexpr double any_native = 2147483647;

const std::vector<Field> range_fields{
    {"minimum", FieldKind::whole, "where the axis ends on one side", true, -any_native, any_native},
    {"maximum", FieldKind::whole, "where it ends on the other", true, -any_native, any_native},
    {"rest", FieldKind::whole, "where it rests", true, -any_native, any_native},
};

const std::vector<Field> control_fields{
    {"name", FieldKind::name, "what bindings call it", true},
    {"type", FieldKind::text, "what its values look like", false, 0, 0, {}, {"button", "trigger", "wheel", "stick"}},
    {"place", FieldKind::name, "the role whose place it has under the hand"},
    {"usual", FieldKind::names, "the roles that a proposal gives it"},
    {"range", FieldKind::table, "the machine's own numbers", false, 0, 0, range_fields},
    {"stays", FieldKind::flag, "stays where it was left"},
};

const std::vector<Field> controller_fields{
    {"name", FieldKind::name, "what ports and profiles call it", true},
    {"title", FieldKind::text, "what people call it", true},
    {"directions", FieldKind::names, "the usual sources of up, down, left and right; left out if it has none"},
    {"control", FieldKind::tables, "its controls", true, 0, 0, control_fields},
};

const std::vector<Field> port_fields{
    {"number", FieldKind::whole, "as the machine counts them", true, 1, 99},
    {"takes", FieldKind::names, "the controllers that fit, the usual one first", true},
};

const std::vector<Field> system_table{
    {"omnipar", FieldKind::whole, "the version of the format", false, 1, 1e9},
    {"kind", FieldKind::text, "what the sheet is", true},
    {"name", FieldKind::name, "what commands and profiles call it", true},
    {"title", FieldKind::text, "what people call it", true},
    {"frames-per-second", FieldKind::number, "pictures a second, 60 if left out", false, 1, 1000},
    {"port", FieldKind::tables, "its ports", true, 0, 0, port_fields},
    {"controller", FieldKind::tables, "the controllers that its ports take", true, 0, 0, controller_fields},
};

const std::vector<Field> use_fields{
    {"use", FieldKind::name, "the role", true},
    {"dead-zone", FieldKind::number, "the part of a full push that counts as rest", false, 0, 0.9},
    {"press-at", FieldKind::number, "from here an axis counts as pressed", false, 0.01, 1},
    {"release-at", FieldKind::number, "below here it counts as let go", false, 0, 1},
    {"debounce", FieldKind::number, "milliseconds after a change in which others are not believed", false, 0, 60'000},
    {"hold", FieldKind::number, "milliseconds that it must be down before it counts", false, 0, 60'000},
    {"ramp", FieldKind::number, "full pushes a second, from a button to an axis", false, 0, 1000},
};

const std::vector<Field> profile_port_fields{
    {"seat", FieldKind::name, "who plays it", true},
    {"controller", FieldKind::name, "which controller is in it; the usual one if left out"},
    {"like", FieldKind::whole, "begin with the bindings of that port", false, 1, 99},
    {"bind", FieldKind::uses, "the bindings", false, 0, 0, use_fields},
};

const std::vector<Field> hot_fields{
    {"hold", FieldKind::name, "the button that is held", true},
    {"press", FieldKind::name, "the button that is pressed with it", true},
    {"after", FieldKind::number, "milliseconds that both must be down", false, 0, 60'000},
};

const std::vector<Field> profile_table{
    {"omnipar", FieldKind::whole, "the version of the format", false, 1, 1e9},
    {"kind", FieldKind::text, "what the sheet is", true},
    {"name", FieldKind::text, "what people call it", true},
    {"system", FieldKind::name, "the machine", true},
    {"port", FieldKind::numbered, "who plays which port, and how", true, 0, 0, profile_port_fields},
    {"hot", FieldKind::named, "hot actions; the built-in way out is always there", false, 0, 0, hot_fields},
};

}  // namespace

std::span<const Field> system_fields() { return system_table; }
std::span<const Field> profile_fields() { return profile_table; }

}  // namespace omnipar::catalogue
