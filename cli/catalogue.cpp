// omnipar catalogue [NAME]
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "catalogue/lookup.hpp"
#include "command.hpp"
#include "given.hpp"

namespace omnipar::cli {
namespace {

struct CatalogueWords {
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
  }
  return "";
}

void show(const SystemSheet& system) {
  print(fmt::format("{}: {}, {} ports, {} pictures a second", system.name, system.title, system.ports.size(),
                    system.frames_per_1000_seconds / 1000.0));
  for (const ControllerSheet& controller : system.controllers) {
    print(fmt::format("\n{} ({})", controller.name, controller.title));
    print(fmt::format("  {:<12}{:<10}{:<20}{}", "control", "type", "place", "usual sources"));
    if (controller.directions)
      print(fmt::format("  {:<12}{:<10}{:<20}{}", "directions", "group", "dpad", joined(controller.usual_directions)));
    for (const TargetSheet& target : controller.targets)
      print(
          fmt::format("  {:<12}{:<10}{:<20}{}", target.name, word_of(target.kind), target.place, joined(target.usual)));
  }
  talk(fmt::format("Next: omnipar play {}", system.name));
}

nlohmann::json to_json(const SystemSheet& system) {
  nlohmann::json controllers = nlohmann::json::array();
  for (const ControllerSheet& controller : system.controllers) {
    nlohmann::json controls = nlohmann::json::array();
    for (const TargetSheet& target : controller.targets)
      controls.push_back(
          {{"name", target.name}, {"type", word_of(target.kind)}, {"place", target.place}, {"usual", target.usual}});
    controllers.push_back({{"name", controller.name}, {"title", controller.title}, {"controls", controls}});
  }
  return {{"name", system.name}, {"title", system.title}, {"ports", system.ports.size()}, {"controllers", controllers}};
}

int run(const CatalogueWords& words) {
  const Catalogue catalogue = built_in_catalogue();
  if (!words.name.empty()) {
    const auto system = find_system(catalogue, words.name);
    if (!system) {
      tell({system.error()});
      return bad_input;
    }
    if (words.json)
      print(to_json(**system).dump(2));
    else
      show(**system);
    return good;
  }
  nlohmann::json list = nlohmann::json::array();
  for (const SystemSheet& system : catalogue.systems) {
    list.push_back(to_json(system));
    if (!words.json) print(fmt::format("{:<16}{} ({} ports)", system.name, system.title, system.ports.size()));
  }
  if (words.json)
    print(list.dump(2));
  else
    talk("Next: omnipar catalogue NAME shows one, omnipar play NAME plays it.");
  return good;
}

}  // namespace

void add_catalogue(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("catalogue", "List the machines that there are sheets of, or show one");
  const auto words = std::make_shared<CatalogueWords>();
  command->add_option("NAME", words->name, "a machine");
  command->add_flag("--json", words->json, "print JSON");
  command->footer(
      "Example: what does a six-button arcade control have?\n"
      "  omnipar catalogue arcade-6b\n"
      "Exit status: 0 good, 2 there is no such machine.");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
