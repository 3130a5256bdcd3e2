#include "host/raw_output.hpp"

#include <algorithm>
#include <cerrno>
#include <chrono>

namespace omnipar::inline abi_0::host {
namespace {

constexpr double full = 65535;
/// A motor report with a duration (always the maximum) is repeated at this interval. The duration's unit is not
/// evaluated: one byte in hundredths of a second lasts 2.55 s.
constexpr Duration again_after = std::chrono::milliseconds{500};

}  // namespace

bool RawOutput::Effect::is_over(Time now) const noexcept {
  return turns == 0 || (length > Duration{} && now >= began + turns * (wait + length));
}

std::optional<Time> RawOutput::Effect::next_change(Time now) const noexcept {
  if (is_over(now)) return std::nullopt;
  if (length == Duration{}) return now < began + wait ? std::optional{began + wait} : std::nullopt;
  const auto turn = (now - began) / (wait + length);
  const Time begins = began + turn * (wait + length);
  return now < begins + wait ? begins + wait : begins + wait + length;
}

bool RawOutput::Effect::shakes(Time now) const noexcept {
  if (is_over(now)) return false;
  if (length == Duration{}) return now >= began + wait;
  return (now - began) % (wait + length) >= wait;
}

RawOutput::RawOutput(int raw_node, const hid::Descriptor& descriptor, std::span<const hid::ReportControl> controls,
                     std::span<const std::vector<std::size_t>> players)
    : encoder_(descriptor), writer_(raw_node) {
  const auto outputs = hid::outputs_of(descriptor);
  const auto whose = hid::players_of(descriptor, controls, outputs, players);
  for (std::size_t i = 0; i < outputs.size(); ++i) {
    if (outputs[i].kind == hid::OutputKind::motor)
      add_motor(outputs[i], whose[i]);
    else
      leds_.push_back({outputs[i], whose[i]});
  }
  Reports rest;
  for (const Motor& motor : motors_) also(rest, motor.output);
  for (const auto report : rest)
    if (!report.empty()) at_rest_.emplace_back(report.begin(), report.end());
}

void RawOutput::add_motor(hid::Output output, int player) {
  const auto before = std::ranges::count(motors_, player, &Motor::player);
  if (before == 1) std::ranges::find(motors_, player, &Motor::player)->is_weak = false;
  motors_.push_back({output, player, before == 0, before <= 1});
}

RawOutput::~RawOutput() {
  Reports reports;
  for (const Motor& motor : motors_) {
    encoder_.set(motor.output, 0);
    if (motor.level > 0) also(reports, motor.output);
  }
  for (const Led& led : leds_) {
    encoder_.set(led.output, 0);
    if (touched_leds_) also(reports, led.output);
  }
  tell(reports);
}

void RawOutput::also(Reports& reports, const hid::Output& output) const noexcept {
  const auto report = encoder_.report_of(output);
  reports.at(report.front()) = report;
}

/// Sends each report once, after all its values are set.
void RawOutput::tell(const Reports& reports) noexcept {
  for (const auto report : reports)
    if (!report.empty()) writer_.put(report);
}

bool RawOutput::has_motors(int part) const noexcept {
  return std::ranges::any_of(motors_, [part](const Motor& m) { return m.player < 0 || m.player == part; });
}

int RawOutput::count_of_leds(int part) const noexcept {
  return static_cast<int>(
      std::ranges::count_if(leds_, [part](const Led& led) { return led.player < 0 || led.player == part; }));
}

int RawOutput::put_effect(int part, ff_effect& effect) noexcept {
  if (effect.type != FF_RUMBLE) return -EINVAL;
  if (effect.id < 0) {
    const auto free = std::ranges::find(effects_, false, &Effect::used);
    if (free == effects_.end()) return -ENOSPC;
    effect.id = static_cast<std::int16_t>(free - effects_.begin());
  }
  if (static_cast<std::size_t>(effect.id) >= effects_.size()) return -EINVAL;
  Effect& there = effects_.at(static_cast<std::size_t>(effect.id));
  if (!there.used) there = {};
  there.used = true;
  there.part = part;
  there.wait = std::chrono::milliseconds{effect.replay.delay};
  there.length = std::chrono::milliseconds{effect.replay.length};
  there.strong = effect.u.rumble.strong_magnitude / full;
  there.weak = effect.u.rumble.weak_magnitude / full;
  if (there.turns > 0) due_ = there.began;  // at once
  return 0;
}

void RawOutput::erase_effect(int number, Time now) noexcept {
  play_effect(number, 0, now);
  if (number >= 0 && static_cast<std::size_t>(number) < effects_.size())
    effects_.at(static_cast<std::size_t>(number)).used = false;
}

void RawOutput::play_effect(int number, int times, Time now) noexcept {
  if (number < 0 || static_cast<std::size_t>(number) >= effects_.size()) return;
  Effect& effect = effects_.at(static_cast<std::size_t>(number));
  if (!effect.used) return;
  effect.turns = std::max(times, 0);
  effect.began = now;
  tell_motors(now);
}

void RawOutput::advance(Time now) noexcept {
  if (due_ && now >= *due_) tell_motors(now);
}

/// Simultaneous effects add up.
double RawOutput::level_of(const Motor& motor, Time now) const noexcept {
  double strong = 0;
  double weak = 0;
  for (const Effect& effect : effects_) {
    const bool is_his = motor.player < 0 || motor.player == effect.part;
    if (!effect.used || !is_his || !effect.shakes(now)) continue;
    strong += effect.strong;
    weak += effect.weak;
  }
  return std::min(1.0, std::max(motor.is_strong ? strong : 0, motor.is_weak ? weak : 0));
}

/// Reports are written only on changes, or when they must be repeated.
void RawOutput::tell_motors(Time now) noexcept {
  due_.reset();
  const auto also_due = [this](Time time) { due_ = due_ ? std::min(*due_, time) : time; };
  for (Effect& effect : effects_) {
    if (effect.is_over(now)) effect.turns = 0;
    if (const auto next = effect.next_change(now)) also_due(*next);
  }
  Reports reports;
  for (Motor& motor : motors_) {
    const double level = level_of(motor, now);
    const bool again = level > 0 && encoder_.must_be_repeated(motor.output);
    if (again) also_due(now + again_after);
    if (level == motor.level && !again) continue;
    motor.level = level;
    encoder_.set(motor.output, level);
    also(reports, motor.output);
  }
  tell(reports);
}

void RawOutput::show_leds(int part, std::uint32_t which) noexcept {
  touched_leds_ = true;
  std::uint32_t nth = 0;
  Reports reports;
  for (const Led& led : leds_) {
    if (led.player >= 0 && led.player != part) continue;
    encoder_.set(led.output, nth < 32 && (which >> nth & 1) != 0 ? 1 : 0);
    also(reports, led.output);
    ++nth;
  }
  tell(reports);
}

}  // namespace omnipar::inline abi_0::host
