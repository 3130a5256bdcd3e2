// What happens behind the sources: signals with their effects, timers, ramps, and levels.
//
// A timer's life:   idle --in goes on--> armed --deadline--> out on      (hold)
//                   armed or out on --in goes off--> idle, out off
//                   idle --in changes--> out follows, deaf               (debounce)
//                   deaf --deadline, in = out--> idle
//                   deaf --deadline, in != out--> out follows, deaf
#include <algorithm>

#include "engine/heart.hpp"

namespace omnipar {
namespace {

constexpr std::int64_t tick_length = 1000;
constexpr std::int64_t full_push = std::int64_t{1} << 32;

/// The first tick after `now`.
std::int64_t tick_after(std::int64_t now) noexcept { return (now / tick_length + 1) * tick_length; }

std::int64_t step_towards(std::int64_t from, std::int64_t goal, std::int64_t step) noexcept {
  if (from < goal) return goal - from > step ? from + step : goal;
  return from - goal > step ? from - step : goal;
}

std::int64_t to_fixed(double value) noexcept {
  return static_cast<std::int64_t>(value * static_cast<double>(full_push));
}

double from_fixed(std::int64_t value) noexcept { return static_cast<double>(value) / static_cast<double>(full_push); }

}  // namespace

using Heart = Engine::Heart;

// -- signals ------------------------------------------------------------------------------------

void Heart::apply_all(const Signal& signal, bool on, Pace pace) noexcept {
  for (const Effect& effect : signal.effects) apply(effect, on, pace);
}

void Heart::apply(const Effect& effect, bool on, Pace pace) noexcept {
  switch (effect.kind) {
    case EffectKind::raise:
      if (on)
        raise(effect.index);
      else
        lower(effect.index, pace);
      return;
    case EffectKind::digital:
      return evaluate(effect.index, Pace::shaped);  // at once comes at the end of a leave: end_ramps
    case EffectKind::hold:
      if (on) return arm(effect.index, head->now + plan_data->timers[effect.index].delay.count());
      disarm(effect.index);
      return set_out(effect.index, false, pace);
    case EffectKind::debounce:
      if (pace == Pace::at_once) {
        disarm(effect.index);
      } else {
        if (deadline[effect.index] != never) return;  // deaf
        arm(effect.index, head->now + plan_data->timers[effect.index].delay.count());
      }
      return set_out(effect.index, on, pace);
  }
}

/// A timer holds its out signal or lets it go; others may hold that signal too.
void Heart::set_out(Index timer, bool on, Pace pace) noexcept {
  if ((out_held[timer] != 0) == on) return;
  out_held[timer] = on ? 1 : 0;
  if (on)
    raise(plan_data->timers[timer].out);
  else
    lower(plan_data->timers[timer].out, pace);
}

/// What a signal that is off still keeps up by debounce ends now, and so does its deafness.
void Heart::end_timers(Index signal) noexcept {
  if (is_on(signal)) return;
  for (const Effect& effect : plan_data->signals[signal].effects) {
    if (effect.kind == EffectKind::raise) {
      end_timers(effect.index);
    } else if (effect.kind != EffectKind::digital) {
      apply(effect, false, Pace::at_once);
      end_timers(plan_data->timers[effect.index].out);
    }
  }
}

/// Ramps behind a signal that is off are at rest now, if that is where they are going. To be called when all timers
/// have ended, for until then they may seem to go elsewhere, or nowhere.
void Heart::end_ramps(Index signal) noexcept {
  if (is_on(signal)) return;
  for (const Effect& effect : plan_data->signals[signal].effects) {
    if (effect.kind == EffectKind::digital)
      evaluate(effect.index, Pace::at_once);
    else
      end_ramps(effect.kind == EffectKind::raise ? effect.index : plan_data->timers[effect.index].out);
  }
}

// -- timers: a heap of those that are armed, by deadline, then by number ---------------------------

bool Heart::earlier(Index a, Index b) const noexcept {
  return deadline[a] != deadline[b] ? deadline[a] < deadline[b] : a < b;
}

void Heart::put(std::uint32_t place, Index timer) noexcept {
  heap[place] = timer;
  heap_place[timer] = static_cast<Index>(place);
}

/// Moves the timer at `place` up or down to where it belongs.
void Heart::sift(std::uint32_t place) noexcept {
  const Index timer = heap[place];
  for (; place > 0 && earlier(timer, heap[(place - 1) / 2]); place = (place - 1) / 2) put(place, heap[(place - 1) / 2]);
  for (;;) {
    std::uint32_t child = 2 * place + 1;
    if (child >= head->armed) break;
    if (child + 1 < head->armed && earlier(heap[child + 1], heap[child])) ++child;
    if (!earlier(heap[child], timer)) break;
    put(place, heap[child]);
    place = child;
  }
  put(place, timer);
}

void Heart::arm(Index timer, std::int64_t when) noexcept {
  const bool new_here = deadline[timer] == never;
  deadline[timer] = when;
  if (new_here) put(head->armed++, timer);
  sift(heap_place[timer]);
  find_next_due();
}

void Heart::disarm(Index timer) noexcept {
  if (deadline[timer] == never) return;
  const std::uint32_t place = heap_place[timer];
  deadline[timer] = never;
  heap_place[timer] = 0;
  const Index last = heap[--head->armed];
  heap[head->armed] = 0;
  if (last != timer) {
    put(place, last);
    sift(place);
  }
  find_next_due();
}

void Heart::find_next_due() noexcept {
  std::int64_t due = head->armed > 0 ? deadline[heap[0]] : never;
  if (head->moving > 0 && tick_after(head->now) < due) due = tick_after(head->now);
  head->next_due = due;
}

void Heart::fire_first() noexcept {
  const Index index = heap[0];
  const Timer& timer = plan_data->timers[index];
  disarm(index);
  const bool in = is_on(timer.in);
  const bool follows = in != (out_held[index] != 0);
  if (timer.kind == EffectKind::debounce && follows) arm(index, head->now + timer.delay.count());
  set_out(index, in, Pace::shaped);
}

// -- axes made of buttons --------------------------------------------------------------------------

shape::Point Heart::goal_of(const DigitalOperation& digital) const noexcept {
  const auto side = [&](std::size_t d) {
    return digital.signals.at(d) != nothing && is_on(digital.signals.at(d)) ? 1.0 : 0.0;
  };
  const shape::Point goal{side(3) - side(2), side(1) - side(0)};
  if (goal.x != 0 && goal.y != 0) return {goal.x * shape::diagonal, goal.y * shape::diagonal};
  return goal;
}

void Heart::evaluate(Index index, Pace pace) noexcept {
  const DigitalOperation& digital = plan_data->digitals[index];
  const shape::Point goal = goal_of(digital);
  if (digital.ramp == 0) return set_lane(lane_of(digital.group, digital.lane), goal);
  std::int64_t& x = position[std::size_t{2} * index];
  std::int64_t& y = position[std::size_t{2} * index + 1];
  if (pace == Pace::at_once && goal == shape::Point{}) {
    x = y = 0;
    set_lane(lane_of(digital.group, digital.lane), {});
  }
  const bool on_its_way = x != to_fixed(goal.x) || y != to_fixed(goal.y);
  if (on_its_way != (moving[index] != 0)) {
    moving[index] = on_its_way ? 1 : 0;
    head->moving += on_its_way ? 1U : ~0U;
    find_next_due();
  }
}

void Heart::tick() noexcept {
  for (Index i = 0; i < plan_data->digitals.size(); ++i) {
    if (moving[i] == 0) continue;
    const DigitalOperation& digital = plan_data->digitals[i];
    const shape::Point goal = goal_of(digital);
    std::int64_t& x = position[std::size_t{2} * i];
    std::int64_t& y = position[std::size_t{2} * i + 1];
    x = step_towards(x, to_fixed(goal.x), digital.ramp);
    y = step_towards(y, to_fixed(goal.y), digital.ramp);
    if (x == to_fixed(goal.x) && y == to_fixed(goal.y)) {
      moving[i] = 0;
      --head->moving;
    }
    set_lane(lane_of(digital.group, digital.lane), {from_fixed(x), from_fixed(y)});
  }
}

// -- levels of analog targets -----------------------------------------------------------------------

void Heart::refresh_group(const Group& group) noexcept {
  shape::Point best;
  double best_square = 0;
  for (Index i = 0; i < group.lane_count; ++i) {
    const shape::Point& lane = lanes[group.first_lane + i];
    const double square = lane.x * lane.x + lane.y * lane.y;
    if (square > best_square) {
      best_square = square;
      best = lane;
    }
  }
  if (level[group.x] == best.x && (group.y == nothing || level[group.y] == best.y)) return;
  level[group.x] = best.x;
  if (group.y != nothing) level[group.y] = best.y;
  note(group.x);
}

/// Finds the lanes that are the only ones of their group, and counts anew what is live: lanes that
/// are alone do not keep count. Done whenever a unit comes or leaves.
void Heart::find_lone_lanes() noexcept {
  std::array<std::uint16_t, max_targets> feeders{};
  const auto for_all_lanes = [this](auto&& act) {
    for (Slot& slot : slots)
      for (Step& step : slot.steps)
        if (slot.used() && step.kind == AnalogKind::lane) act(step.lane);
  };
  for (const DigitalOperation& digital : plan_data->digitals) ++feeders[digital.group];
  for_all_lanes([&](const Lane& lane) { ++feeders[lane.group]; });
  for_all_lanes([&](Lane& lane) { lane.alone = feeders[lane.group] == 1 && !plan_data->groups[lane.group].stays; });
  for (std::size_t g = 0; g < plan_data->groups.size(); ++g) {
    const Group& group = plan_data->groups[g];
    const std::span all{lanes + group.first_lane, group.lane_count};
    live[g] =
        static_cast<std::uint16_t>(std::ranges::count_if(all, [](const shape::Point& p) { return !p.at_rest(); }));
  }
}

// -- time ---------------------------------------------------------------------------------------------

void Heart::advance(std::int64_t to) noexcept {
  while (head->next_due <= to) {
    head->now = head->next_due;
    while (head->armed > 0 && deadline[heap[0]] <= head->now) fire_first();
    if (head->moving > 0 && head->now % tick_length == 0) tick();
    find_next_due();
  }
  if (to > head->now) head->now = to;
}

}  // namespace omnipar
