#include "omnipar/bindings.hpp"

#include <algorithm>
#include <utility>

#include "omnipar/identity.hpp"
#include "plan/plan_data.hpp"

namespace omnipar::inline abi_0 {

using plan::Effect, plan::EffectKind, plan::Group, plan::Index, plan::Input, plan::nothing, plan::PlanData,
    plan::Pointer, plan::AnalogKind, plan::AnalogOperation, plan::Signal;

namespace {

/// Follows inputs through the plan and marks the targets that they reach.
class BoundTargets {
 public:
  explicit BoundTargets(const PlanData& plan)
      : plan_(plan), targets_(plan.targets.size()), signals_(plan.signals.size()) {}

  void follow(const Input& input) {
    for (const Index signal : input.raises.of(plan_.raises)) follow_signal(signal);
    for (const Index number : input.operations.of(plan_.fed)) {
      const AnalogOperation& operation = plan_.operations[number];
      if (operation.kind == AnalogKind::crossing)
        for (const Index signal : operation.signals) follow_signal(signal);
      else if (plan::is_aim(operation.kind))
        mark_pointer(plan_.pointers[operation.group]);
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
    for (const Effect& effect : signal.effects.of(plan_.effects)) {
      if (effect.kind == EffectKind::raise)
        follow_signal(effect.index);
      else if (effect.kind == EffectKind::gate)
        follow_signal(plan_.gates[effect.index].out);
      else if (effect.kind == EffectKind::digital)
        mark_group(plan_.digitals[effect.index].group);
      else if (effect.kind == EffectKind::opposites)
        for (const Index out : plan_.opposites[effect.index].out) follow_signal(out);
      else if (effect.kind == EffectKind::push)
        mark_pointer(plan_.pointers[plan_.operations[effect.index].group]);
    }  // other effects on pointers do not move them
  }

  void mark_group(Index number) {
    const Group& group = plan_.groups[number];
    targets_[group.x] = true;
    if (group.y != nothing) targets_[group.y] = true;
  }

  void mark_pointer(const Pointer& pointer) {
    targets_[pointer.x] = targets_[pointer.y] = true;
    follow_signal(pointer.on);
  }

  const PlanData& plan_;
  std::vector<bool> targets_;
  std::vector<bool> signals_;
};

}  // namespace

std::vector<std::string> roles_of(const Attachment& attachment) {
  std::vector<std::string> roles;
  for (const Control& control : attachment.controls) {
    if (control.type != ControlType::hat) {
      roles.push_back(control.role);
      continue;
    }
    const bool across = control.axis == Axis::x;
    roles.push_back(control.role + (across ? "-left" : "-up"));
    roles.push_back(control.role + (across ? "-right" : "-down"));
  }
  return roles;
}

namespace {

/// By its name in bindings: a pair under its first half is "stick"; nothing for the other half.
std::string bound_name(const PlanData& data, std::size_t target) {
  const TargetInfo& info = data.targets[target];
  const Index partner = data.partner_of_target[target];
  const bool pair = info.kind != TargetKind::button && partner != nothing;
  if (pair) return partner < target ? "" : std::string{info.name.substr(0, info.name.size() - 2)};
  for (const Pointer& pointer : data.pointers)
    if (data.signals[pointer.on].target == target) return "";
  return std::string{info.name};
}

}  // namespace

bool is_of_use(const Plan& plan, const Attachment& attachment) {
  return std::ranges::any_of(attachment.controls, [&plan](const Control& control) {
    return std::ranges::any_of(plan::body_of(plan).inputs, [&control](const Input& input) {
      return input.role == control.role || (input.role.starts_with(control.role) && control.type == ControlType::hat);
    });
  });
}

std::vector<bool> bound_targets(const Plan& plan) {
  const PlanData& data = plan::body_of(plan);
  BoundTargets bound{data};
  for (const Input& input : data.inputs) bound.follow(input);
  std::vector<bool> targets(data.targets.size());
  for (std::size_t t = 0; t < targets.size(); ++t) targets[t] = bound.reaches(t);
  return targets;
}

std::vector<std::string> unserved(const Plan& plan, std::string_view seat, std::span<const std::string> roles) {
  const PlanData& data = plan::body_of(plan);
  BoundTargets bound{data};
  BoundTargets served{data};
  for (const Input& input : data.inputs) {
    if (input.seat != seat) continue;
    bound.follow(input);
    if (std::ranges::find(roles, input.role) != roles.end()) served.follow(input);
  }
  std::vector<std::string> names;
  for (const PortInfo& port : data.ports) {
    if (port.number == 0) continue;
    for (std::size_t t = port.first_target; t < std::size_t{port.first_target} + port.target_count; ++t)
      if (const std::string name = bound_name(data, t); !name.empty() && bound.reaches(t) && !served.reaches(t))
        names.push_back(name);
  }
  return names;
}

namespace {

bool moves_anything(const PlanData& data, std::string_view seat, std::string_view role) {
  return std::ranges::any_of(data.inputs, [&](const Input& input) {
    return input.seat == seat && input.role == role && input.raises.count + input.operations.count > 0;
  });
}

void add_once(std::vector<std::string>& names, std::string name) {
  if (std::ranges::find(names, name) == names.end()) names.push_back(std::move(name));
}

}  // namespace

std::vector<std::string> idle_roles(const Plan& plan, const Attachment& attachment) {
  const PlanData& data = plan::body_of(plan);
  std::vector<std::string> names;
  for (const Control& control : attachment.controls) {
    const auto moves = [&](const std::string& role) { return moves_anything(data, attachment.seat, role); };
    Attachment alone;
    alone.controls = {control};
    const auto roles = roles_of(alone);
    if (std::ranges::none_of(roles, moves)) add_once(names, control.role);
  }
  return names;
}

std::vector<std::string> roleless_controls(const Description& node, const Attachment& attachment) {
  constexpr std::uint16_t first_button = 0x100;  // BTN_MISC; below it are the keys of keyboards
  std::vector<std::string> names;
  for (const CodeRange& range : node.codes) {
    const bool is_key = range.code.type == ev_key && range.code.number < first_button;
    if (!is_key && std::ranges::find(attachment.controls, range.code, &Control::code) == attachment.controls.end())
      add_once(names, control_name(node, range.code));
  }
  return names;
}

}  // namespace omnipar::inline abi_0
