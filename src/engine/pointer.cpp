// Pointers. A pointer follows the source that moved last. Another source takes over when it moves by more than its
// noise; sources at rest do not interfere.
#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "engine/engine_state.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0::engine {

namespace {

/// The noise of a source, as a fraction of the game area.
constexpr std::int64_t noise = stage::whole / 100;

bool is_far(stage::FixedPoint push) noexcept { return std::abs(push.x) > noise || std::abs(push.y) > noise; }

}  // namespace

/// -1..1 along each axis of the game area; off-screen points are beyond. A gun has no rest, so only its ends count.
shape::Point State::aimed_at(const Slot& slot, const OwnOperation& own, std::size_t unit, const Gauge& gauge,
                             shape::Point point) noexcept {
  const AnalogOperation& operation = plan_data->operations[own.operation];
  if (own.aim != nothing) {
    const shape::Projection& map = slot.aims[own.aim];
    const double x = raw[gauge.x], y = raw[gauge.y];
    // Points behind the gun are far off-screen.
    point = shape::is_before(map, x, y) ? map(x, y) : shape::Point{shape::Scale::endless, shape::Scale::endless};
  } else if (operation.kind == AnalogKind::point) {
    const auto side = [](const shape::Scale& scale, std::int32_t value) {
      const double width = scale.width[std::isfinite(scale.width[0]) ? 0 : 1];  // reversed, it starts at its maximum
      return 2 * ((static_cast<double>(value) - scale.rest) / width) - 1;
    };
    point = {side(gauge.x_scale, raw[gauge.x]), gauge.pair ? side(gauge.y_scale, raw[gauge.y]) : 0};
  }
  return through(own.shapes.of(slot.shapes), unit, point);
}

/// The position in the report of the pull was measured before the screen flashed, even if an earlier pull still holds
/// the aim.
void State::hold_aim(Index operation, std::size_t unit) noexcept {
  aims[aim_of(plan_data->operations[operation], unit)].pulled = head->now;
  any_pull = true;
}

/// At the end of the report of a pull the gun is at its raw position.
void State::aim_pulls(std::size_t unit) noexcept {
  any_pull = false;
  for (const OwnOperation& own : slots[unit].operations) {
    const AnalogOperation& operation = plan_data->operations[own.operation];
    if (operation.steady != nothing && aims[aim_of(operation, unit)].pulled == head->now)
      measure_again(own.operation, unit);
  }
}

void State::aim(const Slot& slot, const OwnOperation& own, std::size_t unit, const Gauge& gauge,
                shape::Point point) noexcept {
  if (head->frozen != 0 || is_steady(plan_data->operations[own.operation], unit)) return;
  aim_at(own, unit, aimed_at(slot, own, unit, gauge, point));
}

void State::aim_at(const OwnOperation& own, std::size_t unit, shape::Point at) noexcept {
  const AnalogOperation& operation = plan_data->operations[own.operation];
  if (operation.kind != AnalogKind::point) return aim_by_stick(operation, unit, at);
  // Invisible points are off the game.
  const double end = plan_data->seen() + operation.margin + (own.aim != nothing ? shape::aim_rounding : 0);
  AimState& aim = aims[aim_of(operation, unit)];
  aim.on = std::abs(at.x) <= end && std::abs(at.y) <= end ? 1 : 0;
  put_pointer(operation, unit, seen_place(at));
}

/// Within the visible part of the game, 0..1.
stage::FixedPoint State::seen_place(shape::Point at) const noexcept {
  const double end = plan_data->seen();
  return stage::to_fixed(
      shape::on_area({std::fmax(-end, std::fmin(end, at.x)), std::fmax(-end, std::fmin(end, at.y))}));
}

void State::aim_by_stick(const AnalogOperation& operation, std::size_t unit, shape::Point at) noexcept {
  AimState& aim = aims[aim_of(operation, unit)];
  if (operation.kind == AnalogKind::glide) {
    aim.push = at;
    return set_moving(glider(operation, unit), !at.at_rest());
  }
  const shape::Point square = shape::squared(at);
  const double reach = plan_data->seen() + operation.beyond, end = plan_data->seen();
  const shape::Point place{square.x * reach, square.y * reach};
  aim.on = std::abs(place.x) <= end && std::abs(place.y) <= end ? 1 : 0;
  put_pointer(operation, unit, seen_place(place));
}

void State::push_by_directions(Index number, std::size_t unit) noexcept {
  const AnalogOperation& operation = plan_data->operations[number];
  if (head->frozen == 0 && !sights_later) aim_by_stick(operation, unit, goal_of(operation.signals, unit));
}

