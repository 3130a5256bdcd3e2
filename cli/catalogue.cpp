// omnipar catalogue list|show|fields
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "catalogue/lookup.hpp"
#include "command.hpp"
#include "host/look.hpp"
#include "inspect/report.hpp"
#include "omnipar/sheets.hpp"
#include "play/trace_host.hpp"
#include "sources.hpp"
#include "base/list.hpp"

namespace omnipar::cli {
namespace {

using Json = nlohmann::ordered_json;

struct CatalogueArguments {
  Sources sources;
  std::string name;
  bool json = false;
};

std::string joined(const std::vector<std::string>& names) {
  std::string text;
  for (const std::string& name : names) text += (text.empty() ? "" : ", ") + name;
  return text;
}

std::string_view word_of(TargetKind kind) {
  switch (kind) {
    case TargetKind::button:
      return "button";
    case TargetKind::one_sided:
      return "trigger";
    case TargetKind::two_sided:
      return "wheel";
    case TargetKind::stick:
      return "stick";
    case TargetKind::turns:
      return "spinner";
    case TargetKind::movement:
      return "movement";
    case TargetKind::pointer:
    case TargetKind::coordinate:
      return "pointer";
  }
  return "";
}

/// A line of the table of targets, with the name padded to the longest one.
std::string target_line(std::size_t width, std::string_view name, std::string_view type, std::string_view place,
                        const std::string& sources) {
  return fmt::format("  {:<{}}  {:<10}{:<20}{}", name, width, type, place, sources);
}

std::size_t longest_name(const ControllerSheet& controller) {
  std::size_t longest = std::string_view{"directions"}.size();
  for (const TargetSheet& target : controller.targets) longest = std::max(longest, target.name.size());
  for (const AccessorySheet& accessory : controller.accessories)
    for (const TargetSheet& target : accessory.targets) longest = std::max(longest, target.name.size());
  return longest;
}

void show(const std::vector<TargetSheet>& targets, std::size_t width) {
  for (const TargetSheet& target : targets)
    print(target_line(width, target.name, word_of(target.kind), target.place,
                      joined(target.defaults) + (target.player == 2 ? " (of the second player)" : "")));
}

void show(const SystemSheet& system) {
  print(fmt::format("{}: {}, {}, {} frames per second", system.name, system.title,
                    quantity(system.ports.size(), "port"), system.frames_per_1000_seconds / 1000.0));
  for (const ControllerSheet& controller : system.controllers) {
    print(fmt::format("\n{} ({})", controller.name, controller.title));
    const std::size_t width = longest_name(controller);
    print(target_line(width, "target", "type", "place", "default sources"));
    if (controller.directions)
      print(target_line(width, "directions", "group", "dpad", joined(controller.default_directions)));
    show(controller.targets, width);
    for (const AccessorySheet& accessory : controller.accessories) {
      print(fmt::format("  with its accessory {} ({}):", accessory.name, accessory.title));
      show(accessory.targets, width);
    }
  }
  for (const PortSheet& port : system.ports)
    if (!port.splitter.empty()) print(fmt::format("\nport {} requires {}", port.number, port.splitter));
  talk(fmt::format("Next: omnipar play {}", system.name));
}

/// In the notation of sheets: "keys/KEY_Q", "hid:0/x#2".
std::string code_words(const ControlSheet& control) {
  if (!control.raw.empty()) return control.raw;
  return (control.node.empty() ? "" : control.node + "/") + base::code_name(control.code);
}

void show(const UnitSheet& unit) {
  print(fmt::format("{}: {}", unit.name, unit.title));
  for (const UnitIdentity& identity : unit.identities)
    print(fmt::format("  is {:04x}:{:04x}{}", identity.vendor, identity.product,
                      identity.name.empty() ? "" : fmt::format(" \"{}\"", identity.name)));
  for (const PartSheet& part : unit.parts)
    print(fmt::format("  part {}: {}{}", part.name, part.title,
                      part.plugged.empty() ? "" : fmt::format("; {} shows whether it is plugged in", part.plugged)));
  print(fmt::format("\n  {:<20}{:<18}{:<14}{}", "code", "role", unit.parts.empty() ? "" : "parts", "label"));
  for (const ControlSheet& control : unit.controls)
    print(fmt::format("  {:<20}{:<18}{:<14}{}", code_words(control),
                      control.role + (control.axis == Axis::x   ? " (x)"
                                      : control.axis == Axis::y ? " (y)"
                                                                : ""),
                      joined(control.parts), control.label));
}

Json to_json(const std::vector<TargetSheet>& targets) {
  Json controls = Json::array();
  for (const TargetSheet& target : targets)
    controls.push_back({{"name", target.name},
                        {"type", word_of(target.kind)},
                        {"place", target.place},
                        {"default", target.defaults},
                        {"player", target.player}});
  return controls;
}

Json to_json(const SystemSheet& system) {
  Json controllers = Json::array();
  for (const ControllerSheet& controller : system.controllers) {
    Json accessories = Json::array();
    for (const AccessorySheet& accessory : controller.accessories)
      accessories.push_back(
          {{"name", accessory.name}, {"title", accessory.title}, {"controls", to_json(accessory.targets)}});
    controllers.push_back({{"name", controller.name},
                           {"title", controller.title},
                           {"controls", to_json(controller.targets)},
                           {"accessories", accessories}});
  }
  return {{"kind", "system"},
          {"name", system.name},
          {"title", system.title},
          {"ports", system.ports.size()},
          {"controllers", controllers}};
}

Json to_json(const UnitSheet& unit) {
  Json controls = Json::array();
  for (const ControlSheet& control : unit.controls)
    controls.push_back({{"code", code_words(control)}, {"role", control.role}, {"label", control.label}});
  return {{"kind", "unit"}, {"name", unit.name}, {"title", unit.title}, {"controls", controls}};
}

int list(const CatalogueArguments& arguments) {
  const FoundSheets shelf = load_shelf(os::real_door(), arguments.sources);
  tell(shelf.problems);
  Json list = Json::array();
  for (const SystemSheet& system : shelf.catalogue.systems) {
    list.push_back(to_json(system));
    if (!arguments.json)
      print(fmt::format("{:<28}{} ({})", system.name, system.title, quantity(system.ports.size(), "port")));
  }
  if (!arguments.json && !shelf.catalogue.units.empty()) print("\nunit models:");
  for (const UnitSheet& unit : shelf.catalogue.units) {
    list.push_back(to_json(unit));
    if (!arguments.json) print(fmt::format("{:<28}{}", unit.name, unit.title));
  }
  if (arguments.json)
    print_json(list, 2);
  else
    talk("Next: omnipar catalogue show NAME, or omnipar play NAME.");
  return shelf.problems.empty() ? good : found_something;
}

int show_one(const CatalogueArguments& arguments) {
  const FoundSheets shelf = load_shelf(os::real_door(), arguments.sources);
  tell(shelf.problems);
  const auto unit = std::ranges::find(shelf.catalogue.units, arguments.name, &UnitSheet::name);
  if (unit != shelf.catalogue.units.end()) {
    if (arguments.json)
      print_json(to_json(*unit), 2);
    else
      show(*unit);
    return good;
  }
  const auto system = catalogue::find_system(shelf.catalogue, arguments.name);
  if (!system) {
    tell({system.error()});
    return bad_input;
  }
  if (arguments.json)
    print_json(to_json(**system), 2);
  else
    show(**system);
  return good;
}

/// Drafts a sheet for a connected unit, or one in a room.
int report(const CatalogueArguments& arguments) {
  os::Door& door = os::real_door();
  std::vector<Description> nodes;
  if (arguments.sources.host.empty()) {
    nodes = play::used_nodes({}, all_nodes(host::look_around(door), true));
  } else if (auto room = read_room(door, arguments.sources.host, {})) {
    nodes = std::move(*room);
  } else {
    tell({room.error()});
    return bad_input;
  }
  std::vector<std::string_view> names;
  for (const UnitNodes& unit : group_nodes(nodes)) {
    const Description& main = nodes[unit.main()];
    names.emplace_back(main.name);
    const auto is_named = [&](std::size_t i) { return nodes[i].name.find(arguments.name) != std::string::npos; };
    if (main.ours || std::ranges::none_of(unit.nodes, is_named)) continue;
    std::vector<Description> own;
    for (const std::size_t i : unit.nodes) own.push_back(nodes[i]);
    if (const auto problem = play::unreadable_descriptor(main)) {
      tell({*problem});
      return bad_input;
    }
    std::string draft = inspect::sheet_draft(own);
    draft.pop_back();
    if (arguments.json)
      print_json(Json{{"name", printable(main.name)}, {"draft", draft}}, 2);
    else
      print(draft);
    talk(
        "It contains no serial number, no socket and no input, so you can share it. Fill in roles and labels,\nthen: "
        "omnipar check FILE");
    return good;
  }
  tell({{"unknown-unit", Severity::error, fmt::format("no connected unit is called '{}'", printable(arguments.name)),
         "", catalogue::suggestion(arguments.name, names)}});
  return bad_input;
}

int fields(const CatalogueArguments& arguments) {
  if (arguments.name.empty()) {
    std::string page = sheet_reference();
    page.pop_back();
    if (!arguments.json) {
      print(page);
      return good;
    }
    Json all = Json::object();
    for (const std::string_view kind : sheet_kinds()) all[std::string{kind}] = Json::parse(sheet_schema(kind));
    print_json(all, 2);
    return good;
  }
  const std::string schema = sheet_schema(arguments.name);
  if (schema.empty()) {
    tell({{"unknown-kind", Severity::error, fmt::format("there is no sheet kind '{}'", printable(arguments.name)), "",
           catalogue::suggestion(arguments.name, sheet_kinds())}});
    return bad_input;
  }
  if (arguments.json) {
    print(schema);
    return good;
  }
  const std::string page = sheet_reference();
  const std::size_t from = page.find(fmt::format("## kind = \"{}\"", arguments.name));
  const std::size_t to = page.find("\n## ", from);
  print(page.substr(from, to == std::string::npos ? page.size() - from - 1 : to - from));
  return good;
}

}  // namespace

void add_catalogue(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("catalogue", "List machines and unit models with sheets");
  const auto arguments = std::make_shared<CatalogueArguments>();
  command->add_flag("--json", arguments->json, "print JSON");
  add_data_option(*command, arguments->sources);
  const auto add = [&](const char* name, const char* about, int (*run)(const CatalogueArguments&), const char* footer) {
    CLI::App* verb = command->add_subcommand(name, about);
    verb->add_flag("--json", arguments->json, "print JSON");
    verb->footer(footer);
    verb->callback([arguments, &status, run] { status = run(*arguments); });
    return verb;
  };
  CLI::App* list_verb = add("list", "list all sheets", list,
                            "Example: with the sheets of Marrowby's room:\n"
                            "  omnipar catalogue list --data demo/marrowby.toml\n"
                            "Exit status: 0 success, 1 one of your files has errors.");
  add_data_option(*list_verb, arguments->sources);
  CLI::App* show_verb = add("show", "show one sheet", show_one,
                            "Example: what does a six-button arcade control have?\n"
                            "  omnipar catalogue show arcade-6b\n"
                            "Exit status: 0 success, 2 no such sheet.");
  show_verb->add_option("NAME", arguments->name, "the name of a machine or unit model")->required();
  add_data_option(*show_verb, arguments->sources);
  CLI::App* fields_verb = add("fields", "show the fields of each file kind, with --json as a JSON Schema", fields,
                              "Example: the fields of a rig file:\n  omnipar catalogue fields rig\n"
                              "Exit status: 0 success, 2 no such sheet kind.");
  fields_verb->add_option("KIND", arguments->name, "one sheet kind, such as profile (default: all)");
  CLI::App* report_verb = add("report", "draft a sheet for a unit that has none", report,
                              "Example: a pad without a sheet:\n  omnipar catalogue report Fenwick > fenwick.toml\n"
                              "Exit status: 0 drafted, 2 no such unit, or its controls are unknown.");
  report_verb->add_option("UNIT", arguments->name, "the unit's name, or part of it")->required();
  add_host_option(*report_verb, arguments->sources);
  command->require_subcommand(0, 1);
  command->callback([arguments, command, &status] {
    if (command->get_subcommands().empty()) status = list(*arguments);
  });
  command->footer(
      "Example: what does a six-button arcade control have?\n"
      "  omnipar catalogue show arcade-6b\n"
      "Exit status: 0 success, 1 one of your files has errors, 2 no such sheet, 3 the result could not be written.");
}

}  // namespace omnipar::cli
