#include "plan/feed.hpp"

#include <fmt/format.h>

#include "base/gun_roles.hpp"
#include "catalogue/lookup.hpp"
#include "plan/resolve.hpp"
#include "plan/stage_path.hpp"

namespace omnipar::inline abi_0::plan {

// -- settings of a binding ------------------------------------------------------------------------

/// The kind of its role; reports an error and returns nothing if the binding is invalid.
std::optional<RoleKind> Feeder::kind_of(const Use& use) {
  if (const auto wrong = stage::wrong(use)) {
    if (wrong->unknown)
      error_(use, "unknown-field", fmt::format("unknown field '{}' in a source", wrong->field),
             catalogue::suggestion(wrong->field, stage::field_names()));
    else
      error_(use, "bad-number", fmt::format("'{}' of '{}' is out of range", wrong->field, use.role),
             fmt::format("expected {}", wrong->range));
    return std::nullopt;
  }
  if (stick_direction(use.role)) return RoleKind::stick;
  const auto kind = role_kind(use.role);
  if (!kind)
    error_(use, "unknown-role", fmt::format("unknown role '{}'", use.role),
           catalogue::suggestion(use.role, role_names()));
  return kind;
}

void Feeder::wrong_source(const Use& use, std::string_view wanted) {
  error_(use, "wrong-source", fmt::format("'{}' cannot be a source of this target", use.role),
         fmt::format("it accepts {}", wanted));
}

// -- stages ---------------------------------------------------------------------------------------

/// The signal that a source must raise for `use` to reach `signal`: through its gates, one of each per unit. All gates
/// can apply to a button.
Index Feeder::entry(const Use& use, Index signal) {
  const std::vector<StageUse> path = stages_of(use, RoleKind::button, TargetKind::button);
  for (auto step = path.rbegin(); step != path.rend(); ++step)
    if (step->kind->step != nullptr) signal = behind_gate(*step->kind, step->values, signal, true);
  return signal;
}

Index Feeder::behind_gate(const stage::Kind& kind, const stage::Values& values, Index out, bool each_unit) {
  if (!kind.acts(values)) return out;
  const Index in = tables_.new_signal(1, each_unit);
  if (!tables_.too_large())
    tables_.new_gate({&kind, kind.prepare(values, RoleKind::button), in, out, 0, kind.words(values)});
  return in;
}

void Feeder::add_shapes(const Use& use, RoleKind role, TargetKind wanted, AnalogOperation& operation) {
  for (const auto& [kind, values] : stages_of(use, role, wanted))
    if (kind->move != nullptr || kind->follow != nullptr)
      tables_.add_shape(
          operation,
          {kind, kind->prepare(values, role), kind->words(values),
           wanted != TargetKind::button && !kind->fields.empty() && !use.settings.find(kind->fields[0].name), nothing});
}

// -- buttons and directions -------------------------------------------------------------------------

void Feeder::add_crossing(const std::string& seat, const std::string& role, const Use& use,
                          const std::array<Index, 4>& signals) {
  const RoleKind kind = role_kind(role).value_or(RoleKind::stick);
  AnalogOperation operation;
  operation.kind = AnalogKind::crossing;
  operation.constants = stage::threshold.prepare(stage::values_of(stage::threshold, use), kind);
  operation.signals = signals;
  add_shapes(use, kind, TargetKind::button, operation);
  tables_.feed(seat, role, tables_.new_operation(operation));
}

void Feeder::feed_button(const std::string& seat, const Use& use, Index signal) {
  const auto kind = kind_of(use);
  if (!kind) return;
  if (const auto direction = stick_direction(use.role)) {
    std::array<Index, 4> signals{nothing, nothing, nothing, nothing};
    signals.at(direction->direction) = entry(use, signal);
    return add_crossing(seat, direction->stick, use, signals);
  }
  if (*kind == RoleKind::button)
    tables_.raise(seat, use.role, entry(use, signal));
  else if (*kind == RoleKind::one_sided)
    add_crossing(seat, use.role, use, {nothing, nothing, nothing, entry(use, signal)});
  else
    wrong_source(use, "a button, a trigger, or one direction of a stick ('left-stick-up')");
}

void Feeder::feed_directions(const std::string& seat, const Use& use, const std::array<Index, 4>& targets) {
  const auto kind = kind_of(use);
  if (!kind) return;
  std::array<Index, 4> signals{nothing, nothing, nothing, nothing};
  if ((*kind != RoleKind::dpad && *kind != RoleKind::stick) || stick_direction(use.role))
    return wrong_source(use, "a d-pad or a stick");
  for (std::size_t d = 0; d < signals.size(); ++d)
    if (targets[d] != nothing) signals[d] = entry(use, targets[d]);
  if (*kind == RoleKind::stick) return add_crossing(seat, use.role, use, signals);
  for (std::size_t d = 0; d < signals.size(); ++d)
    if (signals[d] != nothing) tables_.raise(seat, fmt::format("{}-{}", use.role, direction_names[d]), signals[d]);
}

// -- axes and counters ------------------------------------------------------------------------------

namespace {

/// An axis or stick moves its own kind, one of its sides a pedal, its left and right a wheel, or two pedals a wheel.
bool can_move(const Use& use, RoleKind from, TargetKind wanted) {
  const bool one_direction = stick_direction(use.role).has_value();
  if (wanted == TargetKind::one_sided)
    return from == RoleKind::one_sided || from == RoleKind::two_sided || one_direction;
  if (one_direction) return false;
  if (wanted == TargetKind::two_sided)
    return from == RoleKind::two_sided || from == RoleKind::one_sided || from == RoleKind::stick;
  return wanted == TargetKind::stick && from == RoleKind::stick;
}

}  // namespace

void Feeder::feed_axis(const std::string& seat, const Use& use, Index group, TargetKind wanted) {
  const auto kind = kind_of(use);
  if (!kind) return;
  if (can_move(use, *kind, wanted)) return add_lane(seat, use, group, wanted);
  if (stick_direction(use.role)) return wrong_source(use, plan::sources_of(wanted));
  if ((wanted == TargetKind::turns && *kind == RoleKind::turns) ||
      (wanted == TargetKind::movement && *kind == RoleKind::movement))
    return add_counts(seat, use, group);
  if (wanted == TargetKind::one_sided && *kind == RoleKind::button)
    return add_digital(seat, use, group, {"", "", "", use.role});
  if (wanted == TargetKind::stick && *kind == RoleKind::dpad)
    return add_digital(seat, use, group, {"dpad-up", "dpad-down", "dpad-left", "dpad-right"});
  if (wanted == TargetKind::two_sided && *kind == RoleKind::dpad)
    return add_digital(seat, use, group, {"", "", "dpad-left", "dpad-right"});
  wrong_source(use, plan::sources_of(wanted));
}

void Feeder::add_counts(const std::string& seat, const Use& use, Index group) {
  AnalogOperation operation;
  operation.kind = AnalogKind::count;
  operation.group = group;
  const stage::Values inverts = stage::values_of(stage::inversion, use);
  operation.invert_x = inverts[0] != 0;
  operation.invert_y = inverts[1] != 0;
  tables_.feed(seat, use.role, tables_.new_operation(operation));
}

void Feeder::add_lane(const std::string& seat, const Use& use, Index group, TargetKind wanted) {
  const auto direction = stick_direction(use.role);
  const std::string& role = direction ? direction->stick : use.role;
  const RoleKind from = role_kind(role).value_or(RoleKind::stick);
  AnalogOperation operation;
  operation.group = group;
  add_shapes(use, from, wanted, operation);
  const Index made = tables_.new_operation(operation);
  if (tables_.too_large()) return;
  if (from == RoleKind::one_sided && wanted == TargetKind::two_sided) tables_.plan().groups[group].adds = true;
  tables_.feed(seat, role, made);
}

void Feeder::add_digital(const std::string& seat, const Use& use, Index group,
                         const std::array<std::string, 4>& roles) {
  const stage::Values ramp = stage::values_of(stage::ramp, use);
  const Index digital = tables_.new_digital(group, stage::ramp.prepare(ramp, RoleKind::button), stage::ramp.acts(ramp));
  for (std::size_t d = 0; d < roles.size(); ++d) {
    if (roles.at(d).empty()) continue;
    const Index signal = tables_.new_signal(1, true);
    if (tables_.too_large()) return;
    tables_.add_effect(signal, EffectKind::digital, digital);
    tables_.plan().digitals[digital].signals.at(d) = signal;
    tables_.raise(seat, roles.at(d), entry(use, signal));
  }
}

// -- pointers -----------------------------------------------------------------------------------------

void Feeder::feed_pointer(const std::string& seat, const Use& use, Index pointer) {
  const auto kind = kind_of(use);
  if (!kind) return;
  AnalogOperation operation;
  operation.group = pointer;
  const auto moved_by = [&](const stage::Kind& stage) {
    const stage::Values values = stage::values_of(stage, use);
    operation.constants = stage.prepare(values, *kind);
    operation.words = stage.words(values);
  };
  if (*kind == RoleKind::pointer) {
    operation.kind = AnalogKind::point;
    operation.blind = tables_.new_signal(1, true);
  } else if ((*kind == RoleKind::stick && !stick_direction(use.role)) || *kind == RoleKind::dpad) {
    const bool glides = stage::values_of(stage::glide, use)[0] > 0;
    operation.kind = glides ? AnalogKind::glide : AnalogKind::spring;
    moved_by(stage::glide);
  } else if (*kind == RoleKind::movement) {
    operation.kind = AnalogKind::drag;
    moved_by(stage::drag);
  } else {
    return wrong_source(use, plan::sources_of(TargetKind::pointer));
  }
  const stage::Values edge = stage::values_of(stage::edge, use);
  if (stage::edge.acts(edge)) operation.words += (operation.words.empty() ? "" : ", ") + stage::edge.words(edge);
  operation.margin = 2 * edge[0];
  operation.beyond = operation.kind == AnalogKind::point ? 0 : 2 * edge[1];
  const bool is_held = operation.kind == AnalogKind::point && stage::values_of(stage::hold_aim, use)[0] > 0;
  if (is_held) operation.steady = tables_.new_signal(1, true);
  add_shapes(use, *kind, TargetKind::pointer, operation);
  if (*kind == RoleKind::dpad)
    for (Index& signal : operation.signals) signal = tables_.new_signal(1, true);
  const Index made = tables_.new_operation(operation);
  if (tables_.too_large()) return;
  if (is_held) add_steady(seat, use, made);
  if (*kind != RoleKind::dpad) tables_.feed(seat, use.role, made);
  for (std::size_t d = 0; *kind == RoleKind::dpad && d < direction_names.size(); ++d) {
    tables_.add_effect(operation.signals.at(d), EffectKind::push, made);
    tables_.raise(seat, fmt::format("{}-{}", use.role, direction_names[d]), entry(use, operation.signals.at(d)));
  }
  if (operation.blind == nothing) return;
  tables_.add_effect(operation.blind, EffectKind::sight, made);
  tables_.raise(seat, std::string{base::off_screen_role}, operation.blind);
}

/// The trigger of the unit itself holds its aim for a while.
void Feeder::add_steady(const std::string& seat, const Use& use, Index operation) {
  const Index steady = tables_.plan().operations[operation].steady;
  tables_.add_effect(steady, EffectKind::steady, operation);
  const Index pull = behind_gate(stage::hold, {stage::values_of(stage::hold_aim, use)[0]}, steady, true);
  if (tables_.too_large()) return;
  tables_.add_effect(pull, EffectKind::aim, operation);
  tables_.raise(seat, "trigger", pull);
}

void Feeder::feed_effect(const std::string& seat, const Use& use, EffectKind effect, Index pointer) {
  const Index signal = tables_.new_signal();
  if (tables_.too_large()) return;
  tables_.add_effect(signal, effect, pointer);
  feed_button(seat, use, signal);
}

/// In frames of the machine: off-screen from 0 to 4, with the trigger pulled from 1 to 3.
void Feeder::feed_reload(const std::string& seat, const Use& use, Index pointer, Index trigger) {
  constexpr int off_for = 4, pull_after = 1, pull_for = 2;
  const auto frame = static_cast<double>(tables_.plan().frame.count());
  const Index press = tables_.new_signal(1, true);
  if (tables_.too_large()) return;
  const Index off = tables_.plan().pointers[pointer].off;
  const Index hides = behind_gate(stage::pulse, {0, off_for * frame}, off, true);
  const Index pulls = behind_gate(stage::pulse, {pull_after * frame, pull_for * frame}, trigger, true);
  if (tables_.too_large()) return;
  for (const Index each : {hides, pulls}) tables_.add_effect(press, EffectKind::raise, each);
  feed_button(seat, use, press);
}

}  // namespace omnipar::inline abi_0::plan
