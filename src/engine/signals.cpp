// Everything after the sources: signals and their effects, gates, ramps, and levels. The behaviour of a gate is in
// the file of its stage.
#include <algorithm>
#include <bit>
#include <utility>

#include "engine/engine_state.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0::engine {
namespace {

constexpr std::int64_t tick_length = 1000;
/// The first tick after `now`.
std::int64_t tick_after(std::int64_t now) noexcept { return (now / tick_length + 1) * tick_length; }

}  // namespace

// -- signals ------------------------------------------------------------------------------------

void State::apply(const Effect& effect, bool on, std::size_t unit) noexcept {
  if (effect.kind == EffectKind::raise)
    return on ? raise(raise_of(effect.index, unit), unit) : lower(raise_of(effect.index, unit), unit);
  if (effect.kind == EffectKind::digital) return evaluate(effect.index, unit);
  if (effect.kind == EffectKind::opposites) {
    if (!settles_later) return settle_opposites(effect.index);
    to_settle.at(effect.index / 64) |= std::uint64_t{1} << effect.index % 64;
    any_to_settle = true;
    return;
  }
  if (effect.kind >= EffectKind::sight) return apply_to_pointer(effect, on, unit);
  run_gate(cell_of(plan_data->gates[effect.index], unit), on, stage::Cause::input);
}

void State::apply_to_pointer(const Effect& effect, bool on, std::size_t unit) noexcept {
  switch (effect.kind) {
    case EffectKind::sight: {
      const AnalogOperation& operation = plan_data->operations[effect.index];
      if (on) aims[aim_of(operation, unit)].blind = head->now;
      return refresh_sight(operation.group);
    }
    case EffectKind::hide:
      return refresh_sight(effect.index);
    case EffectKind::centre:
      if (on) centre(effect.index);
      return;
    case EffectKind::steady:
      if (!on) measure_again(effect.index, unit);
      return;
    case EffectKind::aim:
      if (on) hold_aim(effect.index, unit);
      return;
    case EffectKind::push:
      return push_by_directions(effect.index, unit);
    case EffectKind::shots:
      if (on) begin_shots(effect.index);
      return;
    default:
      return pull(effect.index, on);
  }
}

void State::run_gate(Index cell, bool in, stage::Cause cause) noexcept {
  const Gate& gate = gate_at(cell);
  const stage::GateState state{in, out_held[cell] != 0, deadline[cell] != never};
  const stage::Gated next = gate.kind->step(gate.constants, state, cause, head->now);
  if (next.wake == stage::Gated::never)
    disarm(cell);
  else if (next.wake != stage::Gated::as_before)
    arm(cell, next.wake);
  if (gate.kind->pulses && cause == stage::Cause::deadline)
    pulse(cell, next.out);
  else
    set_out(cell, next.out);
}

/// Changes made by autofire count as no press: neither of its target, nor of an opposite direction,
/// nor of a pointer that returns.
void State::pulse(Index cell, bool on) noexcept {
  const Signal& out = plan_data->signals[gate_at(cell).out];
  std::array<Index, 4> targets{out.target, nothing, nothing, nothing};
  for (const Effect& effect : out.effects.of(plan_data->effects)) {
    if (effect.kind == EffectKind::raise)
      targets[0] = plan_data->signals[effect.index].target;  // a trigger with calibration shots
    if (effect.kind != EffectKind::opposites) continue;
    for (std::size_t d = 0; d < targets.size(); ++d)
      targets.at(d) = plan_data->signals[plan_data->opposites[effect.index].out.at(d)].target;
  }
  std::array<std::uint32_t, 4> by_hands{};
  for (std::size_t i = 0; i < targets.size(); ++i)
    if (targets.at(i) != nothing) by_hands.at(i) = presses[targets.at(i)];
  by_itself = true;
  set_out(cell, on);
  by_itself = false;
  for (std::size_t i = 0; i < targets.size(); ++i)
    if (targets.at(i) != nothing) presses[targets.at(i)] = by_hands.at(i);
}

/// A gate holds its out signal or releases it; others may hold that signal too.
void State::set_out(Index cell, bool on) noexcept {
  if ((out_held[cell] != 0) == on) return;
  out_held[cell] = on ? 1 : 0;
  const std::size_t unit = unit_at(cell);
  const Raise out = raise_of(gate_at(cell).out, unit);
  on ? raise(out, unit) : lower(out, unit);
}

void State::end_gate(Index cell) noexcept {
  disarm(cell);
  set_out(cell, false);
}

/// Ends the debounce that still holds a signal that is off, and its lockout.
void State::end_deaf_gates(Index signal, std::size_t unit) noexcept {
  if (is_on(signal, unit)) return;
  for (const Effect& effect : plan_data->signals[signal].effects.of(plan_data->effects))
    if (effect.kind == EffectKind::gate && plan_data->gates[effect.index].kind->opposite_ends_it)
      end_gate(cell_of(plan_data->gates[effect.index], unit));
}

