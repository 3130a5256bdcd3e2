// The hot path: a report arrives, is decomposed by the unit's wires, and is committed as a whole,
// presses before releases. Nothing here allocates, locks, throws or calls the system.
#include "omnipar/engine.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <utility>

#include "engine/engine_state.hpp"
#include "stage/passing.hpp"

namespace omnipar::inline abi_0::engine {

namespace {

constexpr std::uint64_t bit_of(std::size_t button) noexcept { return std::uint64_t{1} << (button % 64); }

}  // namespace

// -- buttons ------------------------------------------------------------------------------------------

/// A button has gone down. A release earlier in the same report takes effect first.
void State::press(const Slot& slot, std::size_t unit, std::size_t button) noexcept {
  const std::size_t word = unit * button_words + button / 64;
  const std::uint64_t bit = bit_of(button);
  const Run run = slot.buttons[button];
  const std::span raises = run.of(slot.raises);
  down[word] |= bit;
  if (head->hotkey_held != 0) [[unlikely]]
    keep_hotkeys(slot, unit, button / 64, ~bit);
  if (head->frozen != plays) return press_hotkeys(slot, unit, button);
  if ((raising[word] & bit) != 0) let_go_first(raises, unit);
  raising[word] |= bit;
  if (raises.size() == 1) [[likely]]
    raise(raises[0], unit);
  else
    set_signals(raises, unit, true);
}

/// A press that reaches only hotkeys, as during a freeze.
[[gnu::noinline]] void State::press_hotkeys(const Slot& slot, std::size_t unit, std::size_t button) noexcept {
  const Run hotkeys = slot.hotkey_buttons[button];
  if (head->frozen == only_noted || hotkeys.count == 0) return;
  hotkey_held[unit * button_words + button / 64] |= bit_of(button);
  ++head->hotkey_held;
  for (const Raise raised : hotkeys.of(slot.raises)) raise(raised, unit);
}

/// Marks the buttons that are down as pressed for hotkeys.
void State::mark_pressed(std::size_t unit) noexcept {
  for (std::size_t button = 0; button < slots[unit].buttons.size(); ++button)
    if ((down[unit * button_words + button / 64] & bit_of(button)) != 0) press_hotkeys(slots[unit], unit, button);
}

/// Among one word's buttons that raise only hotkeys, releases those that have been released physically.
[[gnu::noinline]] void State::keep_hotkeys(const Slot& slot, std::size_t unit, std::size_t w,
                                           std::uint64_t stay) noexcept {
  std::uint64_t& held = hotkey_held[unit * button_words + w];
  for (std::uint64_t gone = held & ~stay; gone != 0; gone &= gone - 1) {
    const Run hotkeys = slot.hotkey_buttons[w * 64 + static_cast<std::size_t>(std::countr_zero(gone))];
    for (const Raise raised : hotkeys.of(slot.raises)) lower(raised, unit);
    --head->hotkey_held;
  }
  held &= stay;
}

/// Changes all signals of a button at once; opposite directions are resolved afterwards.
[[gnu::noinline]] void State::set_signals(std::span<const Raise> raises, std::size_t unit, bool on) noexcept {
  const bool in_report = std::exchange(settles_later, true);  // these resolve them
  for (const Raise raised : raises) on ? raise(raised, unit) : lower(raised, unit);
  if (!in_report) settle_all_opposites();
}

/// Back and forth within one report: the earlier state takes effect first.
[[gnu::noinline]] void State::let_go_first(std::span<const Raise> raises, std::size_t unit) noexcept {
  const bool in_report = settles_later;
  settle_all_opposites();
  set_signals(raises, unit, false);
  settles_later = in_report;
}

/// Lowers the signals of buttons that are up but still counted.
void State::let_go(const Slot& slot, std::size_t unit) noexcept {
  for (std::size_t w = 0; w < slot.words; ++w) {
    const std::size_t word = unit * button_words + w;
    for (std::uint64_t gone = raising[word] & ~down[word]; gone != 0; gone &= gone - 1) {
      const std::size_t button = w * 64 + static_cast<std::size_t>(std::countr_zero(gone));
      const Run run = slot.buttons[button];
      for (const Raise raised : run.of(slot.raises)) lower(raised, unit);
    }
    raising[word] &= down[word];
    if (head->hotkey_held != 0) [[unlikely]]
      keep_hotkeys(slot, unit, w, down[word]);
  }
  if (!slot.opposed.empty()) end_opposed(slot, unit);
}

// -- axes ---------------------------------------------------------------------------------------------

/// Turns a position into presses of its directions. A direction that was already passed when it began to count
/// counts from its next crossing.
void State::cross(std::size_t unit, const AnalogOperation& operation, shape::Point point) noexcept {
  const std::size_t cell = operation.crossing * max_units + unit;
  const std::array<double, 4> push{-point.y, point.y, -point.x, point.x};
  std::uint8_t& passed = over[cell];
  for (std::size_t d = 0; d < push.size(); ++d) {
    const auto bit = static_cast<std::uint8_t>(1U << d);
    const bool was = (passed & bit) != 0;
    const bool is = stage::is_passed(operation.constants, was, push.at(d));
    if (is && !was) {
      passed |= bit;
      const Index signal = operation.signals.at(d);
      if (head->frozen != 0 || signal == nothing) continue;
      const Raise raised = raise_of(signal, unit);
      if ((over_raising[cell] & bit) != 0) let_go_first({&raised, 1}, unit);
      over_raising[cell] |= bit;
      raise(raised, unit);
    } else if (was && !is) {
      passed &= static_cast<std::uint8_t>(~bit);
    }
  }
}

[[gnu::always_inline]] inline shape::Point State::point_of(const Gauge& gauge) const noexcept {
  shape::Point point{shape::normalised(gauge.x_scale, raw[gauge.x]), 0};
  if (gauge.pair) point.y = shape::normalised(gauge.y_scale, raw[gauge.y]);
  return point;
}

/// The range extends as far as two consecutive readings: a single one may be a spike.
[[gnu::noinline]] void State::grow(Index axis, std::int32_t rest, std::int32_t value) noexcept {
  plan::LearnedRange& reach = reaches[axis];
  const std::int64_t now = std::int64_t{value} - rest, before = std::int64_t{reach.last} - rest;
  reach.last = value;
  const std::int64_t above = std::min(now, before), below = std::min(-now, -before);
  if (above > reach.above) {
    reach.above = static_cast<std::int32_t>(above);
    reach.grown |= 1;
  }
  if (below > reach.below) {
    reach.below = static_cast<std::int32_t>(below);
    reach.grown |= 2;
  }
}

/// Like `normalised`, for an axis that learns its range; the scale has its direction.
double State::by_reach(Index axis, const shape::Scale& scale, bool grows) const noexcept {
  if (!grows) return shape::normalised(scale, raw[axis]);
  const plan::LearnedRange& reach = reaches[axis];
  shape::Scale now = scale;
  if (std::isfinite(scale.width[0])) now.width[0] = std::copysign(double(reach.above), scale.width[0]);
  if (std::isfinite(scale.width[1])) now.width[1] = std::copysign(double(reach.below), scale.width[1]);
  return shape::normalised(now, raw[axis]);
}

/// The calibrated position.
[[gnu::noinline]] shape::Point State::measured_point(const Slot& slot, const Gauge& gauge) const noexcept {
  if (gauge.stick != nothing) return shape::position(slot.sticks[gauge.stick], raw[gauge.x], raw[gauge.y]);
  if (gauge.x_grows || gauge.y_grows)
    return {by_reach(gauge.x, gauge.x_scale, gauge.x_grows),
            gauge.pair ? by_reach(gauge.y, gauge.y_scale, gauge.y_grows) : 0};
  if (gauge.bend != nothing) return {shape::position(slot.bends[gauge.bend], raw[gauge.x]), 0};
  if (!gauge.square) return point_of(gauge);
  const shape::Point point =
      point_of(gauge);  // as on a round stick: the length of a full push is 1 at the corners, too
  const double stretch = shape::square_stretch(point);
  return {point.x / stretch, point.y / stretch};
}

/// For a trigger with a button and an axis: once the axis has reported, it determines the value.
bool State::is_outspoken(const Slot& slot, const Gauge& gauge) const noexcept {
  if (!gauge.is_button) return false;
  const Index operation = slot.operations[gauge.operations.first].operation;
  return std::ranges::any_of(slot.gauges, [&](const Gauge& other) {
    return !other.is_button && slot.operations[other.operations.first].operation == operation &&
           (known[&slot - slots.data()] & other.axes) != 0;
  });
}

/// Among all the unit's controls of the gauge's role except these axes, the one pushed furthest; on a tie, the first.
[[gnu::noinline]] shape::Point State::furthest_point(const Slot& slot, const Gauge& gauge,
                                                     std::uint32_t without) const noexcept {
  if (!gauge.alike) return (gauge.axes & without) != 0 ? shape::Point{} : measured_point(slot, gauge);
  shape::Point best;
  double best_square = 0;
  for (const Gauge& other : slot.gauges) {
    if (slot.operations[other.operations.first].operation != slot.operations[gauge.operations.first].operation)
      continue;
    if ((other.axes & without) != 0 || is_outspoken(slot, other)) continue;
    const shape::Point point = measured_point(slot, other);
    const double square = point.x * point.x + point.y * point.y;
    if (!shape::is_further(square, best_square)) continue;
    best_square = square;
    best = point;
  }
  return best;
}

/// A position goes through all its stages.
[[gnu::noinline]] void State::measure_shaped(const Slot& slot, const OwnOperation& own, std::size_t unit,
                                             shape::Point point) noexcept {
  arrive(own, unit, through(own.shapes.of(slot.shapes), unit, point));
}

/// It has reached its destination.
void State::arrive(const OwnOperation& own, std::size_t unit, shape::Point point) noexcept {
  if (own.kind == AnalogKind::crossing)
    cross(unit, plan_data->operations[own.operation], point);
  else if (head->frozen == 0)
    is_aim(own.kind) ? aim_at(own, unit, point) : set_lane(own.lane, point);
}

/// Gives a shape with memory its new destination. During a freeze, and while state is read, it arrives at once.
[[gnu::noinline]] shape::Point State::follow(const OwnShape& shape, std::size_t unit, shape::Point point) noexcept {
  stage::Trail& trail = trails[shape.trail * max_units + unit];
  trail.goal = point;
  if (takes_as_is || head->frozen != plays) trail.at = point;
  const shape::Point at = shape.follow(shape.constants, trail, false);
  set_moving(follower(shape.trail, unit), trail.moves != 0);
  return at;
}

[[gnu::always_inline]] inline void State::move(const Slot& slot, const OwnOperation& own, std::size_t unit,
                                               const Gauge& gauge, shape::Point point) noexcept {
  if (own.path >= StickPath::shaped) [[unlikely]]
    own.path == StickPath::aim ? aim(slot, own, unit, gauge, point) : measure_shaped(slot, own, unit, point);
  else if (own.path == StickPath::crossing)
    cross(unit, plan_data->operations[own.operation], point);
  else if (head->frozen == 0)
    set_lane(own.lane, shape::shaped(point, own.dead_zone));
}

[[gnu::always_inline]] inline void State::measure(const Slot& slot, std::size_t unit, const Gauge& gauge) noexcept {
  if (!gauge.plain && held_over[unit] != 0) [[unlikely]]
    return measure_beside_held(slot, unit, gauge);
  const shape::Point point = gauge.plain ? point_of(gauge) : furthest_point(slot, gauge, 0);
  for (const OwnOperation& own : gauge.operations.of(slot.operations)) move(slot, own, unit, gauge, point);
}

/// A trigger button that is held over has passed its crossings without effect, and moves no lever.
[[gnu::noinline]] void State::measure_beside_held(const Slot& slot, std::size_t unit, const Gauge& gauge) noexcept {
  const shape::Point whole = furthest_point(slot, gauge, 0);
  const shape::Point counted = furthest_point(slot, gauge, held_over[unit]);
  for (const OwnOperation& own : gauge.operations.of(slot.operations))
    move(slot, own, unit, gauge, own.kind == AnalogKind::crossing ? whole : counted);
}

/// A pointer that was held may move again, and takes the position of its raw numbers.
void State::measure_again(Index operation, std::size_t unit) noexcept {
  if (sights_later) return;  // everything returns to rest
  const Slot& slot = slots[unit];
  for (const Gauge& gauge : slot.gauges)
    for (const OwnOperation& own : gauge.operations.of(slot.operations))
      if (own.operation == operation && (known[unit] & gauge.axes) != 0)
        aim(slot, own, unit, gauge, gauge.plain ? point_of(gauge) : furthest_point(slot, gauge, 0));
}

/// Lowers the signals of one crossing's directions, except those to keep.
void State::keep_directions(const AnalogOperation& operation, std::size_t unit, std::uint8_t stay) noexcept {
  std::uint8_t& held = over_raising[operation.crossing * max_units + unit];
  const auto gone = static_cast<std::uint8_t>(held & ~stay);
  held &= stay;
  for (std::size_t d = 0; d < operation.signals.size(); ++d)
    if ((gone >> d & 1) != 0) lower(raise_of(operation.signals.at(d), unit), unit);
}

/// Lowers the signals of crossings that the position has left.
void State::lower_crossings(std::size_t unit) noexcept {
  for (const OwnOperation& own : slots[unit].operations) {
    if (own.kind != AnalogKind::crossing) continue;
    const AnalogOperation& operation = plan_data->operations[own.operation];
    keep_directions(operation, unit, over[operation.crossing * max_units + unit]);
  }
  if (!slots[unit].opposed.empty()) end_opposed(slots[unit], unit);
}

/// A hat or stick on one side has left the other: any debounce pending there ends.
[[gnu::noinline]] void State::end_opposed(const Slot& slot, std::size_t unit) noexcept {
  const auto is_down = [&](std::size_t button) {
    return (down[unit * button_words + button / 64] & bit_of(button)) != 0;
  };
  for (const Opposed& opposed : slot.opposed) {
    if (opposed.hat) {
      for (const std::size_t side : {std::size_t{0}, std::size_t{1}}) {
        if (!is_down(opposed.of + side)) continue;
        const Run run = slot.buttons[opposed.of + 1U - side];
        for (const Raise raised : run.of(slot.raises)) end_deaf_gates(raised.signal, unit);
      }
      continue;
    }
    const AnalogOperation& operation = plan_data->operations[opposed.of];
    const std::uint8_t passed = over[operation.crossing * max_units + unit];
    for (std::size_t d = 0; d < operation.signals.size(); ++d)
      if ((passed >> (d ^ 1U) & 1) != 0 && operation.signals.at(d) != nothing)
        end_deaf_gates(operation.signals.at(d), unit);
  }
}

// -- counts -------------------------------------------------------------------------------------------

namespace {

/// The smallest number has no negative: use the largest one.
constexpr std::int32_t turned_around(std::int32_t counts) noexcept {
  constexpr std::int32_t least = std::numeric_limits<std::int32_t>::min();
  return counts == least ? std::numeric_limits<std::int32_t>::max() : -counts;
}

}  // namespace

[[gnu::noinline]] void State::move_counts(const Slot& slot, const Wire& wire, std::size_t unit,
                                          std::int32_t movement) noexcept {
  if (head->frozen != 0) return;
  for (const Sum& sum : slot.sums[wire.axis].of(slot.all_sums)) {
    const std::int32_t way = sum.is_reversed ? turned_around(movement) : movement;
    if (sum.drag != nothing) {
      drag(sum, unit, way);
      continue;
    }
    total[sum.target] += way;
    note(sum.noted);
  }
}

// -- reports ------------------------------------------------------------------------------------------

/// True if the button has gone up, which takes effect after the report's presses.
[[gnu::noinline]] bool State::set_button(const Slot& slot, std::size_t unit, std::size_t button,
                                         bool now_down) noexcept {
  std::uint64_t& word = down[unit * button_words + button / 64];
  if (((word & bit_of(button)) != 0) == now_down) return false;
  if (!now_down) {
    word &= ~bit_of(button);
    return true;
  }
  press(slot, unit, button);
  return false;
}

/// For a report in which an axis reports twice: its first value counts, too.
[[gnu::noinline]] void State::measure_all(const Slot& slot, std::size_t unit, std::uint64_t touched) noexcept {
  known[unit] |= static_cast<std::uint32_t>(touched);
  for (std::uint64_t gauges = touched >> gauge_bits; gauges != 0; gauges &= gauges - 1)
    measure(slot, unit, slot.gauges[static_cast<std::size_t>(std::countr_zero(gauges))]);
}

/// First all presses, then releases. With `settles`, opposite directions are resolved after all of
/// either, whatever their order.
[[gnu::always_inline]] inline void State::apply_changes(std::size_t unit, std::span<const Change> changes,
                                                        bool settles) noexcept {
  const Slot& slot = slots[unit];
  std::uint64_t touched = 0;
  bool released = false;
  if (settles) settles_later = true;
  for (const Change& change : changes) {
    const Wire& wire = slot.wires[slot.codes.find(change.code)];
    if (wire.kind == WireKind::axis) {
      if ((static_cast<std::uint32_t>(touched) & static_cast<std::uint32_t>(wire.touches)) != 0) [[unlikely]]
        measure_all(slot, unit, touched);
      raw[wire.axis] = change.value;
      touched |= wire.touches;
    } else if (wire.kind == WireKind::button) {
      released |= set_button(slot, unit, wire.button, change.value != 0);
    } else if (wire.kind == WireKind::hat) {
      released |= set_button(slot, unit, wire.button, change.value < 0);
      released |= set_button(slot, unit, wire.button + 1U, change.value > 0) || !slot.opposed.empty();
    } else if (wire.kind == WireKind::counts) {
      move_counts(slot, wire, unit, change.value);
    } else if (wire.kind == WireKind::growing) {
      if ((static_cast<std::uint32_t>(touched) & static_cast<std::uint32_t>(wire.touches)) != 0)
        measure_all(slot, unit, touched);
      raw[wire.axis] = change.value;
      grow(wire.axis, slot.rests[wire.axis - unit * max_axes], change.value);
      touched |= wire.touches;
    } else if (wire.kind == WireKind::trigger_button) {
      const auto axis = static_cast<std::uint32_t>(wire.touches);
      if (change.value != 0 && (held_over[unit] & axis) != 0) continue;
      held_over[unit] &= ~axis;
      if ((static_cast<std::uint32_t>(touched) & axis) != 0) measure_all(slot, unit, touched);
      raw[wire.axis] = change.value;
      touched |= wire.touches;
    } else if (&wire == slot.wires.data()) {
      ++head->ignored;
    }
  }
  if (touched != 0) {
    known[unit] |= static_cast<std::uint32_t>(touched);
    for (std::uint64_t gauges = touched >> gauge_bits; gauges != 0; gauges &= gauges - 1)
      measure(slot, unit, slot.gauges[static_cast<std::size_t>(std::countr_zero(gauges))]);
  }
  if (settles) settle_all_opposites();
  const bool lowers = (touched >> gauge_bits & slot.crossing_gauges) != 0;
  if (!released && !lowers) return;
  settles_later = true;
  if (released) let_go(slot, unit);
  if (lowers) lower_crossings(unit);
  settle_all_opposites();
}

/// A report is processed as a whole: intermediate states are not shown.
[[gnu::always_inline]] inline void State::commit(std::size_t unit, std::span<const Change> changes) noexcept {
  if (settles_reports) [[unlikely]]
    return commit_and_settle(unit, changes);
  apply_changes(unit, changes, false);
}

[[gnu::noinline]] void State::commit_and_settle(std::size_t unit, std::span<const Change> changes) noexcept {
  in_report = true;
  apply_changes(unit, changes, true);
  if (any_pull) aim_pulls(unit);
  in_report = false;
  if (any_sight) refresh_sights();
}

void State::apply_state(std::size_t unit, std::span<const Change> changes) noexcept { commit(unit, changes); }

/// Known analog values take effect at once, except those of trigger buttons, which count from their next press.
/// Crossings passed here are not presses: `note_state` or the freeze has recorded them.
void State::start(std::size_t unit) noexcept {
  if (head->frozen != 0) return;
  const Slot& slot = slots[unit];
  for (const Gauge& gauge : slot.gauges)
    if (gauge.is_button && raw[gauge.x] != 0) held_over[unit] |= gauge.axes;
  takes_as_is = true;
  for (const Gauge& gauge : slot.gauges)
    if ((known[unit] & gauge.axes) != 0)
      held_over[unit] != 0 ? measure_beside_held(slot, unit, gauge) : measure(slot, unit, gauge);
  takes_as_is = false;
  // A pointer springs back if the directions that pushed it were released during the freeze.
  for (const Index number : slot.pushed) {
    const AnalogOperation& operation = plan_data->operations[number];
    if (pointers[operation.group].leader == aim_of(operation, unit) + 1)
      aim_by_stick(operation, unit, goal_of(operation.signals, unit));
  }
}

/// Records which directions are already passed, without any effect.
void State::note_crossings(std::size_t unit) noexcept {
  const std::uint32_t frozen = std::exchange(head->frozen, only_noted);
  held_over[unit] = 0;
  for (const Gauge& gauge : slots[unit].gauges) measure(slots[unit], unit, gauge);
  head->frozen = frozen;
}

// -- releasing -------------------------------------------------------------------------------------------

/// The only function that releases: for a detached unit, or for all before a freeze or a new plan. Everything that
/// these units hold returns to rest at once; targets that are not self-centering keep their position. The physical
/// state is kept: controls count again from their next press or movement. Hotkeys stay held.
void State::rest(Units units) noexcept {
  const auto for_each = [present = units & used_units()](auto&& act) {
    for (Units left = present; left != 0; left &= left - 1) act(static_cast<std::size_t>(std::countr_zero(left)));
  };
  settles_later = sights_later = true;
  for_each([this](std::size_t unit) { rest_contacts(unit); });
  settle_all_opposites();
  for_each([this](std::size_t unit) {
    for (const Index digital : slots[unit].digitals) end_ramp(plan_data->digitals[digital], digital * max_units + unit);
  });
  for_each([this](std::size_t unit) {
    for (const OwnOperation& own : slots[unit].operations) rest_axis(own, unit);
    for (const Index pushed : slots[unit].pushed) rest_aim(plan_data->operations[pushed], unit);
  });
  refresh_sights();
}

/// Releases everything except hotkeys for one word of buttons.
void State::rest_buttons(const Slot& slot, std::size_t unit, std::size_t w) noexcept {
  const std::size_t word = unit * button_words + w;
  for (std::uint64_t gone = raising[word]; gone != 0; gone &= gone - 1) {
    const std::size_t button = w * 64 + static_cast<std::size_t>(std::countr_zero(gone));
    const Run run = slot.buttons[button];
    const Run hotkeys = slot.hotkey_buttons[button];
    for (const Raise raised : run.of(slot.raises).first(run.count - hotkeys.count)) lower(raised, unit);
    if (hotkeys.count == 0) continue;
    hotkey_held[word] |= bit_of(button);
    ++head->hotkey_held;
  }
  raising[word] = 0;
}

void State::rest_contacts(std::size_t unit) noexcept {
  const Slot& slot = slots[unit];
  for (std::size_t w = 0; w < slot.words; ++w) rest_buttons(slot, unit, w);
  for (const OwnOperation& own : slot.operations)
    if (own.kind == AnalogKind::crossing) keep_directions(plan_data->operations[own.operation], unit, 0);
  for (const Index gate : slot.gates) end_gate(cell_of(plan_data->gates[gate], unit));
}

/// Releases all hotkeys, including pending ones.
void State::rest_hotkeys() noexcept {
  for (std::size_t unit = 0; unit < max_units; ++unit)
    for (std::size_t w = 0; slots[unit].used && w < slots[unit].words; ++w) keep_hotkeys(slots[unit], unit, w, 0);
  for (std::size_t gate = plan_data->hotkey_gates; gate < plan_data->gates.size(); ++gate)
    end_gate(plan_data->gates[gate].first_cell);
}

void State::rest_axis(const OwnOperation& own, std::size_t unit) noexcept {
  for (const OwnShape& shape : own.shapes.of(slots[unit].shapes))
    if (shape.trail != nothing) {
      trails[shape.trail * max_units + unit] = {};
      set_moving(follower(shape.trail, unit), false);
    }
  if (is_aim(own.kind)) return rest_aim(plan_data->operations[own.operation], unit);
  if (own.kind != AnalogKind::lane) return;
  if (!own.lane.speaks) return set_lane(own.lane, {});
  if (!lanes[own.lane.number].at_rest()) --live[own.lane.group];
  lanes[own.lane.number] = {};
}

Units State::used_units() const noexcept {
  Units used = 0;
  for (std::size_t unit = 0; unit < max_units; ++unit)
    if (slots[unit].used) used |= Units{1} << unit;
  return used;
}

void State::freeze() noexcept {
  head->frozen = frozen_but_hotkeys;
  rest(everybody);
}

void State::thaw() noexcept {
  for (std::size_t unit = 0; unit < max_units; ++unit)  // pending movements have arrived, which is not a press
    if (slots[unit].used) note_crossings(unit);
  head->frozen = plays;
  sights_later = true;
  for (std::size_t unit = 0; unit < max_units; ++unit)
    if (slots[unit].used) start(unit);
  refresh_sights();
}

/// The unit is detached: what it holds is released, then its state is cleared.
void State::detach(std::size_t unit) noexcept {
  Slot& slot = slots[unit];
  for (const OwnOperation& own : slot.operations)
    if (is_aim(own.kind)) drop_aim(own.operation, unit);
  for (const Sum& sum : slot.all_sums)
    if (sum.drag != nothing) drop_aim(sum.drag, unit);
  for (const Index pushed : slot.pushed) drop_aim(pushed, unit);
  rest(Units{1} << unit);
  for (std::size_t w = 0; w < slot.words; ++w) keep_hotkeys(slot, unit, w, 0);
  for (const OwnOperation& own : slot.operations)
    if (own.kind == AnalogKind::crossing) over[plan_data->operations[own.operation].crossing * max_units + unit] = 0;
  std::fill_n(down + unit * button_words, button_words, std::uint64_t{0});
  std::fill_n(raw + unit * max_axes, max_axes, 0);
  known[unit] = held_over[unit] = 0;
  slot.codes.clear();
  slot.used = false;
  slot.id += max_units;
  ++wirings;
  find_lone_lanes();
}

std::shared_ptr<const State> state_of(const Engine& engine) noexcept { return engine.state_; }

}  // namespace omnipar::inline abi_0::engine

