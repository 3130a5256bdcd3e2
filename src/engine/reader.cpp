#include "omnipar/reader.hpp"

#include <cmath>
#include <limits>
#include <utility>

#include "engine/sampler.hpp"

namespace omnipar::inline abi_0::engine {

Sampler::Sampler(const Engine& engine, std::int64_t shortest)
    : held_(state_of(engine)), engine_(*held_), shortest_(shortest), shown_(max_targets) {
  begin();
  number_ = ++engine_.last_reader;
  engine_.samplers.push_back(this);
}

Sampler::~Sampler() { std::erase(engine_.samplers, this); }

/// Adopts the current state; a button that is down now is not a pending press.
void Sampler::begin() noexcept {
  tail_ = engine_.head->journal_end;
  for (std::size_t t = 0; t < engine_.plan_data->targets.size(); ++t) {
    shown_[t].value = as_machine(static_cast<Index>(t));
    shown_[t].since = engine_.head->now;
    shown_[t].taken = engine_.presses[t];
    shown_[t].total = engine_.total[t];
  }
}

void Sampler::carry(std::span<const Index> origins) {
  const std::vector<Shown> before = shown_;
  std::ranges::fill(shown_, Shown{});
  for (std::size_t t = 0; t < origins.size(); ++t)
    if (origins[t] != nothing) shown_[t] = before[origins[t]];
  for (Shown& shown : shown_) shown.looked = 0;
  changed_count_ = 0;
  behind_count_ = 0;
  carried_ = true;
}

/// The first sample of a new plan.
void Sampler::rest(std::int64_t now) noexcept {
  carried_ = false;
  behind_count_ = 0;
  tail_ = engine_.head->journal_end;
  for (Index t = 0; t < engine_.plan_data->targets.size(); ++t) {
    const TargetInfo& info = engine_.plan_data->targets[t];
    if (info.kind == TargetKind::button && is_down(t)) shown_[t].since = now;
    set(t, info.self_centering ? 0 : as_machine(t));
    shown_[t].native_of = std::numeric_limits<double>::quiet_NaN();
    const bool more = info.kind == TargetKind::turns    ? engine_.total[t] != shown_[t].total
                      : info.kind == TargetKind::button ? outstanding(t) != 0
                                                        : as_machine(t) != shown_[t].value;
    if (more) wait_for(t);
  }
  if (behind_count_ > 0) rested_ = now;
}

/// The engine's position, within the machine's own gate.
[[gnu::noinline]] double Sampler::within_gate(Index target, double corner) const noexcept {
  const Index partner = engine_.plan_data->partner_of_target[target];
  return shape::within_gate({engine_.level[target], engine_.level[partner]}, corner).x;
}

/// A reversal by less than one step is ignored.
std::int32_t Sampler::native(std::size_t target) const noexcept {
  Shown& shown = shown_[target];
  if (shown.native_of == shown.value) return shown.native;
  const NativeRange& range = engine_.plan_data->targets[target].native;
  const bool is_first = std::isnan(shown.native_of);
  const std::int32_t next = shape::native(range, shown.value);
  shown.native_of = shown.value;
  const std::int32_t way = next < shown.native ? -1 : 1;
  const bool is_whole = shown.value == 0 || shown.value >= 1 || shown.value <= -1;
  if (!is_first && next != shown.native && way == -shown.went && !is_whole) {
    const double exact = range.rest + shape::from_rest(range, shown.value);
    if (std::fabs(exact - shown.native) < range.step) return shown.native;
  }
  if (is_first || shown.value == 0)
    shown.went = 0;  // from rest it may move in any direction
  else if (next != shown.native)
    shown.went = way;
  return shown.native = next;
}

void Sampler::set(Index target, double value) noexcept {
  shown_[target].value = value;
  changed_[changed_count_++] = {target};
}

// -- buttons ------------------------------------------------------------------------------------------

/// The first press needs no gap to a previous one.
bool Sampler::may_change(Index target, std::int64_t now) const noexcept {
  const Shown& shown = shown_[target];
  return (shown.presses == 0 && !is_down(target)) || now - shown.since >= shortest_;
}

/// Shown as down, and still down without interruption.
bool Sampler::is_held_on(Index target) const noexcept {
  return is_down(target) && engine_.level[target] != 0 && outstanding(target) == 0;
}

/// For two directions of one control that are pressed alternately: the one with more pending presses was pressed first
/// and last; with equal numbers the one whose last press is older.
bool Sampler::comes_first(Index one, Index other) const noexcept {
  if (outstanding(one) != outstanding(other)) return outstanding(one) > outstanding(other);
  return was_pressed_before(one, other);
}

bool Sampler::was_pressed_before(Index one, Index other) const noexcept {
  return static_cast<std::int32_t>(engine_.pressed_at[one] - engine_.pressed_at[other]) < 0;
}

/// A press that waits until the opposite direction has been shown released, or has had its turn.
bool Sampler::is_blocked(Index target, Index across) const noexcept {
  if (is_down(target)) return false;
  if (is_down(across)) return !is_held_on(across) || makes_way(across, target);
  return outstanding(across) != 0 && comes_first(across, target);
}

/// A pulse that is shown, and has returned since the opposite direction was pressed and released: that is shown first.
bool Sampler::makes_way(Index target, Index across) const noexcept {
  return is_held_on(target) && outstanding(across) != 0 && engine_.level[across] == 0 &&
         was_pressed_before(across, target);
}

void Sampler::press(Index target, std::int64_t now) noexcept {
  if (outstanding(target) != 0) {
    ++shown_[target].taken;
    ++shown_[target].presses;
  }
  shown_[target].since = now;
  set(target, 1);
}

void Sampler::let_go(Index target, std::int64_t now) noexcept {
  shown_[target].since = now;
  set(target, 0);
}

bool Sampler::let_go_if_due(Index target, Index across, std::int64_t now) noexcept {
  if (!is_down(target) || !may_change(target, now)) return false;
  if (!wants_change(target) && !makes_way(target, across)) return false;
  let_go(target, now);
  return true;
}

/// A gun at the edge crosses it with each report; among the changes not yet shown only the last counts.
void Sampler::skip_sights(Index target) noexcept {
  if (outstanding(target) > 1 && engine_.plan_data->is_sight[target])
    shown_[target].taken = engine_.presses[target] - 1;
}

void Sampler::look_at_button(Index target, std::int64_t now) noexcept {
  skip_sights(target);
  if (!wants_change(target)) return;
  if (may_change(target, now)) is_down(target) ? let_go(target, now) : press(target, now);
  if (wants_change(target)) wait_for(target);
}

void Sampler::look_at_opposites(Index one, Index other, std::int64_t now) noexcept {
  const bool one_is_let_go = let_go_if_due(one, other, now);
  const bool other_is_let_go = let_go_if_due(other, one, now);
  const auto press_if_due = [&](Index target, Index across, bool just_let_go) {
    if (is_down(target) || !wants_change(target) || just_let_go || !may_change(target, now)) return;
    if (!is_blocked(target, across)) press(target, now);
  };
  if (comes_first(other, one)) {
    press_if_due(other, one, other_is_let_go);
    press_if_due(one, other, one_is_let_go);
  } else {
    press_if_due(one, other, one_is_let_go);
    press_if_due(other, one, other_is_let_go);
  }
  for (const auto& [target, across] : {std::pair{one, other}, std::pair{other, one}})
    if (wants_change(target) || makes_way(target, across)) wait_for(target);
}

// -- counters ---------------------------------------------------------------------------------------------

/// Shows what was counted since the last sample, and 0 in the next one if there is no more.
void Sampler::look_at_sum(Index target) noexcept {
  constexpr std::int64_t most = std::numeric_limits<std::int32_t>::max();
  Shown& shown = shown_[target];
  const std::int64_t moved = std::clamp(engine_.total[target] - shown.total, -most, most);
  shown.total += moved;
  if (moved != 0 || shown.value != 0) set(target, static_cast<double>(moved));
  if (moved != 0) wait_for(target);
}

void Sampler::follow(Index axis) noexcept {
  const double now = as_machine(axis);
  if (shown_[axis].value == now) return;
  set(axis, now);
}

// -- samples ----------------------------------------------------------------------------------------------

/// Evaluates a target and the other one of its pair, once per sample.
void Sampler::look(Index target, std::int64_t now) noexcept {
  if (shown_[target].looked == samples_) return;
  const PlanData& plan = *engine_.plan_data;
  const Index partner = plan.partner_of_target[target];
  shown_[target].looked = samples_;
  if (partner != nothing) shown_[partner].looked = samples_;
  if (plan.targets[target].kind == TargetKind::button) {
    if (partner == nothing) return look_at_button(target, now);
    return look_at_opposites(std::min(target, partner), std::max(target, partner), now);
  }
  for (const Index each : {target, partner}) {
    if (each == nothing) continue;
    plan.targets[each].kind == TargetKind::turns ? look_at_sum(each) : follow(each);
  }
}

void Sampler::sample(std::int64_t now) noexcept {
  ++samples_;
  changed_count_ = 0;
  rested_ = never;
  if (carried_) return rest(now);
  const std::size_t waiting = behind_count_;
  std::copy_n(behind_.begin(), waiting, waiting_.begin());
  behind_count_ = 0;
  for (std::size_t i = 0; i < waiting; ++i) look(waiting_[i], now);
  const std::uint64_t end = engine_.head->journal_end;
  if (end - tail_ > journal_length)
    for (std::size_t t = 0; t < engine_.plan_data->targets.size(); ++t) look(static_cast<Index>(t), now);
  else
    for (; tail_ != end; ++tail_) look(engine_.journal[tail_ & (journal_length - 1)], now);
  tail_ = end;
  if (has_undone_) [[unlikely]]
    add_undone();
}

std::int64_t Sampler::next_due() const noexcept {
  if (carried_) return engine_.head->now;
  std::int64_t due = rested_;
  for (std::size_t i = 0; i < behind_count_; ++i) {
    const Index target = behind_[i];
    if (engine_.plan_data->targets[target].kind != TargetKind::button) continue;
    const Index across = engine_.plan_data->partner_of_target[target];
    // The direction that a blocked one waits for is waiting, too.
    if (across == nothing || !is_blocked(target, across)) due = std::min(due, shown_[target].since + shortest_);
  }
  return due;
}

double value_of(const Sampler& sampler, std::size_t target) noexcept {
  return target < sampler.engine().plan_data->targets.size() ? sampler.shown(target) : 0;
}

/// The port, if it has such a target; else nullptr.
const PortInfo* port_with(const Sampler& sampler, int number, TargetIndex target) noexcept {
  const PortInfo* port = sampler.engine().plan.port(number);
  if (port == nullptr || target.value >= port->target_count) return nullptr;
  if (target.layout == 0) return port;
  const PlanData& plan = *sampler.engine().plan_data;
  return plan.layouts[static_cast<std::size_t>(port - plan.ports.data())] == target.layout ? port : nullptr;
}

std::int32_t native_of(const Sampler& sampler, std::size_t target) noexcept {
  if (target >= sampler.engine().plan_data->targets.size()) return 0;
  const TargetInfo& info = sampler.engine().plan_data->targets[target];
  if (info.kind == TargetKind::button) return sampler.shown(target) != 0 ? 1 : 0;
  if (info.kind == TargetKind::turns) return static_cast<std::int32_t>(sampler.shown(target));
  return sampler.native(target);
}

}  // namespace omnipar::inline abi_0::engine

