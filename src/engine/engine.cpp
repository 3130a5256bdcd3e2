// The hot path: a report comes in, is taken apart by the unit's wires, and is committed as a whole,
// presses before releases. Nothing here allocates, locks, throws or calls the system.
#include "omnipar/engine.hpp"

#include <algorithm>
#include <bit>

#include "engine/heart.hpp"

namespace omnipar {

using Heart = Engine::Heart;

namespace {

constexpr std::uint64_t bit_of(std::size_t button) noexcept { return std::uint64_t{1} << (button % 64); }

}  // namespace

// -- buttons ------------------------------------------------------------------------------------------

/// A button has gone down. If the same report had let it go before, that takes effect first.
void Heart::press(const Slot& slot, std::size_t number, std::size_t button) noexcept {
  const std::size_t word = number * button_words + button / 64;
  const std::uint64_t bit = bit_of(button);
  const Run run = slot.buttons[button];
  const std::span signals{slot.raises.data() + run.first, run.count};
  down[word] |= bit;
  if (head->frozen != 0) return;
  if ((counted[word] & bit) != 0)
    for (const Index signal : signals) lower(signal, Pace::shaped);
  counted[word] |= bit;
  for (const Index signal : signals) raise(signal);
}

/// Lowers what the buttons held that are up but still counted.
void Heart::let_go(const Slot& slot, std::size_t number, Pace pace) noexcept {
  for (std::size_t w = 0; w < slot.words; ++w) {
    const std::size_t word = number * button_words + w;
    for (std::uint64_t gone = counted[word] & ~down[word]; gone != 0; gone &= gone - 1) {
      const std::size_t button = w * 64 + static_cast<std::size_t>(std::countr_zero(gone));
      const Run run = slot.buttons[button];
      for (const Index signal : std::span{slot.raises.data() + run.first, run.count}) lower(signal, pace);
    }
    counted[word] &= down[word];
  }
}

// -- axes ---------------------------------------------------------------------------------------------

/// Turns a position into presses of its directions. A direction that is passed counts from its next
/// passing if it was not seen to be passed.
void Heart::cross(std::size_t number, const AnalogOperation& operation, shape::Point point) noexcept {
  const std::size_t place = operation.crossing * max_units + number;
  const std::array<double, 4> push{-point.y, point.y, -point.x, point.x};
  std::uint8_t& passed = over[place];
  for (std::size_t d = 0; d < push.size(); ++d) {
    const auto bit = static_cast<std::uint8_t>(1U << d);
    if ((passed & bit) == 0 && push.at(d) >= operation.press_at) {
      passed |= bit;
      if (head->frozen != 0 || operation.signals.at(d) == nothing) continue;
      over_counted[place] |= bit;
      raise(operation.signals.at(d));
    } else if ((passed & bit) != 0 && push.at(d) < operation.release_at) {
      passed &= static_cast<std::uint8_t>(~bit);
    }
  }
}

[[gnu::always_inline]] inline void Heart::measure(const Slot& slot, std::size_t number, const Gauge& gauge) noexcept {
  shape::Point point{shape::normalised(gauge.x_scale, raw[gauge.x]), 0};
  if (gauge.pair) point.y = shape::normalised(gauge.y_scale, raw[gauge.y]);
  for (std::size_t i = gauge.first_step; i < std::size_t{gauge.first_step} + gauge.step_count; ++i) {
    const Step& step = slot.steps[i];
    if (step.kind == AnalogKind::crossing)
      cross(number, plan_data->operations[step.operation], point);
    else if (head->frozen == 0)
      set_lane(step.lane, shape::shaped(point, step.dead_zone));
  }
}

/// Lowers what crossings held that are no longer passed.
void Heart::leave(std::size_t number) noexcept {
  for (const Step& step : slots[number].steps) {
    if (step.kind != AnalogKind::crossing) continue;
    const AnalogOperation& operation = plan_data->operations[step.operation];
    const std::size_t place = operation.crossing * max_units + number;
    const auto gone = static_cast<std::uint8_t>(over_counted[place] & ~over[place]);
    over_counted[place] &= over[place];
    for (std::size_t d = 0; d < operation.signals.size(); ++d)
      if ((gone >> d & 1) != 0) lower(operation.signals.at(d), Pace::shaped);
  }
}

/// The unit has left: its share of an operation goes to rest; what stays where it is left stays.
void Heart::drop(std::size_t number, const Step& step) noexcept {
  const AnalogOperation& operation = plan_data->operations[step.operation];
  if (step.kind == AnalogKind::crossing) {
    const std::size_t place = operation.crossing * max_units + number;
    for (std::size_t d = 0; d < operation.signals.size(); ++d)
      if (operation.signals.at(d) != nothing) {
        if ((over_counted[place] >> d & 1) != 0) lower(operation.signals.at(d), Pace::at_once);
        end_timers(operation.signals.at(d));
      }
    over[place] = over_counted[place] = 0;
    return;
  }
  if (!plan_data->groups[step.lane.group].stays) return set_lane(step.lane, {});
  if (!lanes[step.lane.number].at_rest()) --live[step.lane.group];
  lanes[step.lane.number] = {};
}

// -- counts -------------------------------------------------------------------------------------------

/// Sums of whole numbers stay exact in a double up to 2^53, which no hand reaches.
[[gnu::noinline]] void Heart::count(const Slot& slot, const Wire& wire, std::int32_t movement) noexcept {
  if (head->frozen != 0) return;
  const Run run = slot.sums[wire.axis];
  for (const Sum sum : std::span{slot.counted.data() + run.first, run.count}) {
    level[sum.target] += movement;
    note(sum.noted);
  }
}

// -- reports ------------------------------------------------------------------------------------------

/// True if the button has gone up, which takes effect when the report's presses are through.
[[gnu::noinline]] bool Heart::set_button(const Slot& slot, std::size_t number, std::size_t button,
                                         bool now_down) noexcept {
  std::uint64_t& word = down[number * button_words + button / 64];
  if (((word & bit_of(button)) != 0) == now_down) return false;
  if (!now_down) {
    word &= ~bit_of(button);
    return true;
  }
  press(slot, number, button);
  return false;
}

[[gnu::always_inline]] inline void Heart::commit(std::size_t number, std::span<const Change> changes) noexcept {
  const Slot& slot = slots[number];
  std::uint64_t touched = 0;
  bool released = false;
  for (const Change& change : changes) {
    const Wire& wire = slot.wires[slot.codes.find(change.code)];
    if (wire.kind == WireKind::axis) {
      raw[wire.axis] = change.value;
      touched |= wire.touches;
    } else if (wire.kind == WireKind::button) {
      released |= set_button(slot, number, wire.button, change.value != 0);
    } else if (wire.kind == WireKind::hat) {
      released |= set_button(slot, number, wire.button, change.value < 0);
      released |= set_button(slot, number, wire.button + 1U, change.value > 0);
    } else if (wire.kind == WireKind::counts) {
      count(slot, wire, change.value);
    } else if (&wire == slot.wires.data()) {
      ++head->ignored;
    }
  }
  if (touched != 0) {
    known[number] |= static_cast<std::uint32_t>(touched);
    for (std::uint64_t gauges = touched >> gauge_bits; gauges != 0; gauges &= gauges - 1)
      measure(slot, number, slot.gauges[static_cast<std::size_t>(std::countr_zero(gauges))]);
  }
  if (released) let_go(slot, number, Pace::shaped);
  if ((touched >> gauge_bits & slot.crossing_gauges) != 0) leave(number);
}

void Heart::take(std::size_t number, std::span<const Change> changes) noexcept { commit(number, changes); }

void Engine::feed(UnitId unit, const Report& report) noexcept {
  Heart& heart = *heart_;
  const std::int64_t time = report.time.time_since_epoch().count();
  if (time >= heart.head->next_due)
    heart.advance(time);
  else if (time > heart.head->now)
    heart.head->now = time;
  if (unit.slot < max_units && heart.slots[unit.slot].age == unit.age)
    heart.commit(unit.slot, report.changes);
  else
    heart.head->ignored += report.changes.size();
}

/// Analog values take effect at once. Crossings that they pass are no presses: `take_state` or the
/// time spent frozen has noted them.
void Heart::start(std::size_t number) noexcept {
  if (head->frozen != 0) return;
  const Slot& slot = slots[number];
  for (const Gauge& gauge : slot.gauges) measure(slot, number, gauge);
}

// -- all at once ----------------------------------------------------------------------------------------

void Heart::rest_all() noexcept {
  const PlanData& p = *plan_data;
  for (Index t = 0; t < p.targets.size(); ++t)
    if (level[t] != 0 && !p.targets[t].stays && p.targets[t].kind != TargetKind::turns) {
      level[t] = 0;
      note(t);
    }
  std::fill_n(holders, p.signals.size(), std::uint16_t{0});
  std::fill_n(lanes, p.lanes, shape::Point{});
  std::fill_n(live, p.groups.size(), std::uint16_t{0});
  std::fill_n(counted, max_units * button_words, std::uint64_t{0});
  std::fill_n(over_counted, max_units * p.crossings, std::uint8_t{0});
  for (Index t = 0; t < p.timers.size(); ++t) disarm(t);
  std::fill_n(out_held, p.timers.size(), std::uint8_t{0});
  std::fill_n(position, 2 * p.digitals.size(), std::int64_t{0});
  std::fill_n(moving, p.digitals.size(), std::uint8_t{0});
  head->moving = 0;
  find_next_due();
}

void Heart::thaw() noexcept {
  head->frozen = 0;
  for (std::size_t number = 0; number < max_units; ++number)
    if (slots[number].used()) start(number);
}

void Engine::detach(UnitId unit) noexcept {
  Heart& heart = *heart_;
  if (unit.slot >= max_units) return;
  Slot& slot = heart.slots[unit.slot];
  if (!slot.used() || slot.age != unit.age) return;
  std::fill_n(heart.down + unit.slot * button_words, button_words, std::uint64_t{0});
  heart.let_go(slot, unit.slot, Pace::at_once);
  for (const Step& step : slot.steps) heart.drop(unit.slot, step);
  for (const Index signal : slot.raises) heart.end_timers(signal);
  for (const Index signal : slot.raises) heart.end_ramps(signal);
  std::fill_n(heart.raw + unit.slot * max_axes, max_axes, 0);
  heart.known[unit.slot] = 0;
  slot.codes.clear();
  ++slot.age;
  heart.find_lone_lanes();
}

Engine::Engine(Plan plan) : heart_(std::make_unique<Heart>(std::move(plan))) {}
Engine::~Engine() = default;
Engine::Engine(Engine&&) noexcept = default;
Engine& Engine::operator=(Engine&&) noexcept = default;

void Engine::advance(Time now) noexcept { heart_->advance(now.time_since_epoch().count()); }

std::optional<Time> Engine::next_due() const noexcept {
  if (heart_->head->next_due == never) return std::nullopt;
  return at_us(heart_->head->next_due);
}

Time Engine::now() const noexcept { return at_us(heart_->head->now); }

void Engine::freeze() noexcept {
  heart_->rest_all();
  heart_->head->frozen = 1;
}

void Engine::thaw() noexcept {
  if (frozen()) heart_->thaw();
}

bool Engine::frozen() const noexcept { return heart_->head->frozen != 0; }
const Plan& Engine::plan() const noexcept { return heart_->plan; }
std::uint64_t Engine::ignored() const noexcept { return heart_->head->ignored; }
std::span<const std::byte> Engine::state() const noexcept { return heart_->block; }

}  // namespace omnipar