// -- a heap of the cells of gates with pending deadlines, by deadline, then by cell -----------------------------------

bool State::earlier(Index a, Index b) const noexcept {
  return deadline[a] != deadline[b] ? deadline[a] < deadline[b] : a < b;
}

void State::put(std::uint32_t at, Index gate) noexcept {
  heap[at] = gate;
  heap_at[gate] = static_cast<Index>(at);
}

/// Moves the gate at `at` up or down to its place.
void State::sift(std::uint32_t at) noexcept {
  const Index gate = heap[at];
  for (; at > 0 && earlier(gate, heap[(at - 1) / 2]); at = (at - 1) / 2) put(at, heap[(at - 1) / 2]);
  for (;;) {
    std::uint32_t child = 2 * at + 1;
    if (child >= head->armed) break;
    if (child + 1 < head->armed && earlier(heap[child + 1], heap[child])) ++child;
    if (!earlier(heap[child], gate)) break;
    put(at, heap[child]);
    at = child;
  }
  put(at, gate);
}

void State::arm(Index gate, std::int64_t when) noexcept {
  const bool new_here = deadline[gate] == never;
  deadline[gate] = when;
  if (new_here) put(head->armed++, gate);
  sift(heap_at[gate]);
  find_next_due();
}

void State::disarm(Index gate) noexcept {
  if (deadline[gate] == never) return;
  const std::uint32_t at = heap_at[gate];
  deadline[gate] = never;
  heap_at[gate] = 0;
  const Index last = heap[--head->armed];
  heap[head->armed] = 0;
  if (last != gate) {
    put(at, last);
    sift(at);
  }
  find_next_due();
}

void State::find_next_due() noexcept {
  std::int64_t due = head->armed > 0 ? std::min(deadline[heap[0]], after_all) : after_all;
  if (head->moving > 0 && tick_after(head->now) < due) due = tick_after(head->now);
  head->next_due = due;
}

void State::fire_first() noexcept {
  const Index cell = heap[0];
  disarm(cell);
  run_gate(cell, is_on(gate_at(cell).in, unit_at(cell)), stage::Cause::deadline);
}

// -- opposite directions ---------------------------------------------------------------------------

void State::settle_all_opposites() noexcept {
  settles_later = false;
  if (!std::exchange(any_to_settle, false)) return;
  for (std::size_t word = 0; word < to_settle.size(); ++word)
    for (std::uint64_t ports = std::exchange(to_settle.at(word), 0); ports != 0; ports &= ports - 1)
      settle_opposites(static_cast<Index>(word * 64 + static_cast<std::size_t>(std::countr_zero(ports))));
}

void State::settle_opposites(Index port) noexcept {
  const OpposedDirections& directions = plan_data->opposites[port];
  std::uint8_t on = 0;
  for (std::size_t d = 0; d < 4; ++d)
    if (is_on(directions.in.at(d), 0)) on = static_cast<std::uint8_t>(on | 1U << d);
  const std::uint8_t held = opposites[port].arrive & 15U;
  opposites[port] = directions.kind->settle(directions.constants, opposites[port], on);
  const std::uint8_t goal = opposites[port].arrive & 15U;
  for (std::size_t d = 0; d < 4; ++d)
    if ((held & ~goal) >> d & 1) lower(raise_of(directions.out.at(d), 0), 0);
  for (std::size_t d = 0; d < 4; ++d)
    if ((goal & ~held) >> d & 1) raise(raise_of(directions.out.at(d), 0), 0);
}

// -- axes driven by buttons ------------------------------------------------------------------------

shape::Point State::goal_of(const std::array<Index, 4>& signals, std::size_t unit) const noexcept {
  const auto side = [&](std::size_t d) { return signals.at(d) != nothing && is_on(signals.at(d), unit) ? 1.0 : 0.0; };
  const shape::Point goal{side(3) - side(2), side(1) - side(0)};
  if (goal.x != 0 && goal.y != 0) return {goal.x * shape::diagonal, goal.y * shape::diagonal};
  return goal;
}

void State::evaluate(Index index, std::size_t unit) noexcept {
  const DigitalOperation& digital = plan_data->digitals[index];
  const shape::Point goal = goal_of(digital.signals, unit);
  if (!digital.ramps) return set_lane(lane_of(digital, unit), goal);
  const std::size_t mover = index * max_units + unit;
  set_moving(mover, position[mover] != stage::to_fixed(goal));
}

void State::end_ramp(const DigitalOperation& digital, std::size_t mover) noexcept {
  position[mover] = {};
  set_moving(mover, false);
  set_lane(lane_of(digital, mover % max_units), {});
}

// -- movement without input ------------------------------------------------------------------------

