#include "plan/tables.hpp"

#include <cmath>

namespace omnipar::inline abi_0::plan {
namespace {

constexpr std::size_t max_shapes = 4096;

}  // namespace

template <typename T>
Index Tables::append(std::vector<T>& table, T value, std::size_t limit) {
  if (table.size() >= limit) {
    too_large_ = true;
    return 0;
  }
  table.push_back(std::move(value));
  return static_cast<Index>(table.size() - 1);
}

Index Tables::reserve(Index& count, std::size_t more, std::size_t limit) {
  if (count + more > limit) {
    too_large_ = true;
    return 0;
  }
  const Index first = count;
  count = static_cast<Index>(count + more);
  return first;
}

Index Tables::new_signal(Index need, bool each_unit) {
  const Index made = append(plan_->signals, Signal{need, nothing, each_unit, 0, {}}, max_signals);
  if (effects_.size() < plan_->signals.size()) effects_.emplace_back();
  return made;
}

void Tables::add_effect(Index signal, EffectKind kind, Index index) {
  if (!too_large_) effects_[signal].push_back({kind, index});
}

Index Tables::new_target(const TargetSheet& sheet, std::string name, TargetKind kind) {
  const NativeRange native = kind == TargetKind::button ? NativeRange{0, 1, 0} : sheet.native;
  const bool has_gate = sheet.kind == TargetKind::stick && sheet.gate != TargetGate::round;
  const double corner = !has_gate ? 0 : sheet.gate == TargetGate::square ? 1 : sheet.corner;
  TargetInfo info;
  info.name = keep(std::move(name));
  info.place = keep(sheet.place);
  info.kind = kind;
  info.native = native;
  info.self_centering = sheet.self_centering;
  info.corner = corner;
  const Index target = append(plan_->targets, info, max_targets);
  if (too_large_) return target;
  plan_->signal_of_target.push_back(nothing);
  plan_->partner_of_target.push_back(nothing);
  plan_->is_sight.push_back(false);
  if (kind == TargetKind::button) {
    const Index signal = new_signal();
    if (too_large_) return target;
    plan_->signals[signal].target = target;
    plan_->signal_of_target[target] = signal;
  }
  return target;
}

Index Tables::new_group(const TargetSheet& sheet) {
  Group group;
  group.self_centering = sheet.self_centering;
  if (sheet.kind == TargetKind::stick || sheet.kind == TargetKind::movement) {
    const TargetKind half = sheet.kind == TargetKind::stick ? TargetKind::two_sided : TargetKind::turns;
    group.x = new_target(sheet, sheet.name + "-x", half);
    group.y = new_target(sheet, sheet.name + "-y", half);
    if (too_large_) return 0;
    plan_->partner_of_target[group.x] = group.y;
    plan_->partner_of_target[group.y] = group.x;
  } else {
    group.x = new_target(sheet, sheet.name, sheet.kind);
  }
  return append(plan_->groups, group, max_targets);
}

/// The ends of a coordinate are the ends of the game's picture, wherever it is in a virtual pointer's range.
void Tables::span(Index half, bool is_y) {
  const GameArea area = plan_->area.value_or(GameArea{});
  const AreaBox& whole = *pointer_span_;
  const auto outside = [&](AreaPoint on_area) {
    const AreaPoint screen = to_screen(area, on_area);
    return AreaPoint{whole.left + screen.x * whole.width, whole.top + screen.y * whole.height};
  };
  const AreaPoint from = outside({0, 0}), to = outside(is_y ? AreaPoint{0, 1} : AreaPoint{1, 0});
  TargetInfo& info = plan_->targets[half];
  const bool along_x = std::abs(to.x - from.x) > std::abs(to.y - from.y);
  info.spans_across = along_x == is_y;
  info.span_from = along_x ? from.x : from.y;
  info.span_to = along_x ? to.x : to.y;
}

Index Tables::new_pointer(const TargetSheet& sheet) {
  TargetSheet stays = sheet;
  stays.self_centering = false;
  Pointer pointer;
  pointer.x = new_target(stays, sheet.name + "-x", TargetKind::coordinate);
  pointer.y = new_target(stays, sheet.name + "-y", TargetKind::coordinate);
  for (const Index half : {pointer.x, pointer.y})
    if (!too_large_ && pointer_span_) span(half, half == pointer.y);
  const Index on = new_target(sheet, sheet.name + "-on", TargetKind::button);
  if (too_large_) return 0;
  pointer.on = plan_->signal_of_target[on];
  plan_->is_sight[on] = true;
  plan_->partner_of_target[pointer.x] = pointer.y;
  plan_->partner_of_target[pointer.y] = pointer.x;
  return append(plan_->pointers, pointer, max_targets);
}

Index Tables::new_gate(const Gate& gate) {
  const Index made = append(plan_->gates, gate, max_signals);
  add_effect(gate.in, EffectKind::gate, made);
  return made;
}

Index Tables::new_opposites(const OpposedDirections& directions) {
  const Index made = append(plan_->opposites, directions, max_targets);
  for (const Index signal : directions.in) add_effect(signal, EffectKind::opposites, made);
  return made;
}

/// Lanes of one group are contiguous, because a group's bindings are added consecutively.
Index Tables::reserve_lanes(Index group) {
  const Index first = reserve(plan_->lanes, max_units, max_analog_uses * max_units);
  if (too_large_) return 0;
  Run& lanes = plan_->groups[group].lanes;
  if (lanes.count == 0) lanes.first = first;
  lanes.count = static_cast<Index>(lanes.count + max_units);
  return first;
}

Index Tables::new_digital(Index group, const stage::Constants& ramp, bool ramps) {
  DigitalOperation operation;
  operation.group = group;
  operation.lane = reserve_lanes(group);
  operation.ramps = ramps;
  operation.ramp = ramp;
  return append(plan_->digitals, operation, max_analog_uses);
}

void Tables::add_shape(AnalogOperation& operation, Shape shape) {
  const Index made = append(plan_->shapes, std::move(shape), max_shapes);
  if (operation.shapes.count++ == 0) operation.shapes.first = made;
}

Index Tables::new_operation(AnalogOperation operation) {
  const auto number = static_cast<Index>(plan_->operations.size());
  for (Index i = 0; i < operation.shapes.count && !too_large_; ++i) {
    Shape& shape = plan_->shapes[operation.shapes.first + std::size_t{i}];
    if (shape.kind->follow == nullptr) continue;
    shape.trail = reserve(plan_->trails, 1, max_analog_uses);
    if (!too_large_) plan_->trailing.push_back(number);
  }
  if (operation.kind == AnalogKind::lane) operation.lane = reserve_lanes(operation.group);
  if (operation.kind == AnalogKind::crossing) operation.crossing = reserve(plan_->crossings, 1, max_analog_uses);
  if (operation.kind == AnalogKind::glide) operation.glide = reserve(plan_->glides, 1, max_analog_uses);
  if (is_aim(operation.kind)) operation.lane = reserve(plan_->aims, max_units, max_analog_uses * max_units);
  const Index made = append(plan_->operations, operation, max_analog_uses);
  if (operation.kind == AnalogKind::glide) plan_->gliding.push_back(made);
  if (is_aim(operation.kind)) plan_->aiming.push_back(made);
  return made;
}

Tables::Growing& Tables::input(const std::string& seat, const std::string& role) {
  const auto [at, is_new] = input_of_.try_emplace({seat, role}, inputs_.size());
  if (is_new) {
    inputs_.emplace_back();
    plan_->inputs.push_back({seat, role, {}, {}});
  }
  return inputs_[at->second];
}

void Tables::use_up() {
  if (++uses_ > max_sources) too_large_ = true;
}

void Tables::raise(const std::string& seat, const std::string& role, Index signal) {
  use_up();
  if (!too_large_) input(seat, role).raises.push_back(signal);
}

void Tables::feed(const std::string& seat, const std::string& role, Index operation) {
  use_up();
  if (!too_large_) input(seat, role).operations.push_back(operation);
}

namespace {

template <typename T>
Run laid(std::vector<T>& table, const std::vector<T>& more) {
  const Run run{static_cast<Index>(table.size()), static_cast<Index>(more.size())};
  table.insert(table.end(), more.begin(), more.end());
  return run;
}

}  // namespace

std::shared_ptr<PlanData> Tables::finish() {
  for (std::size_t s = 0; s < effects_.size(); ++s) plan_->signals[s].effects = laid(plan_->effects, effects_[s]);
  for (std::size_t i = 0; i < inputs_.size(); ++i) {
    plan_->inputs[i].raises = laid(plan_->raises, inputs_[i].raises);
    plan_->inputs[i].operations = laid(plan_->fed, inputs_[i].operations);
  }
  lay_out_cells(*plan_);
  for (const PortInfo& port : plan_->ports)
    plan_->layouts.push_back(layout_number(std::span{plan_->targets}.subspan(port.first_target, port.target_count)));
  plan_->state_size = layout_of(*plan_).size;
  plan_->listing = listing_of(*plan_);
  return std::move(plan_);
}

}  // namespace omnipar::inline abi_0::plan
