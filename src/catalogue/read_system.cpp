// Converts a checked table to a machine's sheet.
#include <algorithm>

#include "catalogue/kinds.hpp"
#include "catalogue/lookup.hpp"
#include "catalogue/values.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0::catalogue {
namespace {

using text::Value;

TargetKind kind_of(const std::string& type) {
  if (type == "trigger") return TargetKind::one_sided;
  if (type == "wheel") return TargetKind::two_sided;
  if (type == "spinner") return TargetKind::turns;
  if (type == "movement") return TargetKind::movement;
  if (type == "pointer") return TargetKind::pointer;
  return type == "stick" ? TargetKind::stick : TargetKind::button;
}

NativeRange default_range(TargetKind kind) {
  if (kind == TargetKind::button) return {0, 1, 0};
  if (kind == TargetKind::pointer) return {0, 65535, 0};
  return kind == TargetKind::one_sided ? NativeRange{0, 255, 0} : NativeRange{0, 255, 128};
}

TargetSheet target_of(const Value& table) {
  TargetSheet target;
  target.name = text_in(table, "name");
  target.place = text_in(table, "place");
  target.defaults = names_in(table, "default");
  target.kind = kind_of(text_in(table, "type"));
  target.native = default_range(target.kind);
  if (const Value* range = table.find("range")) {
    target.native.minimum = whole_in<std::int32_t>(*range, "minimum");
    target.native.maximum = whole_in<std::int32_t>(*range, "maximum");
    target.native.rest = whole_in<std::int32_t>(*range, "rest", target.native.minimum);
    target.native.step = whole_in<std::int32_t>(*range, "step", 1);
    target.native.dead_band = whole_in<std::int32_t>(*range, "dead-band");
  }
  target.self_centering = flag_in(table, "self-centering", true);
  const std::string gate = text_in(table, "gate");
  if (gate == "square") target.gate = TargetGate::square;
  if (gate == "octagon") target.gate = TargetGate::octagon;
  target.corner = number_in(table, "corner", target.corner);
  target.player = whole_in<int>(table, "player", 1);
  return target;
}

std::vector<TargetSheet> targets_of(const Value& table) {
  std::vector<TargetSheet> targets;
  for (const Value& target : table.find("target")->items) targets.push_back(target_of(target));
  return targets;
}

ControllerSheet controller_of(const Value& table) {
  ControllerSheet controller;
  controller.name = text_in(table, "name");
  controller.title = text_in(table, "title");
  controller.directions = table.find("directions") != nullptr;
  controller.default_directions = names_in(table, "directions");
  controller.targets = targets_of(table);
  if (const Value* accessories = table.find("accessory"))
    for (const Value& accessory : accessories->items)
      controller.accessories.push_back(
          {text_in(accessory, "name"), text_in(accessory, "title"), targets_of(accessory)});
  return controller;
}

SystemSheet system_of(const Value& table) {
  SystemSheet system;
  system.name = text_in(table, "name");
  system.title = text_in(table, "title");
  system.frames_per_1000_seconds =
      static_cast<std::int32_t>(std::round(number_in(table, "frames-per-second", 60) * 1000));
  for (const Value& port : table.find("port")->items)
    system.ports.push_back({whole_in<int>(port, "number"), names_in(port, "takes"), text_in(port, "splitter")});
  for (const Value& controller : table.find("controller")->items)
    system.controllers.push_back(controller_of(controller));
  return system;
}

void check_takes(const text::Source& source, const Value& table, const SystemSheet& system, Diagnostics& problems) {
  std::vector<std::string_view> names;
  for (const ControllerSheet& controller : system.controllers) names.emplace_back(controller.name);
  for (const Value& port : table.find("port")->items)
    for (const Value& name : port.find("takes")->items)
      if (system.controller(name.text) == nullptr)
        problems.push_back(text::at(source, name.mark, "unknown-controller",
                                    fmt::format("this machine has no controller '{}'", name.text),
                                    catalogue::suggestion(name.text, names)));
}

void check_ports(const text::Source& source, const Value& table, Diagnostics& problems) {
  const std::vector<Value>& ports = table.find("port")->items;
  for (std::size_t i = 0; i < ports.size(); ++i)
    for (std::size_t j = 0; j < i; ++j)
      if (ports[i].find("number")->integer == ports[j].find("number")->integer)
        problems.push_back(text::at(source, ports[i].find("number")->mark, "name-twice",
                                    fmt::format("duplicate port {}", ports[i].find("number")->integer),
                                    "change the number of one of them"));
}

/// Everything but a pointer has a rest.
void check_rest(const text::Source& source, const Value& target, Diagnostics& problems) {
  const Value* range = target.find("range");
  if (range == nullptr) return;
  const Value* rest = range->find("rest");
  const bool is_pointer = kind_of(text_in(target, "type")) == TargetKind::pointer;
  if (is_pointer && rest != nullptr)
    problems.push_back(text::at(source, rest->mark, "no-rest", "a pointer has no rest position", "remove 'rest'"));
  if (!is_pointer && rest == nullptr)
    problems.push_back(text::at(source, range->mark, "missing-field", "'rest' is missing",
                                "write the value at rest, such as rest = 128"));
}

void check_targets(const text::Source& source, const Value& table, Diagnostics& problems) {
  check_differ(source, *table.find("target"), "name", problems);
  for (const Value& target : table.find("target")->items) {
    check_roles(source, target.find("default"), problems);
    check_rest(source, target, problems);
  }
}

/// An accessory's targets must have names that neither the controller nor another accessory uses.
void check_accessories(const text::Source& source, const Value& controller, Diagnostics& problems) {
  const Value* accessories = controller.find("accessory");
  if (accessories == nullptr) return;
  check_differ(source, *accessories, "name", problems);
  Value all = *controller.find("target");
  for (const Value& accessory : accessories->items) {
    check_targets(source, accessory, problems);
    const std::vector<Value>& more = accessory.find("target")->items;
    all.items.insert(all.items.end(), more.begin(), more.end());
  }
  check_differ(source, all, "name", problems);
}

/// A controller with directions already has the targets up, down, left and right.
void check_direction_names(const text::Source& source, const Value& controller, Diagnostics& problems) {
  if (controller.find("directions") == nullptr) return;
  const auto check = [&](const Value& targets) {
    for (const Value& target : targets.items)
      if (const Value* name = target.find("name");
          name != nullptr && std::ranges::find(direction_names, name->text) != direction_names.end())
        problems.push_back(text::at(source, name->mark, "name-twice",
                                    fmt::format("'{}' is already one of the controller's directions", name->text),
                                    "rename the target, or remove 'directions'"));
  };
  check(*controller.find("target"));
  if (const Value* accessories = controller.find("accessory"))
    for (const Value& accessory : accessories->items) check(*accessory.find("target"));
}

}  // namespace

void read_system(const text::Source& source, const Value& table, std::size_t errors_before, Sheets& sheets) {
  SystemSheet system = system_of(table);
  system.area = text_in(table, "area");
  check_area(source, table, sheets.problems);
  check_takes(source, table, system, sheets.problems);
  check_ports(source, table, sheets.problems);
  check_differ(source, *table.find("controller"), "name", sheets.problems);
  for (const Value& controller : table.find("controller")->items) {
    check_roles(source, controller.find("directions"), sheets.problems);
    check_targets(source, controller, sheets.problems);
    check_accessories(source, controller, sheets.problems);
    check_direction_names(source, controller, sheets.problems);
  }
  (sheets.problems.size() == errors_before ? sheets.systems : sheets.flawed_systems).push_back(std::move(system));
}

}  // namespace omnipar::inline abi_0::catalogue
