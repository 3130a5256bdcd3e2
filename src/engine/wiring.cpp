// From attachments to wires: created when a unit is attached or the plan changes, never in the hot path.
#include <algorithm>
#include <atomic>
#include <cstring>
#include <functional>
#include <initializer_list>
#include <iterator>
#include <utility>

#include <fmt/format.h>

#include "attach/measured.hpp"
#include "attach/position.hpp"
#include "base/gun_roles.hpp"
#include "engine/sampler.hpp"
#include "engine/engine_state.hpp"
#include "omnipar/role.hpp"
#include "shape/projection.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0::engine {

namespace {

/// Collects a slot's wires, control by control.
class Wiring {
 public:
  Wiring(const PlanData& plan, const Attachment& attachment, Slot& slot, std::size_t slot_number)
      : plan_(plan), attachment_(attachment), slot_(slot), slot_number_(slot_number) {}

  std::optional<Diagnostic> run() {
    slot_.codes.clear();
    slot_.wires.assign(1, {});
    slot_.buttons.clear();
    slot_.hotkey_buttons.clear();
    slot_.raises.clear();
    slot_.sums.clear();
    slot_.all_sums.clear();
    slot_.gauges.clear();
    slot_.operations.clear();
    slot_.shapes.clear();
    slot_.sticks.clear();
    slot_.bends.clear();
    slot_.aims.clear();
    slot_.pushed.clear();
    slot_.gates.clear();
    slot_.digitals.clear();
    slot_.opposed.clear();
    slot_.rests.clear();
    slot_.crossing_gauges = 0;
    for (const Control& control : attachment_.controls)
      if (!add(control))
        return Diagnostic{"too-many-controls", Severity::error, "the unit has too many controls", attachment_.unit,
                          fmt::format("the limit is {} buttons and {} axes", max_buttons, max_axes)};
    slot_.words = (slot_.buttons.size() + 63) / 64;
    find_alike();
    find_measured();
    find_ways();
    return std::nullopt;
  }

 private:
  const Input* input(std::string_view role) const { return plan_.input(attachment_.seat, role); }

  /// The meaning of a control depends only on its role, so every plan finds held controls.
  bool add(const Control& control) {
    if (control.type == ControlType::hat) return add_hat(control);
    const Input* found = input(control.role);
    if (control.type == ControlType::counts) return add_counts(control, found);
    const auto kind = role_kind(control.role);
    if (control.type != ControlType::button || kind == RoleKind::one_sided) return add_axis(control, found);
    Wire wire;
    wire.kind = WireKind::button;
    const Input* const also = control.off_screen ? input(base::off_screen_role) : nullptr;
    return add_button({also, found}, wire) && keep(control.code, wire);
  }

  /// Codes beyond the capacity are treated as absent.
  bool keep(Code code, const Wire& wire) {
    if (!CodeTable::has_room_for(code)) return true;
    if (slot_.wires.size() > 255) return false;
    slot_.codes.set(code, static_cast<std::uint8_t>(slot_.wires.size()));
    slot_.wires.push_back(wire);
    return true;
  }

  /// A button that has all of these inputs; null: it has none. Inputs of hotkeys come last.
  bool add_button(std::initializer_list<const Input*> inputs, Wire& wire) {
    if (slot_.buttons.size() >= max_buttons) return false;
    wire.button = static_cast<std::uint8_t>(slot_.buttons.size());
    const auto first = slot_.raises.size();
    for (const Input* const input : inputs)
      for (const Index signal : input != nullptr ? input->raises.of(plan_.raises) : std::span<const Index>{})
        slot_.raises.push_back({signal, static_cast<Index>(State::cell_of(plan_.signals[signal], slot_number_))});
    const auto is_hotkeys = [this](Raise raised) { return raised.signal >= plan_.hotkey_signals; };
    std::stable_partition(slot_.raises.begin() + static_cast<std::ptrdiff_t>(first), slot_.raises.end(),
                          std::not_fn(is_hotkeys));
    const Run run{static_cast<Index>(first), static_cast<Index>(slot_.raises.size() - first)};
    Run hotkeys;
    hotkeys.count = static_cast<Index>(std::ranges::count_if(run.of(slot_.raises), is_hotkeys));
    hotkeys.first = static_cast<Index>(slot_.raises.size() - hotkeys.count);
    slot_.buttons.push_back(run);
    slot_.hotkey_buttons.push_back(hotkeys);
    return true;
  }

