#include "learn/wire.hpp"

#include <cmath>
#include <utility>

#include "attach/position.hpp"

namespace omnipar::inline abi_0::learn {
namespace {

/// The threshold for movement of a pointer or a counter.
constexpr double stirred_place = 0.1;
/// An axis that rests closer to its end has no range on that side.
constexpr double least_room = 0.4;

}  // namespace

// -- distances --------------------------------------------------------------------------------------------------

double Wire::room(int side) const noexcept {
  if (!finds_rest()) return 1;
  const double from = control.type == ControlType::one_sided ? 0 : -1;
  return side < 0 ? base - from : 1 - base;
}

double Wire::travel(int side) const noexcept {
  if (!finds_rest()) return side < 0 ? std::min(-low, base - low) : std::min(high, high - base);
  const double way = room(side);
  return way < least_room ? 0 : (side < 0 ? base - low : high - base) / way;
}

double Wire::off() const noexcept { return std::fabs(now - base) / std::max(least_room, room(now < base ? -1 : 1)); }

double Wire::place_of(std::int32_t value) const noexcept {
  const double place = attach::position(control, scale, value);
  const bool grows_downwards = control.type == ControlType::one_sided && control.rest == control.maximum;
  return grows_downwards ? -place : place;
}

double Wire::way() const noexcept {
  const double far = std::max(travel(-1), travel(1));
  return has_no_middle(control) ? std::max(far, (high - low) * pushed) : far;
}

bool Wire::takes_part() const noexcept {
  switch (control.type) {
    case ControlType::counts:
      return counts >= stirred_place * meant_counts;
    case ControlType::pointer:
      return high - low >= stirred_place;
    default:
      return is_stirred();
  }
}

bool Wire::is_down(Time at) const noexcept {
  const bool is_moved = control.type == ControlType::counts || control.type == ControlType::pointer;
  if (!armed || is_moved || aside) return false;
  if (is_unclear()) return true;
  if (off() < threshold()) return false;
  return control.type != ControlType::two_sided || finds_rest() || at - moved < long_still;
}

// -- where it rests -----------------------------------------------------------------------------------------------

void Wire::meet(double at, Time time) {
  now = low = high = anchor = turn = at;
  moved = time;
  if (control.type == ControlType::two_sided && !finds_rest()) {
    armed = true;
    met_off = std::fabs(at) >= stirred;
  }
  if (!finds_rest()) return;
  swing_from = at;
  const bool is_raw = control.type == ControlType::two_sided;
  const bool is_around_zero = control.minimum < 0 && control.maximum > 0;
  base = is_raw && !is_around_zero && std::fabs(at) > 1.0 / 2 ? std::copysign(1, at) : 0;
}

void Wire::follow_swing(double to) {
  constexpr double far = 2 * stirred;  // of the range from end to end
  if (swing_to == 0) {
    if (std::fabs(to - swing_from) >= far / 2) {
      swing_to = to < swing_from ? -1 : 1;
      swing_from = to;
    }
  } else if ((to - swing_from) * swing_to >= 0) {
    swing_from = to;
  } else if (std::fabs(to - swing_from) >= far) {
    swing_to = -swing_to;
    swing_from = to;
    ++swings;
  }
}

std::optional<Duration> Wire::rests_after() const noexcept {
  if (!finds_rest() || !known) return std::nullopt;
  if (is_unclear()) return swings == 0 ? unsure_still : std::max(Duration{back_still}, dwelt * 5 / 4);
  if (off() < threshold()) return std::nullopt;
  return sure ? other_still : unsure_still;
}

// -- noise ------------------------------------------------------------------------------------------------------

bool Wire::starts_to_shake(double to, Time time) {
  constexpr double least_turn = 0.1;
  constexpr Duration soon{1'200'000}, calm{1'000'000};
  swing = std::max(swing, off());
  const Duration since = time - turns[(turned + turns.size() - 1) % turns.size()];
  if (turned > 0 && since > calm) swing = off();
  if (off() >= pushed || since > calm) noisy = false;
  if (direction == 0) direction = to < turn ? -1 : to > turn ? 1 : 0;
  if ((to - turn) * direction >= 0) {
    turn = to;
    return false;
  }
  if (std::fabs(to - turn) < least_turn) return false;
  direction = -direction;
  turn = to;
  turns[turned % turns.size()] = time;
  ++turned;
  if (turned < turns.size() || time - turns[turned % turns.size()] > soon || swing >= pushed) return false;
  swing = 0;
  return !std::exchange(noisy, true);
}

bool Wire::was_spike(double before, Time time, Duration regular) {
  constexpr int most_readings = 4;
  constexpr Duration shortest{25'000};
  if (off() >= stirred) {
    if (before < stirred) {
      left = time;
      readings = 0;
      jumped = off() >= pushed;
      left_to = now < base ? -1 : 1;
    }
    ++readings;
    return false;
  }
  if (before < stirred || !jumped || readings > most_readings) return false;
  if (time - left >= std::max(shortest, regular)) return false;
  forget();
  return true;
}

void Wire::note_release(Time time) {
  const bool is_down_now = off() >= threshold() && (passed[0] || passed[1]);
  if (is_down_now == down) return;
  down = is_down_now;
  if (!is_down_now)
    until = time;
  else if (time - until >= quiet_time)
    since = time;
}

void Wire::forget() {
  low = high = now;
  passed[0] = passed[1] = down = false;
  first = 0;
}

}  // namespace omnipar::inline abi_0::learn