/// Another source now has the pointer. The previous one's excess beyond the edge is discarded.
void State::lead(const AnalogOperation& operation, std::size_t number) noexcept {
  PointerState& pointer = pointers[operation.group];
  if (pointer.leader == number + 1) return;
  if (pointer.leader != 0) {
    const std::size_t before = pointer.leader - 1;
    const AnalogKind kind = plan_data->operations[plan_data->aiming[before / max_units]].kind;
    if (kind == AnalogKind::glide || kind == AnalogKind::drag) aims[before].at = {};
  }
  pointer.leader = static_cast<std::uint32_t>(number + 1);
}

/// A source reports its position.
void State::put_pointer(const AnalogOperation& operation, std::size_t unit, stage::FixedPoint point) noexcept {
  const std::size_t number = aim_of(operation, unit);
  AimState& aim = aims[number];
  const PointerState& pointer = pointers[operation.group];
  const bool is_new = aim.has_reported == 0;
  aim.has_reported = 1;
  // A self-centering source was at the centre before its first report; others have no known position.
  if (is_new) aim.at = operation.kind == AnalogKind::spring ? seen_place({}) : point;
  const bool is_led_by_another = pointer.leader != 0 && pointer.leader != number + 1;
  if (is_led_by_another && !is_far({point.x - aim.at.x, point.y - aim.at.y})) return;
  lead(operation, number);
  aim.at = point;
  if (!is_shot(operation.group)) move_pointer(plan_data->pointers[operation.group], point);
  refresh_sight(operation.group);
}

/// A source reports a movement. Its `at` includes the movement beyond the edge.
void State::push_pointer(const AnalogOperation& operation, std::size_t unit, stage::FixedPoint push) noexcept {
  const std::size_t number = aim_of(operation, unit);
  AimState& aim = aims[number];
  const PointerState& pointer = pointers[operation.group];
  if (is_shot(operation.group)) return;
  if (pointer.leader != number + 1) {
    push = aim.at = {aim.at.x + push.x, aim.at.y + push.y};
    if (pointer.leader != 0 && !is_far(push)) return;
    lead(operation, number);
    aim = {{}, aim.push, 1, 1};
  }
  const std::int64_t low = stage::to_fixed((1 - plan_data->seen()) / 2), high = stage::whole - low;
  const std::int64_t beyond = stage::to_fixed(operation.beyond / 2);
  const Pointer& body = plan_data->pointers[operation.group];
  const stage::FixedPoint from = point_of(body);
  const auto gone = [&](std::int64_t at, std::int64_t past, std::int64_t moved) {
    return std::clamp(at + past + moved, low - beyond, high + beyond);
  };
  const stage::FixedPoint to{gone(from.x, aim.at.x, push.x), gone(from.y, aim.at.y, push.y)};
  const stage::FixedPoint seen{std::clamp(to.x, low, high), std::clamp(to.y, low, high)};
  aim.at = {to.x - seen.x, to.y - seen.y};
  aim.on = aim.at == stage::FixedPoint{} ? 1 : 0;
  move_pointer(body, seen);
  refresh_sight(operation.group);
}

void State::move_pointer(const Pointer& pointer, stage::FixedPoint point) noexcept {
  const shape::Point to = stage::from_fixed(point);
  if (level[pointer.x] == to.x && level[pointer.y] == to.y) return;
  level[pointer.x] = to.x;
  level[pointer.y] = to.y;
  note(pointer.x);
}

void State::drag(const Sum& sum, std::size_t unit, std::int32_t counts) noexcept {
  const AnalogOperation& operation = plan_data->operations[sum.drag];
  stage::FixedPoint push;
  const auto moved = static_cast<double>(counts);
  shape::Point point = sum.is_y ? shape::Point{0, moved} : shape::Point{moved, 0};
  for (const Shape& shape : operation.shapes.of(plan_data->shapes)) point = shape.kind->move(shape.constants, point);
  stage::drag.travel(operation.constants, push, point, 0);
  push_pointer(operation, unit, push);
}

/// One tick of a stick that pushes a pointer.
void State::glide(Index number, std::size_t unit) noexcept {
  const AnalogOperation& operation = plan_data->operations[plan_data->gliding[number]];
  stage::FixedPoint push;
  if (stage::glide.travel(operation.constants, push, aims[aim_of(operation, unit)].push, 0))
    set_moving(glider(operation, unit), false);
  push_pointer(operation, unit, push);
}

// -- centring, and calibration shots ----------------------------------------------------------------------

