// What the field tables say, for programs (JSON Schema) and for people (a page).
#include <algorithm>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "catalogue/kinds.hpp"
#include "stage/table.hpp"

namespace omnipar {
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

/// What a value looks like, for people.
std::string words_for(const Field& field) {
  std::string words;
  switch (field.kind) {
    case FieldKind::text:
      for (const std::string_view word : field.words)
        words += fmt::format("{}`\"{}\"`", words.empty() ? "" : ", ", word);
      return words.empty() ? "a text" : words;
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
      return "a list of texts";
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

/// The header that the inner tables of a field have in a file.
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
    page += fmt::format("| `{}`{} | {} | {} |\n", field.name, field.needed ? " (needed)" : "", words_for(field),
                        field.about);
  for (const Field& field : fields)
    if (!field.inside.empty()) add_table(page, header_of(path, field), field.inside, field.kind == FieldKind::tables);
}

std::string_view flow_word(stage::Flow flow) {
  constexpr std::string_view words[] = {"position", "contact", "pointer", "counts"};
  return words[static_cast<std::size_t>(flow)];
}

/// All stages, in the order in which a value goes through them.
void add_stages(std::string& page) {
  page +=
      "\n## Stages\n\nWhat happens to a source on its way to its target, in this order; each is there if its fields "
      "are written. A position\nis where an axis or a stick is, a contact is on or off, a pointer is a place on the "
      "game area, and counts are\nmovements that add up. A stick or trigger that counts as a press goes through the "
      "stages of positions that are written,\nand then through its threshold; of what a gun or a mouse says only "
      "inversion changes anything. Opposites stand behind all\nsources, as a field of the port.\n\n"
      "| stage | from | to | what it does | fields |\n|---|---|---|---|---|\n";
  for (const stage::Kind* kind : stage::table()) {
    std::string fields;
    for (const stage::Field& field : kind->fields)
      fields += fmt::format("{}`{}`", fields.empty() ? "" : ", ", field.name);
    page += fmt::format("| {} | {} | {} | {} | {} |\n", kind->name, flow_word(kind->in), flow_word(kind->out),
                        kind->about, fields);
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

std::string sheet_reference() {
  std::string page =
      "# The fields of Omnipar's files\n\n"
      "Files are TOML. Each begins with `omnipar = 1` and says its `kind`; a file may also hold several sheets, each "
      "in a\n"
      "`[[sheet]]` of its own with its own `kind`. Names have lower-case letters, digits and '-', and begin with a "
      "letter.\n"
      "`omnipar catalogue fields` prints this page, `omnipar catalogue fields KIND --json` the JSON Schema.\n";
  for (const catalogue::Kind& kind : catalogue::kinds()) {
    page += fmt::format("\n## kind = \"{}\"\n\n{}\n", kind.name, kind.about);
    add_table(page, "", kind.fields, false);
  }
  add_stages(page);
  return page;
}

}  // namespace omnipar