  bool add_hat(const Control& control) {
    const bool across = control.axis == Axis::x;
    Wire negative;
    Wire positive;
    std::string low = across ? "-left" : "-up", high = across ? "-right" : "-down";
    if (control.reversed) std::swap(low, high);
    if (!add_button({input(control.role + low)}, negative)) return false;
    if (!add_button({input(control.role + high)}, positive)) return false;
    negative.kind = WireKind::hat;
    if (ends_by_opposite(negative) || ends_by_opposite(positive)) slot_.opposed.push_back({true, negative.button});
    return keep(control.code, negative);
  }

  [[nodiscard]] bool ends_by_opposite(const Wire& wire) const {
    const Run run = slot_.buttons[wire.button];
    return std::ranges::any_of(run.of(slot_.raises), [this](Raise raised) { return ends_by_opposite(raised.signal); });
  }

  [[nodiscard]] bool ends_by_opposite(Index signal) const {
    return signal != nothing &&
           std::ranges::any_of(plan_.signals[signal].effects.of(plan_.effects), [this](const Effect& effect) {
             return effect.kind == EffectKind::gate && plan_.gates[effect.index].kind->opposite_ends_it;
           });
  }

  /// Everything between the unit's controls and the targets that belongs to the unit.
  void find_ways() {
    std::vector<Index> ahead;
    for (const Raise raised : slot_.raises) ahead.push_back(raised.signal);
    for (const OwnOperation& own : slot_.operations)
      if (own.kind == AnalogKind::crossing)
        std::ranges::copy_if(plan_.operations[own.operation].signals, std::back_inserter(ahead),
                             [](Index signal) { return signal != nothing; });
    for (std::size_t i = 0; i < ahead.size(); ++i) {
      if (!plan_.signals[ahead[i]].each_unit) continue;
      for (const Effect& effect : plan_.signals[ahead[i]].effects.of(plan_.effects)) {
        if (effect.kind == EffectKind::push) {
          add_once(slot_.pushed, effect.index);
        } else if (effect.kind == EffectKind::raise) {
          ahead.push_back(effect.index);
        } else if (effect.kind == EffectKind::digital) {
          add_once(slot_.digitals, effect.index);
        } else if (effect.kind == EffectKind::gate) {
          add_once(slot_.gates, effect.index);
          ahead.push_back(plan_.gates[effect.index].out);
        }
      }
    }
  }

  static void add_once(std::vector<Index>& list, Index number) {
    if (std::ranges::find(list, number) == list.end()) list.push_back(number);
  }

  bool add_counts(const Control& control, const Input* input) {
    Wire wire;
    wire.kind = WireKind::counts;
    wire.axis = static_cast<Index>(slot_.sums.size());
    Run run{static_cast<Index>(slot_.all_sums.size()), 0};
    const bool is_y = control.axis == Axis::y;
    for (const Index index : input != nullptr ? input->operations.of(plan_.fed) : std::span<const Index>{}) {
      const AnalogOperation& operation = plan_.operations[index];
      if (operation.kind == AnalogKind::drag) {
        slot_.all_sums.push_back({0, 0, index, is_y, control.reversed});
      } else {
        const Group& group = plan_.groups[operation.group];
        const bool is_reversed = control.reversed != (is_y ? operation.invert_y : operation.invert_x);
        slot_.all_sums.push_back({is_y ? group.y : group.x, group.x, nothing, is_y, is_reversed});
      }
      ++run.count;
    }
    slot_.sums.push_back(run);
    return keep(control.code, wire);
  }