void State::centre(Index number) noexcept {
  if (head->frozen != 0 || is_shot(number)) return;
  const PointerState& pointer = pointers[number];
  if (pointer.leader != 0) {
    AimState& aim = aims[pointer.leader - 1];
    const AnalogKind kind = plan_data->operations[plan_data->aiming[(pointer.leader - 1) / max_units]].kind;
    if (kind == AnalogKind::glide || kind == AnalogKind::drag) aim.at = {};
    aim.on = 1;  // until its next report
  }
  move_pointer(plan_data->pointers[number], {stage::whole / 2, stage::whole / 2});
  refresh_sight(number);
}

//   aims --begin--> next pull gives shot 1 --pull--> holds it, next pull gives shot 2 … --last one released--> aims
/// Started again during the sequence, it returns to aiming.
void State::begin_shots(Index number) noexcept {
  if (head->frozen != 0) return;
  if (pointers[number].shot != 0) return end_shots(number);
  pointers[number].shot = 1;
}

void State::pull(Index number, bool on) noexcept {
  PointerState& pointer = pointers[number];
  const Pointer& body = plan_data->pointers[number];
  if (pointer.shot == 0) return;
  if (pointer.shot > body.shots.count) {
    if (!on) end_shots(number);
    return;
  }
  if (!on) return;
  const AreaPoint at = body.shots.of(plan_data->shots)[pointer.shot - 1];
  ++pointer.shot;
  level[body.x] = at.x;
  level[body.y] = at.y;
  note(body.x);
  refresh_sight(number);
}

/// The pointer returns to the position of its source.
void State::end_shots(Index number) noexcept {
  PointerState& pointer = pointers[number];
  pointer.shot = 0;
  if (pointer.leader != 0) {
    const std::size_t aim = pointer.leader - 1;
    const AnalogOperation& operation = plan_data->operations[plan_data->aiming[aim / max_units]];
    if (operation.kind == AnalogKind::point || operation.kind == AnalogKind::spring)
      move_pointer(plan_data->pointers[number], aims[aim].at);
  }
  refresh_sight(number);
}

// -- on the area or off it ---------------------------------------------------------------------------------

/// A pointer is on the game area while its source is, and sees it.
void State::refresh_sight(Index number) noexcept {
  if (sights_later) return;
  if (in_report) {
    any_sight = true;
    return;
  }
  PointerState& pointer = pointers[number];
  bool on = false;
  if (pointer.leader != 0 && head->frozen == 0) {
    const std::size_t aim = pointer.leader - 1;
    const AnalogOperation& operation = plan_data->operations[plan_data->aiming[aim / max_units]];
    bool is_blind = operation.blind != nothing && is_on(operation.blind, aim % max_units);
    // A loss of sight hidden by a flash is deferred until after the pull.
    if (is_steady(operation, aim % max_units)) is_blind = is_blind && aims[aim].blind <= aims[aim].pulled;
    on = aims[aim].on != 0 && !is_blind;
  }
  const Index off = plan_data->pointers[number].off;
  if (off != nothing && is_on(off, 0)) on = false;
  if (is_shot(number) && head->frozen == 0) on = true;
  if (on == (pointer.on != 0)) return;
  pointer.on = on ? 1 : 0;
  const Index signal = plan_data->pointers[number].on;
  std::uint32_t& times = presses[plan_data->signals[signal].target];
  const std::uint32_t by_hands = times;
  on ? raise(raise_of(signal, 0), 0) : lower(raise_of(signal, 0), 0);
  if (by_itself) times = by_hands;
}

void State::refresh_sights() noexcept {
  sights_later = any_sight = false;
  for (Index pointer = 0; pointer < plan_data->pointers.size(); ++pointer) refresh_sight(pointer);
}

/// No source pushes any more; the pointer stays in place.
void State::rest_aim(const AnalogOperation& operation, std::size_t unit) noexcept {
  if (operation.kind == AnalogKind::glide) set_moving(glider(operation, unit), false);
  aims[aim_of(operation, unit)].push = {};
}

/// The unit was detached: the pointer keeps its position, off-screen, until it is moved.
void State::drop_aim(Index index, std::size_t unit) noexcept {
  const AnalogOperation& operation = plan_data->operations[index];
  const std::size_t number = aim_of(operation, unit);
  rest_aim(operation, unit);
  aims[number] = {};
  PointerState& pointer = pointers[operation.group];
  if (pointer.leader != number + 1) return;
  pointer.leader = 0;
  pointer.shot = 0;  // no unit is left to give calibration shots
  refresh_sight(operation.group);
}

}  // namespace omnipar::inline abi_0::engine
