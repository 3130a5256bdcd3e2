#include "unused.hpp"

#include <algorithm>

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "host/look.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/bindings.hpp"
#include "play/gathering.hpp"
#include "play/trace_host.hpp"

namespace omnipar::cli {
namespace {

struct Unused {
  std::string unit;
  std::string seat;
  std::vector<std::string> controls;
};

tl::expected<std::vector<Description>, Diagnostic> nodes_there(const Sources& sources, const Catalogue& catalogue) {
  if (!sources.host.empty()) return read_room(os::real_door(), sources.host, catalogue);
  auto nodes = play::used_nodes(catalogue, all_nodes(host::look_around(os::real_door())));
  std::erase_if(nodes, [&](const Description& node) { return !is_playable(catalogue, node) || node.made_by_program; });
  return nodes;
}

/// A part of a unit at its own seat of the rig, or at the seat that a new one would get.
Unused unused_of(const FoundProfile& given, const Rig& rig, const std::vector<Description>& nodes,
                 const UnitNodes& unit, const std::string& part) {
  Description main = nodes[unit.main()];
  main.half = unit.half;
  const auto seats = given.plan->seats();
  const RigUnit* own = find_unit(rig, main, {}, part);
  const bool is_seated = own != nullptr && std::ranges::find(seats, own->seat) != seats.end();
  const std::string plain = part.empty() ? own_name(main) : fmt::format("{}, {}", own_name(main), part);
  Unused unused{own != nullptr                  ? own->name
                : play::has_double(nodes, unit) ? play::name_with_socket(plain, main)
                                                : plain,
                is_seated ? own->seat : seats.front(),
                {}};
  const auto add = [&unused](std::vector<std::string> names) {
    for (std::string& name : names)
      if (std::ranges::find(unused.controls, name) == unused.controls.end()) unused.controls.push_back(std::move(name));
  };
  for (const std::size_t i : unit.nodes) {
    Attachment attachment = attach_node(given.catalogue, nodes[unit.main()], nodes[i], part);
    attachment.seat = unused.seat;
    add(idle_roles(*given.plan, attachment));
    if (part.empty()) add(roleless_controls(nodes[i], attachment));
  }
  return unused;
}

/// The targets of a seat's ports without a source.
std::vector<std::string> free_targets(const Plan& plan, const std::string& seat) {
  const std::vector<bool> bound = bound_targets(plan);
  std::vector<std::string> names;
  for (const PortInfo& port : plan.ports()) {
    if (port.number == 0 || !port.is_played_from(seat)) continue;
    for (std::size_t t = port.first_target; t < std::size_t{port.first_target} + port.target_count; ++t)
      if (!bound[t]) names.emplace_back(plan.targets()[t].name);
  }
  return names;
}

void show(const FoundProfile& given, const Sources& sources, const Unused& unused) {
  if (unused.controls.empty()) return print(fmt::format("\"{}\": all controls are bound.", unused.unit));
  print(fmt::format("\"{}\" at seat {}: nothing is bound to {}", unused.unit, unused.seat,
                    fmt::join(unused.controls, ", ")));
  const auto targets = free_targets(*given.plan, unused.seat);
  if (!targets.empty())
    print(fmt::format("    and {} has no source. To bind it: omnipar learn profile {} --missing{}",
                      fmt::join(targets, ", "), shell_word(sources.profile), same_host(sources.host)));
}

}  // namespace

int show_unused(const Sources& sources, bool json) {
  const FoundProfile given = load(os::real_door(), sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan) return bad_input;
  const auto rig = load_rig(os::real_door(), sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  const auto nodes = nodes_there(sources, given.catalogue);
  if (!nodes) {
    tell({nodes.error()});
    return bad_input;
  }
  auto list = nlohmann::ordered_json::array();
  auto units = group_nodes(*nodes);
  choose_connections(units, *nodes, *rig);
  for (const UnitNodes& unit : units)
    for (const std::string& part : unit_parts(given.catalogue, (*nodes)[unit.main()])) {
      const Unused unused = unused_of(given, *rig, *nodes, unit, part);
      list.push_back({{"unit", unused.unit},
                      {"seat", unused.seat},
                      {"controls", unused.controls},
                      {"free-targets", free_targets(*given.plan, unused.seat)}});
      if (!json) show(given, sources, unused);
    }
  if (json) print_json(list, 2);
  if (list.empty()) talk("No controller is connected. 'omnipar doctor' looks for the cause.");
  return list.empty() ? found_something : good;
}

}  // namespace omnipar::cli
