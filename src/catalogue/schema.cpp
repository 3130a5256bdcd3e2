// The contents of the field tables, for programs (JSON Schema) and for people (a page).
#include <algorithm>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "catalogue/kinds.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0 {
namespace {

using text::Field;
using text::FieldKind;
using Json = nlohmann::ordered_json;

constexpr const char* name_pattern = "^[a-z][a-z0-9-]{0,39}$";

Json object_of(std::span<const Field> fields);

Json keyed(const char* keys, Json inside) {
  return {{"type", "object"}, {"patternProperties", {{keys, std::move(inside)}}}, {"additionalProperties", false}};
}

Json shape_of(const Field& field) {
  switch (field.kind) {
    case FieldKind::text:
      return field.words.empty() ? Json{{"type", "string"}} : Json{{"enum", field.words}};
    case FieldKind::name:
      return {{"type", "string"}, {"pattern", name_pattern}};
    case FieldKind::whole:
      return {{"type", "integer"},
              {"minimum", static_cast<std::int64_t>(field.low)},
              {"maximum", static_cast<std::int64_t>(field.high)}};
    case FieldKind::number:
      return {{"type", "number"}, {"minimum", field.low}, {"maximum", field.high}};
    case FieldKind::flag:
      return {{"type", "boolean"}};
    case FieldKind::names:
      return {{"type", "array"}, {"items", {{"type", "string"}, {"pattern", name_pattern}}}};
    case FieldKind::texts:
      return {{"type", "array"}, {"items", {{"type", "string"}}}};
    case FieldKind::point:
      return {{"type", "array"},
              {"items", {{"type", "number"}, {"minimum", field.low}, {"maximum", field.high}}},
              {"minItems", 2},
              {"maxItems", 2}};
    case FieldKind::points: {
      const Json number{{"type", "number"}, {"minimum", field.low}, {"maximum", field.high}};
      return {{"type", "array"}, {"items", {{"type", "array"}, {"items", number}, {"minItems", 2}, {"maxItems", 2}}}};
    }
    case FieldKind::table:
      return object_of(field.inside);
    case FieldKind::tables:
      return {{"type", "array"}, {"items", object_of(field.inside)}};
    case FieldKind::numbered:
      return keyed("^[0-9]{1,3}$", object_of(field.inside));
    case FieldKind::named:
      return keyed("", object_of(field.inside));
    case FieldKind::uses: {
      const Json use{{"anyOf", Json::array({Json{{"type", "string"}}, object_of(field.inside)})}};
      return {{"type", "object"},
              {"additionalProperties",
               {{"anyOf", Json::array({Json{{"type", "string"}}, object_of(field.inside),
                                       Json{{"type", "array"}, {"items", use}}})}}}};
    }
  }
  return {};
}

Json object_of(std::span<const Field> fields) {
  Json properties = Json::object();
  Json needed = Json::array();
  for (const Field& field : fields) {
    Json shape = shape_of(field);
    shape["description"] = field.about;
    properties[std::string{field.name}] = std::move(shape);
    if (field.needed) needed.push_back(field.name);
  }
  return {{"type", "object"}, {"properties", properties}, {"required", needed}, {"additionalProperties", false}};
}

/// The format of a value, for people.
std::string words_for(const Field& field) {
  std::string words;
  switch (field.kind) {
    case FieldKind::text:
      for (const std::string_view word : field.words)
        words += fmt::format("{}`\"{}\"`", words.empty() ? "" : ", ", word);
      return words.empty() ? "text" : words;
    case FieldKind::name:
      return "a name";
    case FieldKind::whole:
    case FieldKind::number: {
      const std::string_view noun = field.kind == FieldKind::whole ? "a whole number" : "a number";
      constexpr double too_wide_to_tell = 1e9;
      return field.high >= too_wide_to_tell ? std::string{noun}
                                            : fmt::format("{}, {} to {}", noun, field.low, field.high);
    }
    case FieldKind::flag:
      return "`true` or `false`";
    case FieldKind::names:
      return "a list of names";
    case FieldKind::texts:
      return "a list of text";
    case FieldKind::point:
      return "two numbers: `[120, 40]`";
    case FieldKind::points:
      return "a list of pairs: `[[1, 0], [120, 0.5]]`";
    case FieldKind::table:
      return "a table";
    case FieldKind::tables:
      return "tables";
    case FieldKind::numbered:
      return "tables by number";
    case FieldKind::named:
      return "tables by name";
    case FieldKind::uses:
      return "by target: a role, a table, or a list of both";
  }
  return "";
}

/// The header of a field's inner tables in a file.
std::string header_of(const std::string& path, const Field& field) {
  std::string inner = path.empty() ? std::string{field.name} : fmt::format("{}.{}", path, field.name);
  if (field.kind == FieldKind::numbered) return inner + ".N";
  if (field.kind == FieldKind::named || field.kind == FieldKind::uses) return inner + ".NAME";
  return inner;
}

void add_table(std::string& page, const std::string& path, std::span<const Field> fields, bool listed) {
  if (!path.empty()) page += fmt::format("\n`{}{}{}`\n", listed ? "[[" : "[", path, listed ? "]]" : "]");
  page += "\n| field | value | |\n|---|---|---|\n";
  for (const Field& field : fields)
    page += fmt::format("| `{}`{} | {} | {} |\n", field.name, field.needed ? " (required)" : "", words_for(field),
                        field.about);
  for (const Field& field : fields)
    if (!field.inside.empty()) add_table(page, header_of(path, field), field.inside, field.kind == FieldKind::tables);
}

std::string_view flow_word(stage::Flow flow) {
  constexpr std::string_view words[] = {"position", "contact", "pointer", "counts"};
  return words[static_cast<std::size_t>(flow)];
}

/// The default of a stage's field.
std::string left_out(const stage::Kind& kind, const stage::Field& field) {
  if (field.measure == stage::Measure::flag) return "`false`";
  if (!field.words.empty()) return fmt::format("`\"{}\"`", field.words.front());
  Use use;
  use.role = "left-stick";
  const auto at = static_cast<std::size_t>(&field - kind.fields.data());
  const bool is_as_another = field.about.find("default: same as 'ramp'") != std::string_view::npos;
  return is_as_another ? "as `ramp`" : fmt::format("{:g}", stage::values_of(kind, use)[at]);
}

/// The valid values of a stage's field.
std::string domain(const stage::Field& field) {
  if (field.measure == stage::Measure::flag) return "or `true`";
  if (field.measure == stage::Measure::word) {
    std::string others;
    for (const std::string_view word : field.words.subspan(1)) others += fmt::format(", `\"{}\"`", word);
    return "or " + others.substr(2);
  }
  const bool is_time = field.measure == stage::Measure::milliseconds;
  const double unit = is_time ? 1000 : 1;  // times are in microseconds
  return fmt::format("({:g} to {:g}{})", field.low / unit, field.high / unit, is_time ? " ms" : "");
}

/// All stages, in the order in which a value passes them.
void add_stages(std::string& page) {
  page +=
      "\n## Stages\n\nThe stages between a source and its target, in the order in which they are applied. A stage is "
      "present if its fields\nare written. A *position* is the state of an axis or a stick, a *contact* is on or off, "
      "a *pointer* is a point in the\ngame area, and *counts* are relative movements. A stick or trigger used as a "
      "button passes the position stages that are\nwritten, then its threshold. For guns and mice, only inversion has "
      "an effect. Opposites apply to all sources of a port\nand are a field of the port.\n\n"
      "| stage | from | to | what it does | exactly | fields: default (range) |\n|---|---|---|---|---|---|\n";
  for (const stage::Kind* kind : stage::table()) {
    std::string fields;
    for (const stage::Field& field : kind->fields)
      fields +=
          fmt::format("{}`{}` {} {}", fields.empty() ? "" : ", ", field.name, left_out(*kind, field), domain(field));
    page += fmt::format("| {} | {} | {} | {} | {} | {} |\n", kind->name, flow_word(kind->in), flow_word(kind->out),
                        kind->about, kind->formula, fields);
  }
}

}  // namespace

