// Profiles generated from bytes: any role for any target, with any stages, valid or not.
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "byte_dice.hpp"
#include "judged.hpp"
#include "omnipar/role.hpp"
#include "omnipar/sheets.hpp"
#include "stage/table.hpp"
#include "support/random_stages.hpp"

namespace omnipar::test {
namespace {

const std::vector<std::string>& all_roles() {
  static const std::vector<std::string> all = [] {
    std::vector<std::string> names;
    for (const std::string_view name : role_names()) names.emplace_back(name);
    for (const char* name : {"left-stick-up", "right-stick-left", "panel-3", "key-1", "nothing-such"})
      names.emplace_back(name);
    return names;
  }();
  return all;
}

/// The sources that a target of this kind accepts; directions are separate groups.
std::vector<std::string> fitting_roles(TargetKind wanted, bool directions) {
  if (directions || wanted == TargetKind::stick) return {"dpad", "left-stick", "right-stick"};
  switch (wanted) {
    case TargetKind::one_sided:
      return {"left-trigger", "right-trigger", "pedal", "south", "left-shoulder", "wheel", "right-stick-up"};
    case TargetKind::two_sided:
      return {"wheel", "paddle", "dpad", "left-stick", "left-trigger", "pedal"};
    case TargetKind::turns:
      return {"spinner", "mouse-wheel"};
    case TargetKind::movement:
      return {"mouse", "trackball"};
    case TargetKind::pointer:
      return {"gun", "touch", "mouse", "trackball", "left-stick", "right-stick", "dpad"};
    default:
      return {"south",     "east",  "west", "north",         "start",         "select",           "left-trigger",
              "dpad-left", "key-1", "coin", "left-stick-up", "right-trigger", "right-stick-left", "trigger",
              "mouse-left"};
  }
}

class Maker : public ByteDice {
 public:
  using ByteDice::ByteDice;

  Profile profile() {
    const auto& systems = story_catalogue().systems;
    const SystemSheet& system = systems[below(systems.size())];
    Profile profile = propose(story_catalogue(), system.name).value();
    constexpr std::array areas{"", "4:3", "3:4, cut 5%, turned left", "8:7, within 20% 0% 90% 70%"};
    profile.area = areas.at(below(areas.size()));
    if (!profile.area.empty() && !mistake()) profile.screen = below(2) == 0 ? "wide" : "high";
    for (PortProfile& port : profile.ports) change(port, system);
    for (std::size_t n = below(3); n > 0; --n)  // before the built-in ones, in the order of reading
      profile.hotkeys.insert(profile.hotkeys.begin(), {fmt::format("action-{}", n), role(TargetKind::button),
                                                       n == 1 ? "home" : "panel-3", Duration{below(4) * 1500}});
    return profile;
  }

 private:
  /// Occasionally, so that most profiles have none and many have one.
  bool mistake() { return below(256) == 255; }

  std::string role(TargetKind wanted, bool directions = false) {
    const std::vector<std::string> some = mistake() ? all_roles() : fitting_roles(wanted, directions);
    return some[below(some.size())];
  }

  void change(PortProfile& port, const SystemSheet& system) {
    const std::vector<std::string>& takes = system.port(port.port)->takes;
    port.controller = takes[below(takes.size())];
    const ControllerSheet& sheet = *system.controller(port.controller);
    if (!sheet.is_for_two()) port.second_seat.clear();
    port.seat = fmt::format("seat-{}", 1 + below(2));
    if (!port.second_seat.empty()) port.second_seat = "seat-3";
    if (below(4) == 0) port.game_dead_zone = static_cast<double>(below(4)) * 0.1;
    if (sheet.directions || mistake()) port.opposites = static_cast<Opposites>(below(3));
    if (mistake() || (port.port > 1 && below(8) == 0)) port.like = 1;
    for (const AccessorySheet& accessory : sheet.accessories)
      if (below(2) == 0) port.accessories.push_back(accessory.name);
    for (std::size_t n = can_shoot(sheet) || mistake() ? below(4) : 0; n > 1; --n)
      port.game_shots.push_back({0.25, static_cast<double>(below(256)) / 255});
    for (std::size_t n = below(8); n > 0; --n) bind(port, sheet);
  }

  void bind(PortProfile& port, const ControllerSheet& sheet) {
    std::vector<TargetSheet> targets = sheet.targets;
    if (sheet.directions || mistake())
      for (const std::string_view name : {std::string_view{"directions"}, direction_names[0], direction_names[3]})
        targets.emplace_back().name = name;
    TargetSheet target = targets[below(targets.size())];
    if (target.kind == TargetKind::pointer && below(2) == 0) {
      constexpr std::array suffixes{"-centre", "-reload", "-off-screen", "-game-shots"};
      target.name += suffixes.at(below(suffixes.size()));
      target.kind = TargetKind::button;
      target.defaults.clear();
    }
    const bool is_bound = std::ranges::find(port.bind, target.name, &Binding::target) != port.bind.end();
    if (is_bound && !mistake()) return;
    Binding made{target.name, {}};
    if (below(2) == 0)
      for (const std::string& role : target.defaults) made.uses.push_back(use(role));
    for (std::size_t n = below(3); n > 0; --n) made.uses.push_back(use(role(target.kind, target.name == "directions")));
    port.bind.push_back(made);
  }

  Use use(std::string role) {
    Use made{std::move(role)};
    const std::vector<std::string_view> fields = stage::field_names();
    for (std::size_t n = below(4); n > 0; --n) {
      const Use before = made;
      const stage::Field& field = *stage::field(fields[below(fields.size())]);
      constexpr double longest = 3000;  // microseconds
      stage::set(made.settings, field, value_at(field, static_cast<double>(below(256)) / 255, longest));
      if (stage::wrong(made) && !mistake()) made = before;
    }
    return made;
  }
};

}  // namespace

Profile made_profile(std::span<const std::uint8_t> bytes) { return Maker{bytes}.profile(); }

std::optional<std::string> judge_profile(std::span<const std::uint8_t> bytes) {
  Maker maker{bytes};
  const Profile profile = maker.profile();
  const auto plan = compile(story_catalogue(), profile);
  if (!plan) {
    for (const Diagnostic& error : plan.error())
      if (error.id.empty() || error.message.empty() || error.hint.empty() || error.place.empty())
        return "an error says too little: " + to_text(error);
    return std::nullopt;
  }
  const Sheets again = read_sheets("t.toml", to_toml(profile));
  if (!again.problems.empty()) return "it cannot be read again: " + to_text(again.problems.front());
  const auto plan_again = compile(story_catalogue(), again.profiles.at(0));
  if (!plan_again) return "it does not compile again: " + to_text(plan_again.error().front());
  if (plan_again->listing() != plan->listing())
    return "written and read again it is another plan:\n" + to_toml(profile);
  auto complaint = judge_story(maker.rest(), profile);
  if (complaint) *complaint += "\n" + to_toml(profile);
  return complaint;
}

}  // namespace omnipar::test
