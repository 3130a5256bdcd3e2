// The questions for a port, and their order.
#include <algorithm>
#include <array>

#include "learn/verdict.hpp"
#include "omnipar/learning.hpp"
#include "omnipar/bindings.hpp"
#include "omnipar/role.hpp"
#include "plan/resolve.hpp"

namespace omnipar::inline abi_0 {
namespace {

/// A natural order: steering, fire buttons and shoulders in the controller's order, start and similar, all others.
int rank_of(const TargetSheet& target) {
  constexpr std::array fire =
      std::to_array<std::string_view>({"south", "east", "west", "north", "trigger", "left-shoulder", "right-shoulder",
                                       "left-trigger", "right-trigger", "reload"});
  constexpr std::array small = std::to_array<std::string_view>({"start", "select", "coin", "home"});
  const auto is_in = [&target](const auto& places) { return std::ranges::find(places, target.place) != places.end(); };
  if (target.kind != TargetKind::button && target.kind != TargetKind::one_sided) return 0;
  if (is_in(fire) || target.place.starts_with("panel-")) return 1;
  return is_in(small) ? 2 : 3;
}

const PortProfile* port_of(const Profile& profile, int port) {
  const auto at = std::ranges::find(profile.ports, port, &PortProfile::port);
  return at == profile.ports.end() ? nullptr : &*at;
}

const ControllerSheet* controller_of(const Catalogue& catalogue, const Profile& profile, const PortProfile& port) {
  const SystemSheet* system = catalogue.system(profile.system);
  const PortSheet* sheet = system == nullptr ? nullptr : system->port(port.port);
  if (sheet == nullptr || port.not_ours) return nullptr;
  if (!port.controller.empty()) return system->controller(port.controller);
  return sheet->takes.empty() ? nullptr : system->controller(sheet->takes.front());
}

bool can_answer(const std::vector<std::string>& roles, TargetKind target) {
  return std::ranges::any_of(roles, [target](const std::string& role) {
    const auto kind = role_kind(role);
    const bool is_cross = !learn::cross_of(role).empty() && learn::can_feed(RoleKind::dpad, target);
    return is_cross || (kind && learn::can_feed(*kind, target));
  });
}

/// One direction of the source of all four: "dpad" and "up" make "dpad-up".
std::string direction_of(const std::string& role, std::string_view direction) {
  return role + "-" + std::string{direction};
}

/// The current source of one direction: its own binding, otherwise its part of the group's.
std::vector<Use> uses_of(const plan::PortSources& port, std::string_view target) {
  const auto own = std::ranges::find(port.fed, target, &plan::Fed::target);
  if (own != port.fed.end()) return own->uses;
  const auto group = std::ranges::find(port.fed, plan::directions_group, &plan::Fed::target);
  if (group == port.fed.end()) return {};
  std::vector<Use> uses = group->uses;
  for (Use& use : uses) use.role = direction_of(use.role, target);
  return uses;
}

/// The player of a target on a port for two.
int player_of(const plan::PortSources& port, std::string_view target) {
  const auto fed = std::ranges::find(port.fed, target, &plan::Fed::target);
  return fed == port.fed.end() || fed->sheet == nullptr ? 1 : fed->sheet->player;
}

void set_binding(std::vector<Binding>& all, const std::string& target, std::vector<Use> uses) {
  const auto at = std::ranges::find(all, target, &Binding::target);
  if (at == all.end())
    all.push_back({target, std::move(uses)});
  else
    at->uses = std::move(uses);
}

Use use_of(const LearnedSource& source) {
  Use use;
  use.role = source.role;
  if (source.invert_x) use.settings.set("invert-x", 1);
  if (source.invert_y) use.settings.set("invert-y", 1);
  return use;
}

class Outcome {
 public:
  Outcome(const Learning& learning, const plan::PortSources& before, bool adds)
      : learning_(learning), before_(before), adds_(adds) {}

