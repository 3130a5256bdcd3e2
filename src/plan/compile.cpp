// From a profile and its sheets to a plan. One pass over the ports, one over the hotkeys; every
// mistake is noted and the pass goes on, so that all of them come back at once.
#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "catalogue/lookup.hpp"
#include "omnipar/role.hpp"
#include "plan/plan_data.hpp"
#include "plan/resolve.hpp"
#include "stage/table.hpp"

namespace omnipar {
namespace {

constexpr std::size_t max_operations = 1024;
constexpr std::size_t max_shapes = 4096;

class Compiler {
 public:
  Compiler(const Catalogue& catalogue, const Profile& profile) : catalogue_(catalogue), profile_(profile) {}

  tl::expected<Plan, Diagnostics> run() {
    auto system = find_system(catalogue_, profile_.system);
    if (!system) {
      system.error().place = profile_.place;
      return tl::unexpected(Diagnostics{std::move(system.error())});
    }
    system_ = *system;
    plan_->name = profile_.name;
    plan_->system = system_->name;
    const std::int64_t frames = std::max(1, system_->frames_per_1000_seconds);
    plan_->frame = Duration{(1'000'000'000 + frames / 2) / frames};
    for (const PortProfile& port : profile_.ports) add_port(port);
    add_hotkeys();
    check_size();
    if (!errors_.empty()) return tl::unexpected(std::move(errors_));
    place_units(*plan_);
    for (const PortInfo& port : plan_->ports)
      plan_->layouts.push_back(layout_number(std::span{plan_->targets}.subspan(port.first_target, port.target_count)));
    plan_->state_size = layout_of(*plan_).size;
    plan_->listing = listing_of(*plan_);
    return Plan{plan_};
  }

 private:
  using Uses = std::vector<Use>;

  // -- errors ------------------------------------------------------------------------------------
  void error(std::string id, std::string message, std::string hint) {
    errors_.push_back({std::move(id), Severity::error, std::move(message), place_, std::move(hint)});
  }

  /// Errors from here on stand at this place of a file, or, in a profile without a file, are named so.
  void stand_at(const std::string& place, const std::string& otherwise) { place_ = place.empty() ? otherwise : place; }

  // -- growing the tables ------------------------------------------------------------------------
  std::string_view keep(std::string text) { return plan_->texts.emplace_back(std::move(text)); }

  template <typename T>
  Index append(std::vector<T>& table, T value, std::size_t limit) {
    if (table.size() >= limit) {
      too_large_ = true;
      return 0;
    }
    table.push_back(std::move(value));
    return static_cast<Index>(table.size() - 1);
  }

  Index new_signal(Index need = 1, bool each_unit = false) {
    Signal signal;
    signal.need = need;
    signal.each_unit = each_unit;
    return append(plan_->signals, std::move(signal), max_signals);
  }

  Index new_target(const TargetSheet& sheet, std::string name, TargetKind kind) {
    const TargetInfo info{keep(std::move(name)), keep(sheet.place), kind, sheet.native, sheet.self_centering};
    const Index target = append(plan_->targets, info, max_targets);
    if (too_large_) return target;
    plan_->group_of_target.push_back(nothing);
    plan_->signal_of_target.push_back(nothing);
    plan_->opposite_of_target.push_back(nothing);
    if (kind == TargetKind::button) {
      const Index signal = new_signal();
      plan_->signals[signal].target = target;
      plan_->signal_of_target[target] = signal;
    }
    return target;
  }

  Input& input(const std::string& seat, const std::string& role) {
    for (Input& known : plan_->inputs)
      if (known.seat == seat && known.role == role) return known;
    plan_->inputs.push_back({seat, role, {}, {}});
    return plan_->inputs.back();
  }

  void raise(const std::string& seat, const std::string& role, Index signal) {
    input(seat, role).raises.push_back(signal);
  }

  /// The signal that a source must raise for `use` to reach `signal`: through its gates, each unit's own.
  Index entry(const Use& use, Index signal) {
    const auto kinds = stage::table();
    for (auto kind = kinds.rbegin(); kind != kinds.rend(); ++kind)
      if ((*kind)->step != nullptr) signal = behind_gate(**kind, stage::values_of(**kind, use), signal, true);
    return signal;
  }

  Index behind_gate(const stage::Kind& kind, const stage::Values& values, Index out, bool each_unit) {
    if (!kind.acts(values)) return out;
    const Index in = new_signal(1, each_unit);
    const Gate gate{&kind, kind.prepare(values, RoleKind::button), in, out, 0, kind.words(values)};
    const Index made = append(plan_->gates, gate, max_signals);
    if (!too_large_) plan_->signals[in].effects.push_back({EffectKind::gate, made});
    return in;
  }

  /// The shapes of a use, in their order. Before a threshold there are only those that it has written.
  void add_shapes(const Use& use, RoleKind role, AnalogOperation& operation) {
    operation.first_shape = static_cast<Index>(plan_->shapes.size());
    for (const stage::Kind* kind : stage::table()) {
      const stage::Values values = stage::values_of(*kind, use);
      if (kind->move == nullptr || !kind->acts(values)) continue;
      if (operation.kind == AnalogKind::crossing && kind->unless_written && !stage::is_written(*kind, use)) continue;
      append(plan_->shapes, Shape{kind, kind->prepare(values, role), kind->words(values)}, max_shapes);
      ++operation.shape_count;
    }
  }

  // -- uses ---------------------------------------------------------------------------------------
  bool check(const Use& use) {
    if (!use.place.empty()) place_ = use.place;
    const auto wrong = stage::wrong(use);
    if (!wrong) return true;
    if (wrong->unknown)
      error("unknown-field", fmt::format("a use has no field '{}'", wrong->field),
            suggestion(wrong->field, stage::field_names()));
    else
      error("bad-number", fmt::format("'{}' of '{}' is out of range", wrong->field, use.role),
            fmt::format("it may be {}", wrong->range));
    return false;
  }

  std::optional<RoleKind> kind_of(const Use& use) {
    const auto kind = role_kind(use.role);
    if (!kind) {
      error("unknown-role", fmt::format("there is no role '{}'", use.role), suggestion(use.role, role_names()));
    }
    return kind;
  }

  void wrong_source(const Use& use, std::string_view wanted) {
    error("wrong-source", fmt::format("'{}' cannot be a source of this target", use.role),
          fmt::format("it takes {}", wanted));
  }

  void add_crossing(const std::string& seat, const std::string& role, const Use& use,
                    const std::array<Index, 4>& signals) {
    const RoleKind kind = role_kind(role).value_or(RoleKind::stick);
    const stage::Constants threshold = stage::threshold.prepare(stage::values_of(stage::threshold, use), kind);
    AnalogOperation operation;
    operation.kind = AnalogKind::crossing;
    operation.crossing = plan_->crossings;
    operation.threshold = threshold.numbers[0];
    operation.release = threshold.numbers[1];
    operation.signals = signals;
    add_shapes(use, kind, operation);
    const Index index = append(plan_->operations, operation, max_operations);
    if (too_large_) return;
    ++plan_->crossings;
    input(seat, role).operations.push_back(index);
  }

  void feed_button(const std::string& seat, const Use& use, Index signal) {
    if (!check(use)) return;
    if (const auto direction = stick_direction(use.role)) {
      std::array<Index, 4> signals{nothing, nothing, nothing, nothing};
      signals.at(direction->direction) = entry(use, signal);
      add_crossing(seat, direction->stick, use, signals);
      return;
    }
    const auto kind = kind_of(use);
    if (!kind) return;
    if (*kind == RoleKind::button)
      raise(seat, use.role, entry(use, signal));
    else if (*kind == RoleKind::one_sided)
      add_crossing(seat, use.role, use, {nothing, nothing, nothing, entry(use, signal)});
    else
      wrong_source(use, "a button, a trigger, or one direction of a stick ('left-stick-up')");
  }

  void feed_directions(const std::string& seat, const Use& use, const std::array<Index, 4>& targets) {
    if (!check(use)) return;
    const auto kind = kind_of(use);
    if (!kind) return;
    std::array<Index, 4> signals{nothing, nothing, nothing, nothing};
    if (*kind != RoleKind::dpad && *kind != RoleKind::stick) return wrong_source(use, "a d-pad or a stick");
    for (std::size_t d = 0; d < signals.size(); ++d)
      if (targets[d] != nothing) signals[d] = entry(use, targets[d]);
    if (*kind == RoleKind::stick) return add_crossing(seat, use.role, use, signals);
    for (std::size_t d = 0; d < signals.size(); ++d)
      if (signals[d] != nothing) raise(seat, fmt::format("{}-{}", use.role, direction_names[d]), signals[d]);
  }

  void feed_axis(const std::string& seat, const Use& use, Index group, TargetKind wanted) {
    if (!check(use)) return;
    const auto kind = kind_of(use);
    if (!kind) return;
    if ((wanted == TargetKind::stick && *kind == RoleKind::stick) ||
        (wanted == TargetKind::one_sided && *kind == RoleKind::one_sided) ||
        (wanted == TargetKind::two_sided && *kind == RoleKind::two_sided))
      return add_lane(seat, use, group);
    if ((wanted == TargetKind::turns && *kind == RoleKind::turns) ||
        (wanted == TargetKind::movement && *kind == RoleKind::movement))
      return add_count(seat, use, group);
    if (wanted == TargetKind::one_sided && *kind == RoleKind::button)
      return add_digital(seat, use, group, {"", "", "", use.role});
    if (wanted == TargetKind::stick && *kind == RoleKind::dpad)
      return add_digital(seat, use, group, {"dpad-up", "dpad-down", "dpad-left", "dpad-right"});
    if (wanted == TargetKind::two_sided && *kind == RoleKind::dpad)
      return add_digital(seat, use, group, {"", "", "dpad-left", "dpad-right"});
    wrong_source(use, sources_of(wanted));
  }

  void add_count(const std::string& seat, const Use& use, Index group) {
    AnalogOperation operation;
    operation.kind = AnalogKind::count;
    operation.group = group;
    const Index index = append(plan_->operations, operation, max_operations);
    if (!too_large_) input(seat, use.role).operations.push_back(index);
  }

  void add_lane(const std::string& seat, const Use& use, Index group) {
    AnalogOperation operation;
    operation.group = group;
    operation.lane = take_lanes(group, max_units);
    add_shapes(use, role_kind(use.role).value_or(RoleKind::stick), operation);
    const Index index = append(plan_->operations, operation, max_operations);
    if (!too_large_) input(seat, use.role).operations.push_back(index);
  }

  void add_digital(const std::string& seat, const Use& use, Index group, const std::array<std::string, 4>& roles) {
    DigitalOperation operation;
    operation.group = group;
    operation.lane = take_lanes(group, max_units);
    operation.ramp = stage::ramp.prepare(stage::values_of(stage::ramp, use), RoleKind::button).time;
    const Index digital = append(plan_->digitals, operation, max_operations);
    if (too_large_) return;
    for (std::size_t d = 0; d < roles.size(); ++d) {
      if (roles.at(d).empty()) continue;
      const Index signal = new_signal(1, true);
      if (too_large_) return;
      plan_->signals[signal].effects.push_back({EffectKind::digital, digital});
      plan_->digitals[digital].signals.at(d) = signal;
      raise(seat, roles.at(d), entry(use, signal));
    }
  }

  /// Lanes of one group lie together, for a group's uses are added one after the other.
  Index take_lanes(Index group, std::size_t count) {
    const Index first = plan_->lanes;
    if (plan_->lanes + count > max_operations * max_units) {
      too_large_ = true;
      return 0;
    }
    plan_->lanes = static_cast<Index>(plan_->lanes + count);
    Group& owner = plan_->groups[group];
    if (owner.lane_count == 0) owner.first_lane = first;
    owner.lane_count = static_cast<Index>(owner.lane_count + count);
    return first;
  }

  // -- ports ----------------------------------------------------------------------------------------
  const ControllerSheet* controller_of(const PortProfile& port) {
    const PortSheet* sheet = system_->port(port.port);
    if (sheet == nullptr) {
      std::vector<std::string> numbers;
      for (const PortSheet& known : system_->ports) numbers.push_back(std::to_string(known.number));
      error("unknown-port", fmt::format("'{}' has no port {}", system_->name, port.port),
            "it has: " + listed({numbers.begin(), numbers.end()}));
      return nullptr;
    }
    const std::string name = port.controller.empty() && !sheet->takes.empty() ? sheet->takes.front() : port.controller;
    const bool taken = std::ranges::find(sheet->takes, name) != sheet->takes.end();
    const ControllerSheet* found = taken ? system_->controller(name) : nullptr;
    if (found == nullptr)
      error("unknown-controller", fmt::format("port {} does not take a controller '{}'", port.port, name),
            suggestion(name, {sheet->takes.begin(), sheet->takes.end()}));
    return found;
  }

  void check_not_ours(const PortProfile& port) {
    if (system_->port(port.port) == nullptr) controller_of(port);  // says that there is no such port
    if (!port.seat.empty() || !port.second_seat.empty() || !port.bind.empty() || port.like || !port.controller.empty())
      error("not-ours", "a port that is not ours has neither seat nor controller nor bindings",
            "leave them out, or leave out 'not-ours'");
  }

  void check_second_seat(const PortProfile& port, const ControllerSheet& sheet) {
    if (port.second_seat.empty()) return;
    if (!sheet.is_for_two())
      error("no-second-player", fmt::format("'{}' is for one player, so there is no second seat", sheet.name),
            "leave 'second-seat' out");
    else if (port.second_seat == port.seat)
      error("no-second-player", "both players of this plug have one seat", "name another seat for one of them");
  }

  void check_accessories(const PortProfile& port, const ControllerSheet& sheet) {
    std::vector<std::string_view> names;
    for (const AccessorySheet& accessory : sheet.accessories) names.emplace_back(accessory.name);
    for (const std::string& name : port.accessories)
      if (std::ranges::find(names, name) == names.end())
        error("unknown-accessory", fmt::format("'{}' takes no accessory '{}'", sheet.name, name),
              names.empty() ? "it takes none" : suggestion(name, names));
  }

  void check_like(const PortProfile& port) {
    if (port.like && liked_port(profile_, port) == nullptr)
      error("unknown-like", fmt::format("'like' names port {}, which has no bindings of its own", *port.like),
            "name a port of this profile that is not itself like another");
  }

  void add_port(const PortProfile& port) {
    stand_at(port.place, fmt::format("port {}", port.port));
    if (std::ranges::find(plan_->ports, port.port, &PortInfo::number) != plan_->ports.end())
      return error("port-twice", "this port is filled twice", "leave one out");
    if (port.not_ours) return check_not_ours(port);
    if (port.seat.empty()) return error("no-seat", "no seat plays this port", "name a seat, such as 'seat-1'");
    const ControllerSheet* plain = controller_of(port);
    if (plain == nullptr) return;
    check_accessories(port, *plain);
    const ControllerSheet sheet = equipped(*plain, port);
    for (const std::string& seat : {port.seat, port.second_seat})
      if (!seat.empty() && std::ranges::find(plan_->seats, seat) == plan_->seats.end()) plan_->seats.push_back(seat);
    PortInfo info{port.port,
                  keep(port.seat),
                  keep(sheet.name),
                  static_cast<Index>(plan_->targets.size()),
                  0,
                  keep(port.second_seat),
                  keep(system_->port(port.port)->splitter)};
    check_like(port);
    check_second_seat(port, sheet);
    const std::vector<Binding> bind = merged_bindings(profile_, port);
    check_targets(sheet, bind);
    if (sheet.directions) add_directions(port, sheet, bind);
    for (const TargetSheet& target : sheet.targets) add_target(port, target, bind);
    info.target_count = static_cast<Index>(plan_->targets.size() - info.first_target);
    plan_->ports.push_back(info);
  }

  void check_targets(const ControllerSheet& sheet, const std::vector<Binding>& bind) {
    std::vector<std::string_view> names;
    if (sheet.directions) {
      names.push_back(directions_group);
      names.insert(names.end(), direction_names.begin(), direction_names.end());
    }
    for (const TargetSheet& target : sheet.targets) names.emplace_back(target.name);
    std::set<std::string_view> bound;
    for (const Binding& binding : bind) {
      const std::string& name = binding.target;
      stand_at(binding.place, place_);
      if (std::ranges::find(names, name) == names.end())
        error("unknown-target", fmt::format("'{}' has no target '{}'", sheet.name, name), suggestion(name, names));
      if (!bound.insert(name).second)
        error("target-twice", fmt::format("'{}' is bound twice", name), "write one binding with several sources");
    }
  }

  void add_directions(const PortProfile& port, const ControllerSheet& sheet, const std::vector<Binding>& bind) {
    std::array<Index, 4> targets{};
    for (std::size_t d = 0; d < direction_names.size(); ++d) {
      TargetSheet target;
      target.place = fmt::format("dpad-{}", direction_names[d]);
      target.native = {0, 1, 0};
      const Index made = new_target(target, std::string{direction_names[d]}, TargetKind::button);
      if (too_large_) return;
      plan_->opposite_of_target[made] = static_cast<Index>(d % 2 == 0 ? made + 1 : made - 1);
      targets.at(d) = plan_->signal_of_target[made];
    }
    std::array<Index, 4> from_group = behind_opposites(port.opposites, targets);
    if (too_large_) return;
    for (std::size_t d = 0; d < direction_names.size(); ++d) {
      if (const Binding* own = binding_for(bind, direction_names[d])) {
        stand_at(own->place, fmt::format("port {}, {}", port.port, direction_names[d]));
        for (const Use& use : own->uses) feed_button(port.seat, use, from_group.at(d));
        from_group.at(d) = nothing;
      }
    }
    const Binding* group = binding_for(bind, directions_group);
    stand_at(group != nullptr ? group->place : "", fmt::format("port {}, {}", port.port, directions_group));
    for (const Use& use : group != nullptr ? group->uses : plain_uses(sheet.default_directions))
      feed_directions(port.seat, use, from_group);
  }

  /// The signals that sources raise to reach the four directions.
  std::array<Index, 4> behind_opposites(Opposites opposites, const std::array<Index, 4>& targets) {
    if (opposites == Opposites::both) return targets;
    OpposedDirections made{{}, targets, opposites == Opposites::last};
    const auto number = static_cast<Index>(plan_->opposites.size());
    for (Index& signal : made.in) {
      signal = new_signal();
      if (too_large_) return targets;
      plan_->signals[signal].effects.push_back({EffectKind::opposites, number});
    }
    plan_->opposites.push_back(made);
    return made.in;
  }

  void add_target(const PortProfile& port, const TargetSheet& sheet, const std::vector<Binding>& bind) {
    const Binding* own = binding_for(bind, sheet.name);
    stand_at(own != nullptr ? own->place : "", fmt::format("port {}, {}", port.port, sheet.name));
    // A second player who is not there presses nothing.
    const std::string& seat = seat_of(port, sheet);
    Uses uses = own != nullptr ? own->uses : plain_uses(sheet.defaults);
    if (seat.empty()) uses.clear();
    if (sheet.kind == TargetKind::button) {
      const Index target = new_target(sheet, sheet.name, TargetKind::button);
      if (too_large_) return;
      for (const Use& use : uses) feed_button(seat, use, plan_->signal_of_target[target]);
      return;
    }
    const Index group = new_group(sheet);
    if (too_large_) return;
    for (const Use& use : uses) feed_axis(seat, use, group, sheet.kind);
  }

  Index new_group(const TargetSheet& sheet) {
    Group group;
    group.self_centering = sheet.self_centering;
    if (sheet.kind == TargetKind::stick || sheet.kind == TargetKind::movement) {
      const TargetKind half = sheet.kind == TargetKind::stick ? TargetKind::two_sided : TargetKind::turns;
      group.x = new_target(sheet, sheet.name + "-x", half);
      group.y = new_target(sheet, sheet.name + "-y", half);
    } else {
      group.x = new_target(sheet, sheet.name, sheet.kind);
    }
    const Index made = append(plan_->groups, group, max_targets);
    if (too_large_) return made;
    plan_->group_of_target[group.x] = made;
    if (group.y != nothing) plan_->group_of_target[group.y] = made;
    return made;
  }

  // -- hotkeys -----------------------------------------------------------------------------------
  void add_hotkeys() {
    PortInfo room{0, "", "", static_cast<Index>(plan_->targets.size()), 0};
    std::vector<std::pair<std::string, Index>> actions;
    for (const Hotkey& hotkey : profile_.hotkeys) {
      stand_at(hotkey.place, fmt::format("hotkey of '{}'", hotkey.action));
      if (hotkey.modifier == hotkey.press || role_kind(hotkey.modifier) != RoleKind::button ||
          role_kind(hotkey.press) != RoleKind::button) {
        error("bad-chord", fmt::format("'{}' and '{}' are not two buttons", hotkey.modifier, hotkey.press),
              "name two different buttons, such as 'start' and 'select'");
        continue;
      }
      if (hotkey.after.count() < 0 || hotkey.after > std::chrono::minutes{1}) {
        error("bad-number", "the time that both are held is out of range", "it may be 0 to 60 seconds");
        continue;
      }
      add_chord(hotkey, action_signal(actions, hotkey.action));
    }
    room.target_count = static_cast<Index>(plan_->targets.size() - room.first_target);
    if (room.target_count > 0) plan_->ports.push_back(room);
  }

  Index action_signal(std::vector<std::pair<std::string, Index>>& actions, const std::string& name) {
    for (const auto& [known, signal] : actions)
      if (known == name) return signal;
    TargetSheet sheet;
    sheet.native = {0, 1, 0};
    const Index target = new_target(sheet, name, TargetKind::button);
    if (too_large_) return 0;
    actions.emplace_back(name, plan_->signal_of_target[target]);
    return actions.back().second;
  }

  void add_chord(const Hotkey& hotkey, Index action) {
    for (const std::string& seat : plan_->seats) {
      const Index chord = new_signal(2);
      if (too_large_) return;
      const stage::Values after{static_cast<double>(hotkey.after.count())};
      const Index then = behind_gate(stage::long_press, after, action, false);
      plan_->signals[chord].effects.push_back({EffectKind::raise, then});
      for (const std::string& role : {hotkey.modifier, hotkey.press}) {
        const Index half = new_signal();
        if (too_large_) return;
        plan_->signals[half].effects.push_back({EffectKind::raise, chord});
        raise(seat, role, half);
      }
    }
  }

  void check_size() {
    if (!too_large_) return;
    place_ = profile_.name;
    error("plan-too-large", "the profile has more targets or sources than a plan may hold",
          fmt::format("at most {} targets and {} signals", max_targets, max_signals));
  }

  const Catalogue& catalogue_;
  const Profile& profile_;
  const SystemSheet* system_ = nullptr;
  std::shared_ptr<PlanData> plan_ = std::make_shared<PlanData>();
  Diagnostics errors_;
  std::string place_;
  bool too_large_ = false;
};

}  // namespace

tl::expected<Plan, Diagnostics> compile(const Catalogue& catalogue, const Profile& profile) {
  return Compiler{catalogue, profile}.run();
}

}  // namespace omnipar