namespace omnipar::inline abi_0 {

using engine::after_all, engine::Slot, engine::State;

void Engine::feed(UnitId unit, const Report& report) noexcept {
  State& state = *state_;
  const std::int64_t time = report.time.time_since_epoch().count();
  if (time >= state.head->next_due)
    state.advance(time);
  else if (time > state.head->now)
    state.head->now = time;
  if (state.slots[unit.slot()].id == unit.number)
    state.commit(unit.slot(), report.changes);
  else
    state.head->ignored += report.changes.size();
}

void Engine::detach(UnitId unit) noexcept {
  const Slot& slot = state_->slots[unit.slot()];
  if (slot.used && slot.id == unit.number) state_->detach(unit.slot());
}

Engine::Engine(Plan plan) : state_(std::make_shared<State>(std::move(plan))) {}
Engine::~Engine() { end(); }
Engine::Engine(Engine&&) noexcept = default;

Engine& Engine::operator=(Engine&& other) noexcept {
  if (this == &other) return *this;
  end();
  state_ = std::move(other.state_);
  return *this;
}

/// The engine is destroyed; readers may still exist.
void Engine::end() noexcept {
  if (!state_ || state_->samplers.empty()) return;
  state_->freeze();
  state_->rest_hotkeys();
}

void Engine::advance(Time now) noexcept { state_->advance(now.time_since_epoch().count()); }

std::optional<Time> Engine::next_due() const noexcept {
  if (state_->head->next_due == after_all) return std::nullopt;
  return at_us(state_->head->next_due);
}

Time Engine::now() const noexcept { return at_us(state_->head->now); }

void Engine::freeze() noexcept { state_->freeze(); }

void Engine::thaw() noexcept {
  if (frozen()) state_->thaw();
}

bool Engine::frozen() const noexcept { return state_->head->frozen != 0; }
const Plan& Engine::plan() const noexcept { return state_->plan; }
std::uint64_t Engine::ignored() const noexcept { return state_->head->ignored; }
std::span<const std::byte> Engine::state() const noexcept { return state_->block; }

std::size_t Engine::save_size() const noexcept { return state_->saved_size(); }
bool Engine::save(std::span<std::byte> into) const noexcept { return state_->save(into); }
bool Engine::restore(std::span<const std::byte> saved) noexcept { return state_->restore(saved); }

std::vector<Change> Engine::present(UnitId unit) const {
  std::vector<Change> all;
  const Slot& slot = state_->slots[unit.slot()];
  if (!slot.used || slot.id != unit.number) return all;
  const auto is_down = [&](std::size_t button) {
    return (state_->down[unit.slot() * engine::button_words + button / 64] >> button % 64 & 1) != 0;
  };
  for (const Control& control : slot.attachment.controls) {
    if (std::ranges::find(all, control.code, &Change::code) != all.end()) continue;
    const engine::Wire& wire = slot.wires[slot.codes.find(control.code)];
    if (wire.kind == engine::WireKind::button)
      all.push_back({control.code, is_down(wire.button) ? 1 : 0});
    else if (wire.kind == engine::WireKind::hat)
      all.push_back({control.code, is_down(wire.button) ? -1 : is_down(wire.button + 1U) ? 1 : 0});
    else if (engine::is_axis(wire.kind) && (state_->known[unit.slot()] & static_cast<std::uint32_t>(wire.touches)) != 0)
      all.push_back({control.code, state_->raw[wire.axis]});
  }
  return all;
}

std::vector<AxisCalibration> Engine::ranges_by_use(UnitId unit) const {
  std::vector<AxisCalibration> all;
  const Slot& slot = state_->slots[unit.slot()];
  if (!slot.used || slot.id != unit.number) return all;
  for (const Control& control : slot.attachment.controls) {
    const engine::Wire& wire = slot.wires[slot.codes.find(control.code)];
    if (wire.kind != engine::WireKind::growing) continue;
    const plan::LearnedRange& reach = state_->reaches[wire.axis];
    const bool has_above = control.maximum > control.rest, has_below = control.minimum < control.rest;
    const int sides = (has_above ? 1 : 0) | (has_below ? 2 : 0);
    if ((reach.grown & sides) != sides) continue;
    all.push_back({control.code, control.rest - (has_below ? reach.below : 0),
                   control.rest + (has_above ? reach.above : 0), control.rest,
                   DeclaredRange{control.minimum, control.maximum}});
  }
  return all;
}

}  // namespace omnipar::inline abi_0