  /// Axes are stored even if nothing uses them, so that a later plan knows their positions.
  bool add_axis(const Control& control, const Input* input) {
    if (control.half)
      if (const auto other = std::ranges::find(axis_codes_, control.code); other != axis_codes_.end())
        return add_other_half(control, input, static_cast<std::size_t>(other - axis_codes_.begin()));
    const std::size_t axis = slot_.rests.size();
    if (axis >= max_axes) return false;
    slot_.rests.push_back(control.rest);
    axis_codes_.push_back(control.code);
    Wire wire;
    wire.kind = control.type == ControlType::button ? WireKind::trigger_button
                : grows(control)                    ? WireKind::growing
                                                    : WireKind::axis;
    wire.axis = static_cast<Index>(slot_number_ * max_axes + axis);
    wire.touches = std::uint64_t{1} << axis;
    if (input != nullptr && input->operations.count != 0)
      wire.touches |= std::uint64_t{1} << (gauge_bits + gauge_for(control, *input, wire.axis));
    return keep(control.code, wire);
  }

  /// Two pedals on one axis are each normalised from their own half.
  bool add_other_half(const Control& control, const Input* input, std::size_t axis) {
    if (input == nullptr || input->operations.count == 0 || !CodeTable::has_room_for(control.code)) return true;
    Wire& wire = slot_.wires[slot_.codes.find(control.code)];
    wire.touches |= std::uint64_t{1} << (gauge_bits + gauge_for(control, *input,
                                                                static_cast<Index>(slot_number_ * max_axes + axis)));
    return true;
  }

  [[nodiscard]] bool grows(const Control& control) const {
    return attachment_.ranges_by_use && !control.half && control.type != ControlType::pointer &&
           control.type != ControlType::button && attach::stick_of(attachment_, control.code) == nullptr &&
           attach::axis_of(attachment_, control.code) == nullptr;
  }

  std::size_t gauge_for(const Control& control, const Input& input, Index axis) {
    const std::size_t number = control.axis == Axis::none ? new_gauge(input) : gauge_of(input, control.axis);
    Gauge& gauge = slot_.gauges[number];
    shape::Scale scale = attach::scale_of(control);
    if (control.type == ControlType::one_sided && control.rest == control.maximum)
      scale.width[1] = -scale.width[1];  // it increases towards its minimum
    if (control.axis == Axis::y) {
      gauge.y = axis;
      gauge.y_scale = scale;
      gauge.pair = true;
    } else {
      gauge.x = axis;
      gauge.x_scale = scale;
    }
    (control.axis == Axis::y ? gauge.y_grows : gauge.x_grows) = grows(control);
    gauge.square = gauge.square || control.square;
    gauge.is_button = control.type == ControlType::button;
    gauge.axes |= std::uint32_t{1} << (axis - slot_number_ * max_axes);
    return number;
  }

  [[nodiscard]] Index first_operation(const Gauge& gauge) const {
    return slot_.operations[gauge.operations.first].operation;
  }

  /// The gauge that already has the other half of a stick, or a new one.
  std::size_t gauge_of(const Input& input, Axis axis) {
    const std::uint8_t half = axis == Axis::y ? 2 : 1;
    halves_.resize(slot_.gauges.size());
    for (std::size_t i = 0; i < slot_.gauges.size(); ++i) {
      if (first_operation(slot_.gauges[i]) != plan_.fed[input.operations.first] || (halves_[i] & half) != 0) continue;
      halves_[i] |= half;
      return i;
    }
    halves_.push_back(half);
    return new_gauge(input);
  }

  /// To the plan, two controls of one role are one.
  void find_alike() {
    for (Gauge& gauge : slot_.gauges)
      gauge.alike = std::ranges::count_if(slot_.gauges, [&](const Gauge& other) {
                      return first_operation(other) == first_operation(gauge);
                    }) > 1;
  }

