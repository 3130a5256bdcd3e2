// How the slow twin reads a profile.
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "slow_twin.hpp"

namespace omnipar::test {

SlowTwin::SlowTwin(const Catalogue& catalogue, const Profile& profile) {
  const SystemSheet& system = *catalogue.system(profile.system);
  find_game(catalogue, system, profile);
  std::vector<std::string> seats;
  for (const PortProfile& port : profile.ports) {
    if (port.not_ours) continue;
    add_port(system, profile, port);
    for (const std::string& seat : {port.seat, port.second_seat})
      if (!seat.empty() && std::ranges::find(seats, seat) == seats.end()) seats.push_back(seat);
  }
  for (const Hotkey& hotkey : profile.hotkeys)
    for (const std::string& seat : seats) {
      name_target("0/" + hotkey.action, "button");
      Use use;
      use.settings.set("long-press", hotkey.after);
      add_line("0/" + hotkey.action, seat, use, hotkey.modifier);
      lines_.back().chord_role = hotkey.press;
      lines_.back().ways[nobody];
    }
}

/// The only screen, or the named one.
void SlowTwin::find_game(const Catalogue& catalogue, const SystemSheet& system, const Profile& profile) {
  frame_ = std::llround(1e9 / static_cast<double>(system.frames_per_1000_seconds));
  if (profile.screen.empty() && profile.area.empty()) return;
  for (const Screen& screen : catalogue.screens)
    if (screen.name == profile.screen || profile.screen.empty()) {
      const std::string words = !profile.area.empty() ? profile.area : !system.area.empty() ? system.area : "full";
      game_ = area_on(seen_size(screen), *parse_area(words));
      seen_ = 1 - 2 * game_->cut;
      screen_ = screen.name;
    }
}

void SlowTwin::add_port(const SystemSheet& system, const Profile& profile, const PortProfile& port) {
  ControllerSheet sheet =
      *system.controller(port.controller.empty() ? system.port(port.port)->takes[0] : port.controller);
  for (const AccessorySheet& accessory : sheet.accessories)
    if (std::ranges::find(port.accessories, accessory.name) != port.accessories.end())
      for (const TargetSheet& target : accessory.targets) sheet.targets.push_back(target);
  std::map<std::string, std::vector<Use>> bound;
  if (port.like)
    for (const PortProfile& other : profile.ports)
      if (other.port == *port.like)
        for (const Binding& b : other.bind) bound[b.target] = b.uses;
  for (const Binding& b : port.bind)  // naming the group means all its members
    if (b.target == "directions")
      for (const std::string_view d : direction_names) bound.erase(std::string{d});
  for (const Binding& b : port.bind) bound[b.target] = b.uses;
  const auto uses_of = [&](const std::string& target, const std::vector<std::string>& defaults) {
    if (bound.contains(target)) return bound[target];
    std::vector<Use> uses;
    for (const std::string& role : defaults) uses.push_back({role});
    return uses;
  };
  const std::string prefix = std::to_string(port.port) + "/";
  if (sheet.directions) {
    for (const std::string_view d : direction_names) {
      const std::string name{d};
      name_target(prefix + name, "button");
      if (bound.contains(name)) add_button_uses(prefix + name, port.seat, bound[name]);
    }
    Opposites opposites = port.opposites;
    for (const PortProfile& other : profile.ports)
      if (port.like && other.port == *port.like && opposites == Opposites::both) opposites = other.opposites;
    if (opposites != Opposites::both) {
      Opposed& opposed = opposed_.emplace_back();
      opposed.last_wins = opposites == Opposites::last;
      for (std::size_t d = 0; d < 4; ++d) opposed.targets[d] = &values_.at(prefix + std::string{direction_names[d]});
    }
    for (const Use& use : uses_of("directions", sheet.default_directions))
      for (std::size_t d = 0; d < 4; ++d) {
        const std::string name{direction_names[d]};
        if (bound.contains(name)) continue;
        if (role_kind(use.role) == RoleKind::dpad)
          add_line(prefix + name, port.seat, use, use.role + "-" + name);
        else
          add_line(prefix + name, port.seat, use, use.role, d);
      }
  }
  for (const TargetSheet& target : sheet.targets) {
    const std::string& seat = target.player == 2 ? port.second_seat : port.seat;
    std::vector<Use> uses = uses_of(target.name, target.defaults);
    if (seat.empty()) uses.clear();
    if (target.kind == TargetKind::button && target.place != "trigger" && target.place != "touch-press" &&
        !bound.contains(target.name))
      for (const TargetSheet& pointer : sheet.targets)
        for (const char* what : {"-reload", "-off-screen", "-centre", "-game-shots"})
          if (pointer.kind == TargetKind::pointer && bound.contains(pointer.name + what))
            for (const Use& taken : bound.at(pointer.name + what))
              std::erase_if(uses, [&taken](const Use& use) { return use.role == taken.role; });
    double of_game = port.game_dead_zone;
    for (const PortProfile& other : profile.ports)
      if (port.like && other.port == *port.like && of_game == 0) of_game = other.game_dead_zone;
    if (target.kind == TargetKind::stick)
      for (Use& use : uses)
        if (of_game > 0 && !use.settings.find("anti-dead-zone")) use.settings.set("anti-dead-zone", of_game);
    if (target.kind == TargetKind::button) {
      name_target(prefix + target.name, "button");
      add_button_uses(prefix + target.name, seat, uses);
    } else {
      add_analog(prefix, seat, target, uses);
    }
  }
  add_pointer_presses(prefix, sheet, profile, port, bound);
}

/// The buttons of pointers. Reloads and calibration shots go with the first trigger, and these belong to the first
/// pointer.
void SlowTwin::add_pointer_presses(const std::string& prefix, const ControllerSheet& sheet, const Profile& profile,
                                   const PortProfile& port, const std::map<std::string, std::vector<Use>>& bound) {
  Value* trigger = nullptr;
  for (const TargetSheet& target : sheet.targets)
    if (trigger == nullptr && target.kind == TargetKind::button &&
        (target.place == "trigger" || target.place == "touch-press"))
      trigger = &values_.at(prefix + target.name);
  std::vector<AreaPoint> shots = port.game_shots;
  for (const PortProfile& other : profile.ports)
    if (port.like && other.port == *port.like && shots.empty()) shots = other.game_shots;
  for (const TargetSheet& target : sheet.targets) {
    if (target.kind != TargetKind::pointer) continue;
    std::size_t p = 0;
    while (pointers_[p].name != prefix + target.name) ++p;
    Pointer& pointer = pointers_[p];
    pointer.trigger = trigger;
    pointer.shots = std::exchange(shots, {});
    name_target(pointer.name + " off", "none of the game's");
    pointer.off = &values_.at(pointer.name + " off");
    const auto uses_of = [&](const char* what) {
      const auto at = bound.find(target.name + what);
      return at == bound.end() || port.seat.empty() ? std::vector<Use>{} : at->second;
    };
    const auto add_press = [&](const char* what, bool begins_shots) {
      const std::vector<Use> uses = uses_of(what);
      if (uses.empty()) return;
      for (const Use& use : uses) {
        const std::string name = fmt::format("{}{} {}", pointer.name, what, pointer_presses_.size());
        name_target(name, "none of the game's");
        add_button_uses(name, port.seat, {use});
        pointer_presses_.push_back({p, begins_shots, &values_.at(name)});
      }
    };
    add_press("-centre", false);
    for (const Use& use : uses_of("-reload")) {
      reloads_.push_back({p, lines_.size()});
      add_button_uses("", port.seat, {use});
    }
    add_button_uses(pointer.name + " off", port.seat, uses_of("-off-screen"));
    add_press("-game-shots", true);
  }
}

void SlowTwin::name_target(const std::string& name, const std::string& kind) {
  values_[name];
  kinds_[name] = kind;
}

void SlowTwin::add_button_uses(const std::string& target, const std::string& seat, const std::vector<Use>& uses) {
  for (const Use& use : uses) {
    if (const auto direction = stick_direction(use.role))
      add_line(target, seat, use, direction->stick, direction->direction);
    else if (role_kind(use.role) == RoleKind::one_sided)
      add_line(target, seat, use, use.role, 3);
    else
      add_line(target, seat, use, use.role);
  }
}

void SlowTwin::add_line(const std::string& target, const std::string& seat, const Use& use, const std::string& role,
                        std::optional<std::size_t> direction) {
  Line line;
  line.target = target.empty() ? nullptr : &values_.at(target);
  line.seat = seat;
  line.role = role;
  line.direction = direction;
  line.use = use;
  lines_.push_back(line);
}

int SlowTwin::add_ramp_line(const std::string& seat, const Use& use, const std::string& role) {
  add_line("", seat, use, role);
  return static_cast<int>(lines_.size()) - 1;
}

void SlowTwin::add_analog(const std::string& prefix, const std::string& seat, const TargetSheet& sheet,
                          const std::vector<Use>& uses) {
  if (sheet.kind == TargetKind::pointer) {
    Pointer& pointer = pointers_.emplace_back();
    pointer.name = prefix + sheet.name;
    for (const char* half : {"-x", "-y"}) {
      name_target(pointer.name + half, "place, stays");
      values_[pointer.name + half].level = 0.5;
    }
    name_target(pointer.name + "-on", "button");
    for (const Use& use : uses) {
      pointer.sources.push_back({seat, use, {}});
      for (std::size_t d = 0; role_kind(use.role) == RoleKind::dpad && d < direction_names.size(); ++d)
        pointer.sources.back().directions.lines[d] =
            add_ramp_line(seat, use, use.role + "-" + std::string{direction_names[d]});
    }
    return;
  }
  const bool counts = sheet.kind == TargetKind::turns || sheet.kind == TargetKind::movement;
  const bool pair = sheet.kind == TargetKind::stick || sheet.kind == TargetKind::movement;
  const std::string x = prefix + sheet.name + (pair ? "-x" : ""), y = pair ? prefix + sheet.name + "-y" : "";
  const std::string kind = counts ? "counts" : sheet.kind == TargetKind::one_sided ? "one side" : "two sides";
  name_target(x, kind + (sheet.self_centering ? "" : ", stays"));
  if (pair) name_target(y, kind + (sheet.self_centering ? "" : ", stays"));
  if (counts) {
    for (const Use& use : uses)
      counts_.push_back({x, y, seat, use.role, said(use, "invert-x", 0) != 0, said(use, "invert-y", 0) != 0});
    return;
  }
  Analog analog;
  analog.x = x;
  analog.y = y;
  analog.stays = !sheet.self_centering;
  if (pair && sheet.gate == TargetGate::square) analog.corner = 1;
  if (pair && sheet.gate == TargetGate::octagon) analog.corner = sheet.corner;
  for (const Use& use : uses) {
    const auto direction = stick_direction(use.role);
    const RoleKind role = direction ? RoleKind::stick : *role_kind(use.role);
    Lane lane{seat, direction ? direction->stick : use.role, use, sheet.kind, -1};
    if (role == RoleKind::one_sided && sheet.kind == TargetKind::two_sided) analog.adds = true;
    if (role == RoleKind::button || role == RoleKind::dpad) {
      Ramped ramped;
      ramped.out = said(use, "ramp", 0);
      ramped.release = said(use, "ramp-release", ramped.out);
      ramped.back = said(use, "ramp-return", ramped.out);
      if (role == RoleKind::button) ramped.lines[3] = add_ramp_line(seat, use, use.role);
      if (role == RoleKind::dpad)
        for (std::size_t d = pair ? 0 : 2; d < 4; ++d)
          ramped.lines[d] = add_ramp_line(seat, use, use.role + "-" + std::string{direction_names[d]});
      lane.ramped = static_cast<int>(ramped_.size());
      ramped_.push_back(ramped);
    }
    analog.lanes.push_back(lane);
  }
  analog.of_buttons.resize(analog.lanes.size());
  analogs_.push_back(analog);
}

}  // namespace omnipar::test