void State::set_moving(std::size_t mover, bool now) noexcept {
  if (now == is_moving(mover)) return;
  const std::size_t word = mover / 64;
  moving[word] ^= std::uint64_t{1} << mover % 64;
  const std::uint64_t bit = std::uint64_t{1} << word % 64;
  moving_words[word / 64] = moving[word] != 0 ? moving_words[word / 64] | bit : moving_words[word / 64] & ~bit;
  now ? ++head->moving : --head->moving;
  find_next_due();
}

/// One tick of one mover.
void State::travel(std::size_t mover) noexcept {
  const std::size_t number = mover / max_units;
  const std::size_t unit = mover % max_units;
  const std::size_t digitals = plan_data->digitals.size();
  if (number >= digitals + plan_data->glides)
    return trail_on(static_cast<Index>(number - digitals - plan_data->glides), unit);
  if (number >= digitals) return glide(static_cast<Index>(number - digitals), unit);
  const DigitalOperation& digital = plan_data->digitals[number];
  const stage::FixedPoint from = position[mover];
  const auto is_pressed = [&](std::size_t d) {
    return digital.signals.at(d) != nothing && is_on(digital.signals.at(d), unit);
  };
  const bool against_x = (from.x < 0 && is_pressed(3)) || (from.x > 0 && is_pressed(2));
  const bool against_y = (from.y < 0 && is_pressed(1)) || (from.y > 0 && is_pressed(0));
  const unsigned against = (against_x ? 1U : 0U) | (against_y ? 2U : 0U);
  if (stage::ramp.travel(digital.ramp, position[mover], goal_of(digital.signals, unit), against))
    set_moving(mover, false);
  set_lane(lane_of(digital, unit), stage::from_fixed(position[mover]));
}

/// One tick of a shape with memory, and of everything after it.
void State::trail_on(Index number, std::size_t unit) noexcept {
  const Slot& slot = slots[unit];
  for (const OwnOperation& own : slot.operations) {
    if (own.operation != plan_data->trailing[number]) continue;
    const std::span shapes = own.shapes.of(slot.shapes);
    std::size_t at = 0;
    while (at < shapes.size() && shapes[at].trail != number) ++at;
    if (at == shapes.size()) return;
    stage::Trail& trail = trails[number * max_units + unit];
    const shape::Point point = shapes[at].follow(shapes[at].constants, trail, true);
    set_moving(follower(number, unit), trail.moves != 0);
    arrive(own, unit, through(shapes.subspan(at + 1), unit, point));
    if (own.kind != AnalogKind::crossing) return;
    settles_later = true;
    lower_crossings(unit);
    return settle_all_opposites();
  }
}

/// Advances everything that is moving, in order. Movements started by an earlier one advance in the same tick.
void State::tick() noexcept {
  const auto behind = [](std::uint64_t all, int bit) { return bit == 63 ? 0 : all & (~std::uint64_t{0} << (bit + 1)); };
  for (std::size_t group = 0; group * 64 * 64 < plan::movers_of(*plan_data); ++group)
    for (std::uint64_t words = moving_words[group]; words != 0;) {
      const int w = std::countr_zero(words);
      const std::size_t word = group * 64 + static_cast<std::size_t>(w);
      for (std::uint64_t movers = moving[word]; movers != 0;) {
        const int bit = std::countr_zero(movers);
        travel(word * 64 + static_cast<std::size_t>(bit));
        movers = behind(moving[word], bit);
      }
      words = behind(moving_words[group], w);
    }
}

// -- levels of analog targets -----------------------------------------------------------------------

void State::refresh_group(const Group& group) noexcept {
  shape::Point best;
  double best_square = 0;
  for (const shape::Point& lane : std::span{lanes + group.lanes.first, group.lanes.count}) {
    if (group.adds) {
      best.x += lane.x;
      continue;
    }
    const double square = lane.x * lane.x + lane.y * lane.y;
    if (shape::is_further(square, best_square)) {
      best_square = square;
      best = lane;
    }
  }
  if (group.adds) best.x = std::clamp(best.x, -1.0, 1.0);
  if (level[group.x] == best.x && (group.y == nothing || level[group.y] == best.y)) return;
  level[group.x] = best.x;
  if (group.y != nothing) level[group.y] = best.y;
  note(group.x);
}

// -- time ---------------------------------------------------------------------------------------------

void State::advance(std::int64_t to) noexcept {
  to = std::min(to, latest_time.time_since_epoch().count());
  while (head->next_due <= to) {
    head->now = head->next_due;
    while (head->armed > 0 && deadline[heap[0]] <= head->now) fire_first();
    if (head->moving > 0 && head->now % tick_length == 0) tick();
    find_next_due();
  }
  if (to > head->now) head->now = to;
}

}  // namespace omnipar::inline abi_0::engine