  /// Calibrations take precedence over scales, and the default dead zone follows from the noise.
  void find_measured() {
    for (Gauge& gauge : slot_.gauges) {
      const Code code = code_of(gauge.x);
      if (const StickCalibration* stick = gauge.pair ? attach::stick_of(attachment_, code) : nullptr;
          stick != nullptr && stick->x == code && stick->y == code_of(gauge.y)) {
        if (const auto map = attach::stick_map(attachment_, *stick)) {
          gauge.stick = static_cast<Index>(slot_.sticks.size());
          slot_.sticks.push_back(*map);
        }
      } else if (const AxisCalibration* axis = gauge.pair ? nullptr : attach::axis_of(attachment_, code)) {
        if (const auto map = shape::axis_map(*axis, *std::ranges::find(attachment_.controls, code, &Control::code))) {
          gauge.bend = static_cast<Index>(slot_.bends.size());
          slot_.bends.push_back(*map);
        }
      }
      gauge.square = gauge.square && gauge.pair && gauge.stick == nothing;
      gauge.plain = !gauge.alike && !gauge.x_grows && !gauge.y_grows && gauge.stick == nothing &&
                    gauge.bend == nothing && !gauge.square;
      for (OwnOperation& own : std::span{slot_.operations}.subspan(gauge.operations.first, gauge.operations.count)) {
        fit_dead_zone(own, code);
        if (own.kind == AnalogKind::point && gauge.pair) find_aim(own, gauge);
      }
    }
  }

  [[nodiscard]] Code code_of(Index raw) const { return axis_codes_.at(raw - slot_number_ * max_axes); }

  /// From raw numbers to the screen, by a calibration for the plan's screen or else by the whole range; and from
  /// there to the game.
  void find_aim(OwnOperation& own, const Gauge& gauge) {
    const AimCalibration* aim = attach::aim_of(attachment_, code_of(gauge.x), plan_.screen);
    if (aim == nullptr && !plan_.area) return;
    std::optional<shape::Projection> to_screen;
    if (aim != nullptr)
      to_screen = shape::screen_map(*aim);
    else
      to_screen = shape::by_scales(gauge.x_scale, gauge.y_scale);
    if (!to_screen) return;
    own.aim = static_cast<Index>(slot_.aims.size());
    slot_.aims.push_back(shape::after(shape::to_game(plan_.area.value_or(GameArea{})), *to_screen));
  }

  void fit_dead_zone(OwnOperation& own, Code code) {
    const std::span shapes = plan_.operations[own.operation].shapes.of(plan_.shapes);
    for (std::size_t i = 0; i < shapes.size(); ++i) {
      if (shapes[i].kind != &stage::dead_zone || !shapes[i].by_default) continue;
      stage::Constants& constants = slot_.shapes[own.shapes.first + i].constants;
      const double size = attach::dead_zone_for(attachment_, code, constants.numbers[0]);
      constants = stage::dead_zone.prepare({size, constants.numbers[1]}, RoleKind::stick);
      if (own.path == StickPath::dead_zone) own.dead_zone = constants.dead_zone();
    }
  }

