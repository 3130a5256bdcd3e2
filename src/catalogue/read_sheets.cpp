// From texts to sheets: first the form is checked, then plain values are made of what is good.
#include "omnipar/sheets.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>

#include <fmt/format.h>

#include "catalogue/sheet_fields.hpp"

namespace omnipar {
namespace {

using text::Value;

constexpr std::int64_t newest_format = 1;

std::string text_in(const Value& table, std::string_view name) {
  const Value* value = table.find(name);
  return value != nullptr ? value->text : "";
}

double number_in(const Value& table, std::string_view name, double otherwise) {
  const Value* value = table.find(name);
  return value != nullptr ? value->number : otherwise;
}

std::vector<std::string> names_in(const Value& table, std::string_view name) {
  std::vector<std::string> names;
  if (const Value* list = table.find(name))
    for (const Value& item : list->items) names.push_back(item.text);
  return names;
}

Duration milliseconds_in(const Value& table, std::string_view name) {
  return Duration{static_cast<std::int64_t>(std::round(number_in(table, name, 0) * 1000))};
}

// -- systems ------------------------------------------------------------------------------------------

TargetSheet target_of(const Value& table) {
  TargetSheet target;
  target.name = text_in(table, "name");
  target.place = text_in(table, "place");
  target.usual = names_in(table, "usual");
  const std::string type = text_in(table, "type");
  target.kind = type == "trigger" ? TargetKind::one_sided
                : type == "wheel" ? TargetKind::two_sided
                : type == "stick" ? TargetKind::stick
                                  : TargetKind::button;
  target.native = target.kind == TargetKind::button      ? NativeRange{0, 1, 0}
                  : target.kind == TargetKind::one_sided ? NativeRange{0, 255, 0}
                                                         : NativeRange{0, 255, 128};
  if (const Value* range = table.find("range")) {
    const auto end = [range](std::string_view name) { return static_cast<std::int32_t>(range->find(name)->integer); };
    target.native = {end("minimum"), end("maximum"), end("rest")};
  }
  if (const Value* stays = table.find("stays")) target.stays = stays->boolean;
  return target;
}

ControllerSheet controller_of(const Value& table) {
  ControllerSheet controller;
  controller.name = text_in(table, "name");
  controller.title = text_in(table, "title");
  controller.directions = table.find("directions") != nullptr;
  controller.usual_directions = names_in(table, "directions");
  for (const Value& control : table.find("control")->items) controller.targets.push_back(target_of(control));
  return controller;
}

SystemSheet system_of(const Value& table) {
  SystemSheet system;
  system.name = text_in(table, "name");
  system.title = text_in(table, "title");
  system.frames_per_1000_seconds =
      static_cast<std::int32_t>(std::round(number_in(table, "frames-per-second", 60) * 1000));
  for (const Value& port : table.find("port")->items)
    system.ports.push_back({static_cast<int>(port.find("number")->integer), names_in(port, "takes")});
  for (const Value& controller : table.find("controller")->items)
    system.controllers.push_back(controller_of(controller));
  return system;
}

// -- profiles -------------------------------------------------------------------------------------------

class ProfileReader {
 public:
  explicit ProfileReader(const text::Source& source) : source_(source) {}

  Profile read(const Value& table) const {
    Profile profile;
    profile.name = text_in(table, "name");
    profile.system = text_in(table, "system");
    profile.place = place(table.find("system")->mark);
    for (const auto& [key, port] : table.find("port")->members) profile.ports.push_back(port_of(key, port));
    if (const Value* hot = table.find("hot"))
      for (const auto& [key, action] : hot->members)
        profile.hot.push_back({key.name, text_in(action, "hold"), text_in(action, "press"),
                               milliseconds_in(action, "after"), place(key.mark)});
    profile.hot.push_back(built_in_way_out());
    return profile;
  }

 private:
  std::string place(text::Mark mark) const { return fmt::format("{}:{}:{}", source_.name, mark.line, mark.column); }

  PortProfile port_of(const Value::Key& key, const Value& table) const {
    PortProfile port;
    std::from_chars(key.name.data(), key.name.data() + key.name.size(), port.port);
    port.seat = text_in(table, "seat");
    port.controller = text_in(table, "controller");
    if (const Value* like = table.find("like")) port.like = static_cast<int>(like->integer);
    port.place = place(key.mark);
    if (const Value* bind = table.find("bind"))
      for (const auto& [target, uses] : bind->members) port.bind.push_back(binding_of(target, uses));
    return port;
  }

  Binding binding_of(const Value::Key& target, const Value& uses) const {
    Binding binding{target.name, {}, place(target.mark)};
    if (uses.type != Value::Type::list) {
      binding.uses.push_back(use_of(uses));
      return binding;
    }
    for (const Value& use : uses.items) binding.uses.push_back(use_of(use));
    return binding;
  }