  void apply_to(std::vector<Binding>& all) const {
    remove_from_others(all);
    const bool one_for_all = bind_directions(all);
    for (std::size_t q = 0; q < learning_.questions().size(); ++q) {
      const std::string& name = learning_.questions()[q].name;
      const Answer& answer = learning_.answers()[q];
      if (one_for_all && is_direction(name)) continue;
      if (answer.state == Answer::State::given)
        set_binding(all, name, uses_for(q, kept_of(q)));
      else if (answer.state == Answer::State::skipped)
        set_binding(all, name, {});
      else if (answer.state == Answer::State::open)
        remove_lost(all, q);
    }
  }

 private:
  [[nodiscard]] static bool is_direction(std::string_view name) {
    return std::ranges::find(direction_names, name) != direction_names.end();
  }

  /// The target's previous sources, except those that belong to another target now.
  [[nodiscard]] std::vector<Use> kept_of(std::size_t question) const {
    std::vector<Use> uses = uses_of(before_, learning_.questions()[question].name);
    std::erase_if(uses, [&](const Use& use) { return learning_.is_lost(question, use.role); });
    return uses;
  }

  /// A question that was not asked may have lost its sources to another target.
  void remove_lost(std::vector<Binding>& all, std::size_t question) const {
    const std::string& name = learning_.questions()[question].name;
    std::vector<Use> uses = kept_of(question);
    if (uses.size() != uses_of(before_, name).size()) set_binding(all, name, std::move(uses));
  }

  [[nodiscard]] std::vector<Use> uses_for(std::size_t question, std::vector<Use> before) const {
    std::vector<Use> uses;
    if (adds_) uses = std::move(before);
    for (const LearnedSource& source : learning_.answers()[question].sources)
      if (std::ranges::find(uses, source.role, &Use::role) == uses.end()) uses.push_back(use_of(source));
    return uses;
  }

  [[nodiscard]] const Answer* answer_to(std::string_view name) const {
    const auto at = std::ranges::find(learning_.questions(), name, &Question::name);
    if (at == learning_.questions().end()) return nullptr;
    return &learning_.answers()[static_cast<std::size_t>(at - learning_.questions().begin())];
  }

  /// The stick or d-pad that has all four directions; "-" if all four are unassigned; otherwise nothing.
  [[nodiscard]] std::string whole() const {
    std::string whole;
    for (const std::string_view direction : direction_names) {
      const Answer* answer = answer_to(direction);
      if (answer == nullptr || answer->state == Answer::State::open || answer->state == Answer::State::as_before)
        return "";
      std::string stem = "-";
      if (answer->state == Answer::State::given) {
        const std::string& role = answer->sources.front().role;
        const std::string end = direction_of("", direction);
        if (!role.ends_with(end)) return "";
        stem = role.substr(0, role.size() - end.size());
        const auto kind = role_kind(stem);
        if (kind != RoleKind::stick && kind != RoleKind::dpad) return "";
      }
      if (!whole.empty() && whole != stem) return "";
      whole = stem;
    }
    return whole;
  }

  bool bind_directions(std::vector<Binding>& all) const {
    const std::string all_four = whole();
    if (all_four.empty() || !before_.sheet.directions) return false;
    std::vector<Use> uses;
    const auto group = std::ranges::find(before_.fed, plan::directions_group, &plan::Fed::target);
    if (adds_ && all_four != "-" && group != before_.fed.end()) uses = group->uses;
    if (all_four != "-" && std::ranges::find(uses, all_four, &Use::role) == uses.end()) {
      Use use;
      use.role = all_four;
      uses.push_back(std::move(use));
    }
    std::erase_if(all, [](const Binding& binding) { return is_direction(binding.target); });
    set_binding(all, std::string{plan::directions_group}, std::move(uses));
    return true;
  }

  /// Removes sources that were moved to other targets, even if the question was not asked.
  void remove_from_others(std::vector<Binding>& all) const {
    for (std::size_t q = 0; q < learning_.questions().size(); ++q)
      for (const LearnedSource& source : learning_.answers()[q].sources)
        if (source.moved)
          for (const auto& target : targets(player_of(before_, learning_.questions()[q].name)))
            remove_from(all, target, source.role);
  }

