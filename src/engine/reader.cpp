#include "omnipar/reader.hpp"

#include "engine/follower.hpp"

namespace omnipar {
namespace detail {

Follower::Follower(const Engine& engine, std::int64_t shortest)
    : engine_(engine.heart()), shortest_(shortest), shown_(max_targets), counted_(max_targets), looked_(max_targets) {
  begin();
}

/// Takes everything as it is; a button that is down now is not a press to come.
void Follower::begin() noexcept {
  epoch_ = engine_.epoch;
  tail_ = engine_.head->journal_end;
  for (std::size_t t = 0; t < engine_.plan_data->targets.size(); ++t) {
    const bool counts = engine_.plan_data->targets[t].kind == TargetKind::turns;
    shown_[t] = {counts ? 0 : engine_.level[t], engine_.head->now, 0, engine_.presses[t]};
    counted_[t] = engine_.level[t];
  }
}

/// The engine has another plan: all that was shown goes to rest, and what is there is shown anew.
void Follower::restart(std::int64_t now) noexcept {
  restarted_ = now;
  std::ranges::fill(shown_, Shown{});
  std::ranges::fill(counted_, 0.0);
  behind_count_ = 0;
  epoch_ = engine_.epoch;
  tail_ = engine_.head->journal_end - std::min<std::uint64_t>(engine_.head->journal_end, journal_length + 1);
  for (std::size_t t = 0; t < engine_.plan_data->targets.size(); ++t)
    changed_[changed_count_++] = static_cast<Index>(t);
}

/// Takes a button one step towards what the engine says; true if there is more to show later.
bool Follower::step(Index target, Shown& shown, std::int64_t now) noexcept {
  const double level = engine_.level[target];
  const bool more_presses = engine_.presses[target] != shown.taken;
  const bool is_down = shown.value != 0;
  const bool wants_change = is_down ? more_presses || level == 0 : more_presses;
  if (!wants_change) return false;
  const bool first = shown.presses == 0 && !is_down;
  if (!first && now - shown.since < shortest_) return true;
  shown.since = now;
  if (!is_down) {
    ++shown.taken;
    ++shown.presses;
  }
  shown.value = is_down ? 0 : 1;
  changed_[changed_count_++] = target;
  return engine_.presses[target] != shown.taken || (!is_down && level == 0);
}

void Follower::look(Index target, std::int64_t now) noexcept {
  if (looked_[target] == samples_) return;
  looked_[target] = samples_;
  const Index group = engine_.plan_data->group_of_target[target];
  if (group == nothing) {
    if (step(target, shown_[target], now)) behind_[behind_count_++] = target;
    return;
  }
  const Group& pair = engine_.plan_data->groups[group];
  if (engine_.plan_data->targets[target].kind == TargetKind::turns) {
    const bool x_moved = follow_count(pair.x);
    const bool y_moved = pair.y != nothing && follow_count(pair.y);
    if (x_moved || y_moved) behind_[behind_count_++] = target;
    return;
  }
  follow(pair.x);
  if (pair.y != nothing) follow(pair.y);
}

void Follower::follow(Index axis) noexcept {
  if (shown_[axis].value == engine_.level[axis]) return;
  shown_[axis].value = engine_.level[axis];
  changed_[changed_count_++] = axis;
}

/// Shows what has been counted since the last sample; true if that must be shown as none in the next one.
bool Follower::follow_count(Index target) noexcept {
  const double moved = engine_.level[target] - counted_[target];
  counted_[target] = engine_.level[target];
  if (moved != 0 || shown_[target].value != 0) changed_[changed_count_++] = target;
  shown_[target].value = moved;
  return moved != 0;
}

void Follower::sample(std::int64_t now) noexcept {
  ++samples_;
  changed_count_ = 0;
  restarted_ = never;
  if (epoch_ != engine_.epoch) return restart(now);
  const std::size_t waiting = behind_count_;
  behind_count_ = 0;
  // behind_ is filled again from its start while it is read: never beyond what has been read
  for (std::size_t i = 0; i < waiting; ++i) look(behind_[i], now);
  const std::uint64_t end = engine_.head->journal_end;
  if (end - tail_ > journal_length)
    for (std::size_t t = 0; t < engine_.plan_data->targets.size(); ++t) look(static_cast<Index>(t), now);
  else
    for (; tail_ != end; ++tail_) look(engine_.journal[tail_ & (journal_length - 1)], now);
  tail_ = end;
}

std::int64_t Follower::next_due() const noexcept {
  std::int64_t due = restarted_;
  for (std::size_t i = 0; i < behind_count_; ++i)
    if (engine_.plan_data->targets[behind_[i]].kind == TargetKind::button)
      due = std::min(due, shown_[behind_[i]].since + shortest_);
  return due;
}

double value_of(const Follower& follower, std::size_t target) noexcept {
  return target < follower.heart().plan_data->targets.size() ? follower.shown(target) : 0;
}

std::int32_t native_of(const Follower& follower, std::size_t target) noexcept {
  if (target >= follower.heart().plan_data->targets.size()) return 0;
  const TargetInfo& info = follower.heart().plan_data->targets[target];
  if (info.kind == TargetKind::button) return follower.shown(target) != 0 ? 1 : 0;
  if (info.kind == TargetKind::turns) return static_cast<std::int32_t>(follower.shown(target));
  return shape::native(info.native, follower.shown(target));
}

PortSample port_of(const Follower& follower, int number) noexcept {
  return {follower, follower.heart().plan.port(number)};
}

}  // namespace detail

// -- samples ------------------------------------------------------------------------------------------

double PortSample::value(TargetIndex target) const noexcept {
  if (port_ == nullptr || target.value >= port_->target_count) return 0;
  return follower_->shown(std::size_t{port_->first_target} + target.value);
}

bool PortSample::pressed(TargetIndex target) const noexcept { return value(target) != 0; }

std::int32_t PortSample::native(TargetIndex target) const noexcept {
  if (port_ == nullptr || target.value >= port_->target_count) return 0;
  return detail::native_of(*follower_, std::size_t{port_->first_target} + target.value);
}

std::uint32_t PortSample::presses(TargetIndex target) const noexcept {
  if (port_ == nullptr || target.value >= port_->target_count) return 0;
  return follower_->presses(std::size_t{port_->first_target} + target.value);
}

// -- readers ------------------------------------------------------------------------------------------

Reader::Reader(const Engine& engine) : follower_(std::make_unique<detail::Follower>(engine, 0)) {}
Reader::~Reader() = default;
Reader::Reader(Reader&&) noexcept = default;
Reader& Reader::operator=(Reader&&) noexcept = default;
void Reader::next_frame() noexcept { follower_->sample(follower_->heart().head->now); }
PortSample Reader::port(int number) const noexcept { return detail::port_of(*follower_, number); }
std::span<const std::uint16_t> Reader::changed() const noexcept { return follower_->changed(); }
double Reader::value(std::uint16_t target) const noexcept { return detail::value_of(*follower_, target); }
std::int32_t Reader::native(std::uint16_t target) const noexcept { return detail::native_of(*follower_, target); }

PacedReader::PacedReader(const Engine& engine, Duration shortest_press)
    : follower_(std::make_unique<detail::Follower>(engine, shortest_press.count())) {}
PacedReader::~PacedReader() = default;
PacedReader::PacedReader(PacedReader&&) noexcept = default;
PacedReader& PacedReader::operator=(PacedReader&&) noexcept = default;
void PacedReader::catch_up(Time now) noexcept { follower_->sample(now.time_since_epoch().count()); }
PortSample PacedReader::port(int number) const noexcept { return detail::port_of(*follower_, number); }
std::span<const std::uint16_t> PacedReader::changed() const noexcept { return follower_->changed(); }
double PacedReader::value(std::uint16_t target) const noexcept { return detail::value_of(*follower_, target); }
std::int32_t PacedReader::native(std::uint16_t target) const noexcept { return detail::native_of(*follower_, target); }

std::optional<Time> PacedReader::next_due() const noexcept {
  const std::int64_t due = follower_->next_due();
  if (due == never) return std::nullopt;
  return at_us(due);
}

Duration shortest_press(const Plan& plan) noexcept { return plan.frame() * 6 / 5; }

}  // namespace omnipar