  Use use_of(const Value& value) const {
    Use use;
    use.place = place(value.mark);
    if (value.type == Value::Type::text) {
      use.role = value.text;
      return use;
    }
    use.role = text_in(value, "use");
    use.dead_zone = number_in(value, "dead-zone", use.dead_zone);
    use.press_at = number_in(value, "press-at", use.press_at);
    use.release_at = number_in(value, "release-at", std::min(use.release_at, use.press_at));
    use.debounce = milliseconds_in(value, "debounce");
    use.hold = milliseconds_in(value, "hold");
    use.ramp = number_in(value, "ramp", 0);
    return use;
  }

  const text::Source& source_;
};

// -- files ----------------------------------------------------------------------------------------------

class SheetReader {
 public:
  SheetReader(const text::Source& source, Sheets& sheets) : source_(source), sheets_(sheets) {}

  void read(const Value& root) {
    if (!has_known_format(root)) return;
    const Value* several = root.find("sheet");
    if (several == nullptr || several->type != Value::Type::list) return read_one(root);
    for (const auto& [key, member] : root.members)
      if (key.name != "sheet" && key.name != "omnipar")
        error(key.mark, "unknown-field", fmt::format("there is no field '{}' beside [[sheet]]", key.name),
              "move it into the sheet that it belongs to");
    for (const Value& sheet : several->items) read_one(sheet);
  }

 private:
  void error(text::Mark mark, std::string id, std::string message, std::string hint) {
    sheets_.problems.push_back(text::at(source_, mark, std::move(id), std::move(message), std::move(hint)));
  }

  bool has_known_format(const Value& root) {
    const Value* version = root.find("omnipar");
    if (version == nullptr) {
      error({1, 1}, "missing-field", "'omnipar' is missing", "begin the file with: omnipar = 1");
      return false;
    }
    if (version->type == Value::Type::integer && version->integer > newest_format) {
      error(version->mark, "too-new",
            fmt::format("this file is of format {}, which is newer than this Omnipar", version->integer),
            fmt::format("this Omnipar reads format {}; a newer one will read the file", newest_format));
      return false;
    }
    return true;
  }

  void read_one(const Value& sheet) {
    const Value* kind = sheet.find("kind");
    if (kind == nullptr || kind->type != Value::Type::text)
      return error(sheet.mark, "missing-field", "'kind' is missing", "write kind = \"profile\" or kind = \"system\"");
    const std::size_t before = sheets_.problems.size();
    if (kind->text == "system") {
      text::check_fields(source_, sheet, catalogue::system_fields(), sheets_.problems);
      check_names(sheet, "controller", "control");
      if (sheets_.problems.size() == before) sheets_.systems.push_back(system_of(sheet));
    } else if (kind->text == "profile") {
      text::check_fields(source_, sheet, catalogue::profile_fields(), sheets_.problems);
      if (sheets_.problems.size() == before) sheets_.profiles.push_back(ProfileReader{source_}.read(sheet));
    } else {
      error(kind->mark, "unknown-kind", fmt::format("no sheet is of kind '{}'", kind->text),
            "there are 'profile' and 'system'");
    }
  }

  /// Names within a list of tables, and within the lists inside, must differ.
  void check_names(const Value& sheet, std::string_view outer, std::string_view inner) {
    const Value* list = sheet.find(outer);
    if (list == nullptr || list->type != Value::Type::list) return;
    check_list(*list);
    for (const Value& item : list->items)
      if (const Value* inside = item.find(inner); inside != nullptr && inside->type == Value::Type::list)
        check_list(*inside);
  }

  void check_list(const Value& list) {
    std::vector<std::string_view> seen;
    for (const Value& item : list.items) {
      const Value* name = item.find("name");
      if (name == nullptr || name->type != Value::Type::text) continue;
      if (std::ranges::find(seen, name->text) != seen.end())
        error(name->mark, "name-twice", fmt::format("'{}' is there twice", name->text),
              "give one of them another name");
      seen.emplace_back(name->text);
    }
  }

  const text::Source& source_;
  Sheets& sheets_;
};

}  // namespace

Sheets read_sheets(std::string_view name, std::string_view text) {
  const text::Source source{std::string{name}, std::string{text}};
  Sheets sheets;
  text::Parsed parsed = text::parse_toml(source);
  const bool unreadable = parsed.root.members.empty() && !parsed.problems.empty();
  sheets.problems = std::move(parsed.problems);
  if (!unreadable) SheetReader{source, sheets}.read(parsed.root);
  return sheets;
}

void add_excerpts(Diagnostics& problems, std::string_view name, std::string_view text) {
  const text::Source source{std::string{name}, std::string{text}};
  const std::string head = source.name + ":";
  for (Diagnostic& problem : problems) {
    if (!problem.excerpt.empty() || !problem.place.starts_with(head)) continue;
    text::Mark mark;
    const char* const end = problem.place.data() + problem.place.size();
    const auto [colon, error] = std::from_chars(problem.place.data() + head.size(), end, mark.line);
    if (error != std::errc{} || colon == end) continue;
    std::from_chars(colon + 1, end, mark.column);
    problem.excerpt = text::at(source, mark, "", "", "").excerpt;
  }
}

}  // namespace omnipar