  std::size_t new_gauge(const Input& input) {
    const std::size_t number = slot_.gauges.size();
    Gauge& gauge = slot_.gauges.emplace_back();
    gauge.operations.first = static_cast<std::uint16_t>(slot_.operations.size());
    gauge.operations.count = input.operations.count;
    for (const Index index : input.operations.of(plan_.fed)) {
      const AnalogOperation& operation = plan_.operations[index];
      OwnOperation own;
      own.kind = operation.kind;
      own.operation = index;
      const Group group = operation.kind == AnalogKind::lane ? plan_.groups[operation.group] : Group{};
      own.lane = {operation.group,      static_cast<Index>(operation.lane + slot_number_), group.x, group.y, false,
                  !group.self_centering};
      const std::span shapes = operation.shapes.of(plan_.shapes);
      own.shapes = {static_cast<Index>(slot_.shapes.size()), static_cast<Index>(shapes.size())};
      for (const Shape& shape : shapes)
        slot_.shapes.push_back({shape.kind->move, shape.constants, shape.kind->follow, shape.trail});
      if (is_aim(operation.kind))
        own.path = StickPath::aim;
      else if (operation.kind == AnalogKind::crossing)
        own.path = shapes.empty() ? StickPath::crossing : StickPath::shaped;
      else if (operation.kind == AnalogKind::lane && (shapes.size() != 1 || shapes[0].kind != &stage::dead_zone))
        own.path = StickPath::shaped;
      else if (!shapes.empty())
        own.dead_zone = shapes[0].constants.dead_zone();
      slot_.operations.push_back(own);
      if (operation.kind != AnalogKind::crossing) continue;
      slot_.crossing_gauges |= std::uint64_t{1} << number;
      if (std::ranges::any_of(operation.signals, [this](Index signal) { return ends_by_opposite(signal); }))
        slot_.opposed.push_back({false, index});
    }
    return number;
  }

  const PlanData& plan_;
  const Attachment& attachment_;
  Slot& slot_;
  std::size_t slot_number_;
  std::vector<Code> axis_codes_;      ///< by axis
  std::vector<std::uint8_t> halves_;  ///< by gauge: which halves of a stick it has, 1 for x, 2 for y
};

}  // namespace

State::State(Plan new_plan) : plan(std::move(new_plan)) {
  static std::atomic<std::uint64_t> last_key{0};
  key = ++last_key;
  set_plan(plan);
  for (std::size_t i = 0; i < max_units; ++i) slots.at(i).id = max_units + i;
}

void State::set_plan(Plan new_plan) {
  plan = std::move(new_plan);
  plan_data = &plan::body_of(plan);
  settles_reports = !plan_data->opposites.empty() || !plan_data->pointers.empty();
  const StateLayout layout = layout_of(*plan_data);
  block.assign(layout.size, std::byte{0});
  const auto view = [this](auto*& pointer, std::size_t at) {
    pointer = reinterpret_cast<std::remove_reference_t<decltype(pointer)>>(block.data() + at);
  };
  view(head, 0);
  *head = StateHead{};
  view(level, layout.level);
  view(total, layout.total);
  view(presses, layout.presses);
  view(pressed_at, layout.pressed_at);
  view(raised_by, layout.raised_by);
  view(lanes, layout.lanes);
  view(live, layout.live);
  view(raw, layout.raw);
  view(known, layout.known);
  view(held_over, layout.held_over);
  view(down, layout.down);
  view(raising, layout.raising);
  view(hotkey_held, layout.hotkey_held);
  view(opposites, layout.opposites);
  view(over, layout.over);
  view(over_raising, layout.over_raising);
  view(deadline, layout.deadline);
  std::fill_n(deadline, plan_data->gate_at.size(), never);
  view(out_held, layout.out_held);
  view(heap, layout.heap);
  view(heap_at, layout.heap_at);
  view(position, layout.position);
  view(moving, layout.moving);
  view(moving_words, layout.moving_words);
  view(pointers, layout.pointers);
  view(aims, layout.aims);
  view(trails, layout.trails);
  view(reaches, layout.reaches);
  for (const Pointer& pointer : plan_data->pointers) level[pointer.x] = level[pointer.y] = 0.5;  // the centre
  view(journal, layout.journal);
}

std::optional<Diagnostic> State::wire(std::size_t unit, const Attachment& attachment) {
  return Wiring{*plan_data, attachment, slots[unit], unit}.run();
}