  /// For one player: on a port for two the other one has separate controls.
  [[nodiscard]] std::vector<std::string> targets(int player) const {
    std::vector<std::string> names;
    for (const plan::Fed& fed : before_.fed)
      if (fed.target != plan::directions_group && player_of(before_, fed.target) == player) names.push_back(fed.target);
    if (before_.sheet.directions && player == 1)
      names.insert(names.end(), direction_names.begin(), direction_names.end());
    return names;
  }

  void remove_from(std::vector<Binding>& all, const std::string& target, const std::string& role) const {
    std::vector<Use> uses = uses_of(before_, target);
    if (std::erase_if(uses, [&role](const Use& use) { return learn::overlap(use.role, role); }) > 0)
      set_binding(all, target, std::move(uses));
  }

  const Learning& learning_;
  const plan::PortSources& before_;
  bool adds_;
};

}  // namespace

std::vector<Question> questions_for(const Catalogue& catalogue, const Profile& profile, int port, bool second) {
  const PortProfile* its = port_of(profile, port);
  const ControllerSheet* controller = its == nullptr ? nullptr : controller_of(catalogue, profile, *its);
  if (controller == nullptr) return {};
  const plan::PortSources sources{profile, *its, *controller};
  std::vector<Question> questions;
  if (sources.sheet.directions && !second)
    for (std::size_t d = 0; d < direction_names.size(); ++d)
      questions.push_back({std::string{direction_names[d]}, TargetKind::button,
                           direction_of("dpad", direction_names[d]), std::string{direction_names[d ^ 1U]}});
  std::vector<const TargetSheet*> targets;
  for (const TargetSheet& target : sources.sheet.targets)
    if ((target.player == 2) == second) targets.push_back(&target);
  std::ranges::stable_sort(targets, {}, [](const TargetSheet* target) { return rank_of(*target); });
  for (const TargetSheet* target : targets) questions.push_back({target->name, target->kind, target->place, ""});
  for (Question& question : questions) {
    for (const Use& use : uses_of(sources, question.name)) question.now.push_back(use.role);
    const bool is_direction = !question.opposite.empty();
    question.is_own = std::ranges::any_of(its->bind, [&](const Binding& binding) {
      return binding.target == question.name || (is_direction && binding.target == plan::directions_group);
    });
  }
  return questions;
}

std::vector<Question> answerable(std::vector<Question> questions, const std::vector<std::string>& roles,
                                 std::vector<std::string>& left_out) {
  std::erase_if(questions, [&](const Question& question) {
    const bool leaves_out = !can_answer(roles, question.kind);
    if (leaves_out) left_out.push_back(question.name);
    return leaves_out;
  });
  return questions;
}

std::vector<std::pair<std::string, std::string>> roles_in_use(const Catalogue& catalogue, const Profile& profile,
                                                              int port, const std::vector<Question>& asked) {
  const PortProfile* its = port_of(profile, port);
  const ControllerSheet* controller = its == nullptr ? nullptr : controller_of(catalogue, profile, *its);
  if (controller == nullptr) return {};
  const plan::PortSources sources{profile, *its, *controller};
  std::vector<std::pair<std::string, std::string>> all;
  const int player = asked.empty() ? 1 : player_of(sources, asked.front().name);
  const auto add = [&](const std::string& target) {
    if (player_of(sources, target) != player) return;
    if (std::ranges::find(asked, target, &Question::name) != asked.end()) return;
    for (const Use& use : uses_of(sources, target)) all.emplace_back(use.role, target);
  };
  if (sources.sheet.directions)
    for (const std::string_view direction : direction_names) add(std::string{direction});
  for (const TargetSheet& target : sources.sheet.targets) add(target.name);
  return all;
}

Profile with_answers(const Catalogue& catalogue, Profile profile, int port, const Learning& learning, bool adds) {
  const auto its = std::ranges::find(profile.ports, port, &PortProfile::port);
  const ControllerSheet* controller = its == profile.ports.end() ? nullptr : controller_of(catalogue, profile, *its);
  if (controller == nullptr) return profile;
  const plan::PortSources before{profile, *its, *controller};
  Outcome{learning, before, adds}.apply_to(its->bind);
  return profile;
}

}  // namespace omnipar::inline abi_0