namespace omnipar::inline abi_0 {

// -- samples ------------------------------------------------------------------------------------------

bool PortSample::has(TargetIndex target) const noexcept {
  return engine::port_with(*sampler_, number_, target) != nullptr;
}

double PortSample::value(TargetIndex target) const noexcept {
  const PortInfo* port = engine::port_with(*sampler_, number_, target);
  return port == nullptr ? 0 : sampler_->shown(std::size_t{port->first_target} + target.value);
}

bool PortSample::pressed(TargetIndex target) const noexcept { return value(target) != 0; }

std::int32_t PortSample::native(TargetIndex target) const noexcept {
  const PortInfo* port = engine::port_with(*sampler_, number_, target);
  return port == nullptr ? target.rest : engine::native_of(*sampler_, std::size_t{port->first_target} + target.value);
}

std::uint32_t PortSample::presses(TargetIndex target) const noexcept {
  const PortInfo* port = engine::port_with(*sampler_, number_, target);
  return port == nullptr ? 0 : sampler_->presses(std::size_t{port->first_target} + target.value);
}

void PortSample::store(PortValues& into) const {
  const PortInfo* port = sampler_->engine().plan.port(number_);
  const std::size_t count = port == nullptr ? 0 : port->target_count;
  into.values_.resize(count);
  into.layout_ = port == nullptr
                     ? 0
                     : sampler_->engine()
                           .plan_data->layouts[static_cast<std::size_t>(port - sampler_->engine().plan.ports().data())];
  for (std::size_t t = 0; t < count; ++t) {
    const std::size_t target = std::size_t{port->first_target} + t;
    into.values_[t] = {sampler_->shown(target), engine::native_of(*sampler_, target), sampler_->presses(target)};
  }
}

PortValues PortSample::values() const {
  PortValues values;
  store(values);
  return values;
}

const PortValues::Value* PortValues::find(TargetIndex target) const noexcept {
  const bool is_its = target.value < values_.size() && (target.layout == 0 || target.layout == layout_);
  return is_its ? &values_[target.value] : nullptr;
}

bool PortValues::has(TargetIndex target) const noexcept { return find(target) != nullptr; }

double PortValues::value(TargetIndex target) const noexcept {
  const Value* found = find(target);
  return found == nullptr ? 0 : found->value;
}

bool PortValues::pressed(TargetIndex target) const noexcept { return value(target) != 0; }

std::int32_t PortValues::native(TargetIndex target) const noexcept {
  const Value* found = find(target);
  return found == nullptr ? target.rest : found->native;
}

std::uint32_t PortValues::presses(TargetIndex target) const noexcept {
  const Value* found = find(target);
  return found == nullptr ? 0 : found->presses;
}

// -- readers ------------------------------------------------------------------------------------------

Reader::Reader(const Engine& engine) : sampler_(std::make_unique<engine::Sampler>(engine, 0)) {}
Reader::~Reader() = default;
Reader::Reader(Reader&&) noexcept = default;
Reader& Reader::operator=(Reader&&) noexcept = default;
void Reader::next_frame() noexcept { sampler_->sample(sampler_->engine().head->now); }
PortSample Reader::port(int number) const noexcept { return PortSample{*sampler_, number}; }
std::span<const TargetPlace> Reader::changed() const noexcept { return sampler_->changed(); }
double Reader::value(TargetPlace target) const noexcept { return engine::value_of(*sampler_, target.number); }
std::int32_t Reader::native(TargetPlace target) const noexcept { return engine::native_of(*sampler_, target.number); }

PacedReader::PacedReader(const Engine& engine, Duration shortest_press)
    : sampler_(std::make_unique<engine::Sampler>(engine, shortest_press.count())) {}
PacedReader::~PacedReader() = default;
PacedReader::PacedReader(PacedReader&&) noexcept = default;
PacedReader& PacedReader::operator=(PacedReader&&) noexcept = default;
void PacedReader::catch_up(Time now) noexcept { sampler_->sample(now.time_since_epoch().count()); }
PortSample PacedReader::port(int number) const noexcept { return PortSample{*sampler_, number}; }
std::span<const TargetPlace> PacedReader::changed() const noexcept { return sampler_->changed(); }
double PacedReader::value(TargetPlace target) const noexcept { return engine::value_of(*sampler_, target.number); }
std::int32_t PacedReader::native(TargetPlace target) const noexcept {
  return engine::native_of(*sampler_, target.number);
}

std::optional<Time> PacedReader::next_due() const noexcept {
  const std::int64_t due = sampler_->next_due();
  if (due == engine::never) return std::nullopt;
  return at_us(due);
}

Duration shortest_press(const Plan& plan) noexcept { return plan.frame() * 6 / 5; }

}  // namespace omnipar::inline abi_0