/// Finds lanes that are alone in their group, which are not counted, and recounts active ones. Called when a unit is
/// attached or detached.
void State::find_lone_lanes() noexcept {
  std::array<std::uint16_t, max_targets> feeders{};
  const auto for_all_lanes = [this](auto&& act) {
    for (Slot& slot : slots)
      for (OwnOperation& own : slot.operations)
        if (slot.used && own.kind == AnalogKind::lane) act(own.lane);
  };
  for (const DigitalOperation& digital : plan_data->digitals) ++feeders[digital.group];
  for_all_lanes([&](const Lane& lane) { ++feeders[lane.group]; });
  for_all_lanes(
      [&](Lane& lane) { lane.alone = feeders[lane.group] == 1 && plan_data->groups[lane.group].self_centering; });
  for (std::size_t g = 0; g < plan_data->groups.size(); ++g) {
    const Group& group = plan_data->groups[g];
    const std::span all{lanes + group.lanes.first, group.lanes.count};
    live[g] =
        static_cast<std::uint16_t>(std::ranges::count_if(all, [](const shape::Point& p) { return !p.at_rest(); }));
  }
}

/// A full push is a fraction of each axis's declared range until the range is learned.
void State::begin_reaches(std::size_t unit) noexcept {
  constexpr double part = 0.7;
  const Slot& slot = slots[unit];
  for (const Control& control : slot.attachment.controls) {
    const Wire& wire = slot.wires[slot.codes.find(control.code)];
    if (wire.kind != WireKind::growing) continue;
    const auto way = [](std::int32_t from, std::int32_t to) {
      return static_cast<std::int32_t>(part * (static_cast<double>(to) - from));
    };
    reaches[wire.axis] = {way(control.rest, control.maximum), way(control.minimum, control.rest), control.rest, 0};
  }
}

/// Records what is already down or pushed, without any effect. An axis that has never reported is at rest.
void State::note_state(std::size_t unit, std::span<const Change> changes) noexcept {
  const std::uint32_t frozen = std::exchange(head->frozen, only_noted);
  std::ranges::copy(slots[unit].rests, raw + unit * max_axes);
  begin_reaches(unit);
  apply_state(unit, changes);
  head->frozen = frozen;
}

// -- a new plan ----------------------------------------------------------------------------------------

namespace {

/// For each target of the new plan its index in the old one: the same port, name and kind; else `nothing`.
std::vector<Index> origins_of(const Plan& before, const Plan& after) {
  std::vector<Index> origins(after.targets().size(), nothing);
  for (const PortInfo& port : after.ports()) {
    const PortInfo* old = before.port(port.number);
    if (old == nullptr) continue;
    for (Index t = 0; t < port.target_count; ++t) {
      const std::size_t target = std::size_t{port.first_target} + t;
      const TargetInfo& info = after.targets()[target];
      const auto same = before.target(port.number, info.name);
      if (!same) continue;
      const std::size_t source = std::size_t{old->first_target} + same->value;
      if (before.targets()[source].kind == info.kind && before.targets()[source].self_centering == info.self_centering)
        origins[target] = static_cast<Index>(source);
    }
  }
  return origins;
}

}  // namespace

/// Held controls, positions that are not self-centering, and unshown presses survive a change of plan.
void State::adopt(Plan new_plan) {
  const std::uint32_t frozen =
      std::exchange(head->frozen, only_noted);  // a pointer at rest must not be brought back on screen
  rest(everybody);
  rest_hotkeys();
  head->frozen = frozen;
  const std::vector<std::byte> old_block = block;
  const Plan old_plan = plan;
  const StateLayout old = layout_of(*plan_data);
  const std::vector<Index> origins = origins_of(old_plan, new_plan);
  set_plan(std::move(new_plan));
  const auto kept = [&]<typename T>(T* into, std::size_t at, std::size_t count) {
    std::memcpy(into, old_block.data() + at, count * sizeof(T));
  };
  kept(head, 0, 1);
  kept(raw, old.raw, max_units * max_axes);
  kept(known, old.known, max_units);
  kept(reaches, old.reaches, max_units * max_axes);
  kept(down, old.down, max_units * button_words);
  const auto carry = [&]<typename T>(T* into, std::size_t at, std::size_t target) {
    if (origins[target] != nothing)
      std::memcpy(into + target, old_block.data() + at + origins[target] * sizeof(T), sizeof(T));
  };
  for (std::size_t t = 0; t < origins.size(); ++t) {
    carry(total, old.total, t);
    carry(presses, old.presses, t);
    carry(pressed_at, old.pressed_at, t);
    if (!plan_data->targets[t].self_centering) carry(level, old.level, t);
  }
  for (Sampler* sampler : samplers) sampler->carry(origins);
  ++wirings;
}

}  // namespace omnipar::inline abi_0::engine

