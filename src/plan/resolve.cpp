#include "plan/resolve.hpp"

#include "base/gun_roles.hpp"
#include "omnipar/catalogue.hpp"
#include "omnipar/role.hpp"

#include <algorithm>
#include <map>
#include <set>
#include <string_view>

namespace omnipar::inline abi_0 {

const PortProfile* plan::liked_port(const Profile& profile, const PortProfile& port) noexcept {
  if (!port.like || *port.like == port.port) return nullptr;
  const auto other = std::ranges::find(profile.ports, *port.like, &PortProfile::port);
  return other == profile.ports.end() || other->like ? nullptr : &*other;
}

std::vector<Binding> plan::merged_bindings(const Profile& profile, const PortProfile& port) {
  const PortProfile* other = plan::liked_port(profile, port);
  if (other == nullptr) return port.bind;
  std::vector<Binding> merged = other->bind;
  const auto is_direction = [](const Binding& b) {
    return std::ranges::find(direction_names, b.target) != direction_names.end();
  };
  if (plan::binding_for(port.bind, directions_group) != nullptr) std::erase_if(merged, is_direction);
  std::set<std::string_view> own;
  for (const Binding& binding : port.bind) own.insert(binding.target);
  std::erase_if(merged, [&](const Binding& b) { return own.contains(b.target); });
  merged.insert(merged.end(), port.bind.begin(), port.bind.end());
  return merged;
}

const Binding* plan::binding_for(const std::vector<Binding>& bind, std::string_view target) noexcept {
  const auto at = std::ranges::find(bind, target, &Binding::target);
  return at == bind.end() ? nullptr : &*at;
}

namespace {

/// Accessories that the controller does not accept are left out.
ControllerSheet equipped(ControllerSheet sheet, const PortProfile& port) {
  for (const AccessorySheet& accessory : sheet.accessories)
    if (std::ranges::find(port.accessories, accessory.name) != port.accessories.end())
      sheet.targets.insert(sheet.targets.end(), accessory.targets.begin(), accessory.targets.end());
  return sheet;
}

/// Its own, otherwise that of the port that it is 'like'.
double game_dead_zone(const Profile& profile, const PortProfile& port) {
  const PortProfile* other = plan::liked_port(profile, port);
  return port.game_dead_zone == 0 && other != nullptr ? other->game_dead_zone : port.game_dead_zone;
}

}  // namespace

Opposites plan::opposites_of(const Profile& profile, const PortProfile& port) noexcept {
  const PortProfile* other = plan::liked_port(profile, port);
  return port.opposites == Opposites::both && other != nullptr ? other->opposites : port.opposites;
}

namespace {

std::vector<AreaPoint> game_shots_of(const Profile& profile, const PortProfile& port) {
  const PortProfile* other = plan::liked_port(profile, port);
  return port.game_shots.empty() && other != nullptr ? other->game_shots : port.game_shots;
}

std::vector<Use> plain_uses(const std::vector<std::string>& roles) {
  std::vector<Use> uses;
  for (const std::string& role : roles) {
    Use use;
    use.role = role;
    uses.push_back(std::move(use));
  }
  return uses;
}

/// By default a button of a pointer has no other target, except a trigger.
std::set<std::string_view> pressed_for_pointers(const ControllerSheet& sheet, const std::vector<Binding>& bind) {
  std::set<std::string_view> roles;
  for (const TargetSheet& target : sheet.targets)
    for (const std::string_view suffix : plan::pointer_suffixes)
      if (const Binding* binding = plan::binding_for(bind, target.name + std::string{suffix});
          binding != nullptr && target.kind == TargetKind::pointer)
        for (const Use& use : binding->uses) roles.insert(use.role);
  return roles;
}

}  // namespace

plan::PortSources::PortSources(const Profile& profile, const PortProfile& port, const ControllerSheet& plain)
    : sheet(equipped(plain, port)), bind(plan::merged_bindings(profile, port)) {
  std::map<std::string_view, const Binding*> by_target;
  for (const Binding& binding : bind) by_target.try_emplace(binding.target, &binding);
  std::set<std::string_view> own_targets;
  for (const Binding& binding : port.bind) own_targets.insert(binding.target);
  const std::set<std::string_view> taken = pressed_for_pointers(sheet, bind);
  const auto binding_of = [&by_target](std::string_view target) {
    const auto at = by_target.find(target);
    return at == by_target.end() ? nullptr : at->second;
  };
  const auto feed = [&](std::string target, const TargetSheet* its, const std::vector<std::string>& defaults) {
    const Binding* binding = binding_of(target);
    const bool own = own_targets.contains(target);
    // Without a second player, its targets have no sources.
    const std::string& seat = its != nullptr && its->player == 2 ? port.second_seat : port.seat;
    std::vector<Use> uses = binding != nullptr ? binding->uses : plain_uses(defaults);
    if (seat.empty()) uses.clear();
    if (binding == nullptr && its != nullptr && its->kind == TargetKind::button && !base::is_trigger(its->place))
      std::erase_if(uses, [&taken](const Use& use) { return taken.contains(use.role); });
    const bool is_stick = its != nullptr && its->kind == TargetKind::stick;
    const double of_game = is_stick ? game_dead_zone(profile, port) : 0;
    for (Use& use : uses)
      if (of_game > 0 && !use.settings.find("anti-dead-zone")) use.settings.set("anti-dead-zone", of_game);
    fed.push_back({std::move(target), its, seat, std::move(uses), defaults, binding, own});
  };
  if (sheet.directions) {
    feed(std::string{directions_group}, nullptr, sheet.default_directions);
    for (const std::string_view name : direction_names)
      if (binding_of(name) != nullptr) feed(std::string{name}, nullptr, {});
  }
  for (const TargetSheet& target : sheet.targets) feed(target.name, &target, target.defaults);
  for (const TargetSheet& target : sheet.targets)
    for (const std::string_view suffix : pointer_suffixes) {
      const std::string name = target.name + std::string{suffix};
      const Binding* binding = target.kind == TargetKind::pointer ? binding_of(name) : nullptr;
      if (binding != nullptr && !port.seat.empty())
        pointer_presses.push_back({name, &target, port.seat, binding->uses, {}, binding, own_targets.contains(name)});
    }
  game_shots = game_shots_of(profile, port);
}

Profile with_ports_swapped(const Catalogue& catalogue, Profile profile, int one, int other) {
  const auto find = [&](int number) { return std::ranges::find(profile.ports, number, &PortProfile::port); };
  if (find(one) == profile.ports.end() || find(other) == profile.ports.end()) return profile;
  // The 'like' port and the defaults that it contains belong to the plug, not to the port's number.
  const SystemSheet* system = catalogue.system(profile.system);
  const Profile before = profile;
  for (PortProfile& port : profile.ports) {
    port.bind = plan::merged_bindings(before, port);
    port.game_dead_zone = game_dead_zone(before, port);
    port.opposites = plan::opposites_of(before, port);
    port.game_shots = game_shots_of(before, port);
    port.like.reset();
    const PortSheet* sheet = system != nullptr ? system->port(port.port) : nullptr;
    if (!port.not_ours && port.controller.empty() && sheet != nullptr && !sheet->takes.empty())
      port.controller = sheet->takes.front();
  }
  std::swap(*find(one), *find(other));
  std::swap(find(one)->port, find(other)->port);
  return profile;
}

std::string_view plan::sources_of(TargetKind wanted) noexcept {
  switch (wanted) {
    case TargetKind::stick:
      return "a stick or a d-pad";
    case TargetKind::one_sided:
      return "a trigger, a pedal, a button, one direction of a stick, or a wheel";
    case TargetKind::turns:
      return "a spinner or a mouse wheel";
    case TargetKind::movement:
      return "a mouse or a trackball";
    case TargetKind::pointer:
      return "a gun, a pointer, a mouse, a trackball, a stick or a d-pad";
    default:
      return "a wheel, a stick, a d-pad, a trigger or a pedal";
  }
}

}  // namespace omnipar::inline abi_0
