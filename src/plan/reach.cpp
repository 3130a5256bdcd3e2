#include "plan/reach.hpp"

#include <algorithm>

#include "plan/plan_data.hpp"

namespace omnipar {
namespace {

/// Follows inputs through the plan, and marks the targets that they reach.
class Reach {
 public:
  explicit Reach(const PlanData& plan) : plan_(plan), targets_(plan.targets.size()), signals_(plan.signals.size()) {}

  void follow(const Input& input) {
    for (const Index signal : input.raises) follow_signal(signal);
    for (const Index number : input.operations) {
      const AnalogOperation& operation = plan_.operations[number];
      if (operation.kind == AnalogKind::crossing)
        for (const Index signal : operation.signals) follow_signal(signal);
      else
        mark_group(operation.group);
    }
  }
  [[nodiscard]] bool reaches(std::size_t target) const { return targets_[target]; }

 private:
  void follow_signal(Index number) {
    if (number == nothing || signals_[number]) return;
    signals_[number] = true;
    const Signal& signal = plan_.signals[number];
    if (signal.target != nothing) targets_[signal.target] = true;
    for (const Effect& effect : signal.effects) {
      if (effect.kind == EffectKind::digital)
        mark_group(plan_.digitals[effect.index].group);
      else if (effect.kind == EffectKind::opposites)
        for (const Index out : plan_.opposites[effect.index].out) follow_signal(out);
      else
        follow_signal(effect.kind == EffectKind::raise ? effect.index : plan_.gates[effect.index].out);
    }
  }

  void mark_group(Index number) {
    const Group& group = plan_.groups[number];
    targets_[group.x] = true;
    if (group.y != nothing) targets_[group.y] = true;
  }

  const PlanData& plan_;
  std::vector<bool> targets_;
  std::vector<bool> signals_;
};

}  // namespace

std::vector<std::string> roles_of(const Attachment& attachment) {
  std::vector<std::string> roles;
  for (const Control& control : attachment.controls) {
    if (control.reading != Reading::hat) {
      roles.push_back(control.role);
      continue;
    }
    const bool across = control.axis == Axis::x;
    roles.push_back(control.role + (across ? "-left" : "-up"));
    roles.push_back(control.role + (across ? "-right" : "-down"));
  }
  return roles;
}

std::vector<std::string> unserved(const Plan& plan, std::string_view seat, std::span<const std::string> roles) {
  const PlanData& data = plan.data();
  Reach bound{data};
  Reach served{data};
  for (const Input& input : data.inputs) {
    if (input.seat != seat) continue;
    bound.follow(input);
    if (std::ranges::find(roles, input.role) != roles.end()) served.follow(input);
  }
  std::vector<std::string> names;
  for (const PortInfo& port : data.ports) {
    if (port.number == 0) continue;
    for (std::size_t t = port.first_target; t < std::size_t{port.first_target} + port.target_count; ++t)
      if (bound.reaches(t) && !served.reaches(t)) names.emplace_back(data.targets[t].name);
  }
  return names;
}

}  // namespace omnipar