namespace omnipar::inline abi_0 {

using engine::Slot, engine::State;

namespace {

/// Descriptions that no unit can have, and no sheet allows.
std::optional<Diagnostic> mistake_in(const Plan& plan, const Attachment& attachment) {
  const auto problem = [&](const char* id, std::string message, const char* hint) {
    return Diagnostic{id, Severity::error, std::move(message), attachment.unit, hint};
  };
  if (!attachment.seat.empty() && std::ranges::find(plan.seats(), attachment.seat) == plan.seats().end())
    return problem("unknown-seat", fmt::format("no port is played from seat '{}'", attachment.seat),
                   "Plan::seats lists them");
  for (const Control& control : attachment.controls) {
    if (!control.role.empty() && !role_kind(control.role) && !stick_direction(control.role))
      return problem("unknown-role", fmt::format("unknown role '{}'", control.role), "omnipar check lists roles");
    const bool is_axis = control.type == ControlType::one_sided || control.type == ControlType::two_sided ||
                         control.type == ControlType::pointer;
    if (is_axis && control.minimum >= control.maximum)
      return problem("bad-range",
                     fmt::format("invalid range of '{}': {} to {}", control.role, control.minimum, control.maximum),
                     "the minimum must be less than the maximum; use 'reversed' for a reversed axis");
  }
  return std::nullopt;
}

}  // namespace

tl::expected<UnitId, Diagnostic> Engine::attach(const Attachment& attachment) {
  State& state = *state_;
  if (auto mistake = mistake_in(state.plan, attachment)) return tl::unexpected(std::move(*mistake));
  const auto at = std::ranges::find_if(state.slots, [](const Slot& slot) { return !slot.used; });
  if (at == state.slots.end())
    return tl::unexpected(Diagnostic{"too-many-units", Severity::error, "too many units", attachment.unit,
                                     fmt::format("the limit is {} units at a time", max_units)});
  const auto number = static_cast<std::size_t>(at - state.slots.begin());
  if (auto failure = state.wire(number, attachment)) return tl::unexpected(std::move(*failure));
  at->attachment = attachment;
  at->used = true;
  ++state.wirings;
  state.find_lone_lanes();
  state.note_state(number, attachment.state);
  state.note_crossings(number);
  state.start(number);
  if (attachment.by_press) state.mark_pressed(number);
  return UnitId{at->id};
}

std::vector<UnitId> Engine::adopt(Plan plan) {
  State& state = *state_;
  state.adopt(std::move(plan));
  std::vector<UnitId> idle;
  for (std::size_t n = 0; n < max_units; ++n) {
    Slot& slot = state.slots[n];
    if (!slot.used) continue;
    // A unit's controls are wired regardless of the plan, so that attaching either always succeeds or never does.
    const auto failure = state.wire(n, slot.attachment);
    if (!slot.has_use()) idle.push_back({slot.id});
  }
  state.find_lone_lanes();
  for (std::size_t n = 0; n < max_units; ++n)
    if (state.slots[n].used) state.note_crossings(n);
  for (std::size_t n = 0; n < max_units; ++n)
    if (state.slots[n].used) state.start(n);
  return idle;
}

}  // namespace omnipar::inline abi_0