std::string sheet_schema(std::string_view kind) {
  const auto kinds = catalogue::kinds();
  const auto known = std::ranges::find(kinds, kind, &catalogue::Kind::name);
  if (known == kinds.end()) return "";
  Json schema{{"$schema", "https://json-schema.org/draft/2020-12/schema"},
              {"title", fmt::format("Omnipar, kind \"{}\"", kind)},
              {"description", known->about}};
  schema.update(object_of(known->fields));
  schema["properties"]["kind"] = {{"const", kind}};
  return schema.dump(2);
}

namespace {

/// Traces are written by programs, and by people for demonstrations and tests.
constexpr const char* traces_page = R"(
## Traces and rooms

A trace is a recording of input. `omnipar trace record` writes one, `omnipar trace replay` replays it, and with
`--host FILE` most commands use its units instead of the connected ones. A room is a trace whose units are simulated. Use
them to report what a unit does, and to test without the unit.

A trace is JSON Lines: one object on each line, in UTF-8. The first line is the head. Each node has a line before its
first event. Events are sorted by time. A field that is not listed here is an error, which is reported with its line.

```json
{"omnipar":1,"kind":"trace","about":"a press on a pad with a trigger, which is then unplugged","made-up":true}
{"node":1,"name":"Heron Small Pad","id":"0003:1209:0001:0100","socket":"hall:1","keys":["BTN_SOUTH"],"axes":{"ABS_Z":[0,255]}}
{"t":0,"node":1,"plug":"in","report":["ABS_Z",3]}
{"t":1000000,"node":1,"report":["BTN_SOUTH",1]}
{"t":1120000,"node":1,"report":["BTN_SOUTH",0,"ABS_Z",40],"note":"the finger slips to the trigger"}
{"t":2000000,"node":1,"plug":"out"}
```

The head:

| field | value | |
|---|---|---|
| `omnipar` (required) | a whole number | the format version: 1 |
| `kind` (required) | `"trace"` | the kind of file |
| `about` | text | a description of the trace |
| `made-up` | `true` or `false` | its units are simulated: the trace is a room |

A node, as described by the kernel. Nodes with the same `device` belong to one unit; without `device`, nodes that share
vendor, product, serial number, socket and the beginning of their names do.

| field | value | |
|---|---|---|
| `node` (required) | a whole number, 1 to 9999 | its number in events |
| `name` | text | the name it reports |
| `id` | text | bus, vendor, product and version, four hexadecimal digits each: "0003:1209:0001:0100" |
| `serial` | text | its serial number |
| `socket` | text | where it is plugged in; any text, the same for the same socket |
| `device` | text | its device; any text, the same for all nodes of one unit |
| `interface` | a whole number, 0 to 255 | its interface number within the device |
| `half` | text | "left" or "right" for a controller that consists of two units |
| `virtual` | `true` or `false` | created by another program |
| `keys` | a list of codes | buttons, keys and relative axes: `BTN_SOUTH`, `KEY_A`, `REL_X`; codes without a name are written as `key:300` |
| `axes` | by code: `[minimum, maximum]` | axes and their ranges, in order |
| `descriptor` | bytes | the report descriptor of a node that is read through its raw reports, instead of `keys` and `axes`: "05 01 09 05" |

An event:

| field | value | |
|---|---|---|
| `t` (required) | a whole number | time in microseconds; the first event is at about 0 |
| `node` (required) | a whole number | its node |
| `plug` | `"in"`, `"out"` | connected or disconnected; with "in", `report` is the initial state |
| `gap` | `true` | another program grabbed the node: its input until the next event is missing |
| `report` | codes and values: `["BTN_SOUTH", 1, "ABS_Z", 40]` | one report: the changes, in order |
| `raw` | bytes | for a node with a `descriptor`, instead of `report`: one raw report |
| `note` | text | what happens at this moment |
| `lesson` | text | what this moment demonstrates |

Every event except `plug` and `gap` has `report` or `raw`. A node reports nothing before it is connected. The position of
an axis is unknown until a report contains it, as with a real device.
)";

}  // namespace

std::string sheet_reference() {
  std::string page =
      "# File reference\n\n"
      "Files are TOML. Each starts with `omnipar = 1` and its `kind`. A file can also contain several sheets, each in "
      "its own\n`[[sheet]]` table with its own `kind`. Names consist of lower-case letters, digits and '-', and start "
      "with a letter.\n`omnipar catalogue fields` prints this page, `omnipar catalogue fields KIND --json` the JSON "
      "Schema.\n";
  for (const catalogue::Kind& kind : catalogue::kinds()) {
    page += fmt::format("\n## kind = \"{}\"\n\n{}\n", kind.name, kind.about);
    page += fmt::format("\n```toml\n{}```\n", kind.example);
    add_table(page, "", kind.fields, false);
  }
  add_stages(page);
  page += traces_page;
  return page;
}

}  // namespace omnipar::inline abi_0
