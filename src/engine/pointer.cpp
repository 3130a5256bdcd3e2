// Pointers. A pointer is where the source put it that moved last: another one takes it over when it has moved by more
// than its noise, and nobody else's stillness holds it up.
#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "engine/engine_state.hpp"
#include "stage/table.hpp"

namespace omnipar::engine {

namespace {

/// How far something moves that nobody moves: a part of the game area, each way.
constexpr std::int64_t noise = stage::whole / 100;

bool is_far(stage::FixedPoint way) noexcept { return std::abs(way.x) > noise || std::abs(way.y) > noise; }

std::int64_t within(std::int64_t coordinate) noexcept { return std::clamp<std::int64_t>(coordinate, 0, stage::whole); }

}  // namespace

/// -1..1 each way on the game area; what points beside it is beyond. A gun has no rest, so its ends alone count.
shape::Point State::aimed_at(const Slot& slot, const OwnOperation& own, std::size_t unit, const Gauge& gauge,
                             shape::Point point) noexcept {
  const AnalogOperation& operation = plan_data->operations[own.operation];
  if (operation.kind == AnalogKind::point) {
    const auto side = [](const shape::Scale& scale, std::int32_t value) {
      const double width = scale.width[std::isfinite(scale.width[0]) ? 0 : 1];  // reversed, it begins at its maximum
      return 2 * ((static_cast<double>(value) - scale.rest) / width) - 1;
    };
    point = {side(gauge.x_scale, raw[gauge.x]), gauge.pair ? side(gauge.y_scale, raw[gauge.y]) : 0};
  }
  return through(own.shapes.of(slot.shapes), unit, point);
}

void State::aim(const Slot& slot, const OwnOperation& own, std::size_t unit, const Gauge& gauge,
                shape::Point point) noexcept {
  if (head->frozen != 0) return;
  aim_at(own, unit, aimed_at(slot, own, unit, gauge, point));
}

void State::aim_at(const OwnOperation& own, std::size_t unit, shape::Point at) noexcept {
  const AnalogOperation& operation = plan_data->operations[own.operation];
  if (operation.kind == AnalogKind::spring) at = shape::squared(at);
  AimState& aim = aims[aim_of(operation, unit)];
  if (operation.kind == AnalogKind::glide) {
    aim.push = at;
    return set_moving(glider(operation, unit), !at.at_rest());
  }
  aim.on = std::abs(at.x) <= 1 && std::abs(at.y) <= 1 ? 1 : 0;
  put_pointer(operation, unit, stage::to_fixed(shape::on_area(at)));
}

/// A source says where it is.
void State::put_pointer(const AnalogOperation& operation, std::size_t unit, stage::FixedPoint point) noexcept {
  const std::size_t number = aim_of(operation, unit);
  AimState& aim = aims[number];
  PointerState& pointer = pointers[operation.group];
  const bool is_new = aim.told == 0;
  aim.told = 1;
  if (pointer.leader != 0 && pointer.leader != number + 1) {
    const bool moved = !is_new && is_far({point.x - aim.at.x, point.y - aim.at.y});
    if (is_new) aim.at = point;
    if (!moved) return;
  }
  pointer.leader = static_cast<std::uint32_t>(number + 1);
  aim.at = point;
  move_pointer(plan_data->pointers[operation.group], point);
  refresh_sight(operation.group);
}

/// A source says how far it goes from where the pointer is.
void State::push_pointer(const AnalogOperation& operation, std::size_t unit, stage::FixedPoint way) noexcept {
  const std::size_t number = aim_of(operation, unit);
  AimState& aim = aims[number];
  PointerState& pointer = pointers[operation.group];
  if (pointer.leader != number + 1) {
    way = aim.at = {aim.at.x + way.x, aim.at.y + way.y};
    if (pointer.leader != 0 && !is_far(way)) return;
    pointer.leader = static_cast<std::uint32_t>(number + 1);
    aim = {{}, aim.push, 1, 1};
  }
  const Pointer& body = plan_data->pointers[operation.group];
  const stage::FixedPoint from = point_of(body);
  move_pointer(body, {within(from.x + way.x), within(from.y + way.y)});
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
  stage::FixedPoint way;
  const auto moved = static_cast<double>(counts);
  shape::Point point = sum.is_y ? shape::Point{0, moved} : shape::Point{moved, 0};
  for (const Shape& shape : operation.shapes.of(plan_data->shapes)) point = shape.kind->move(shape.constants, point);
  stage::drag.travel(operation.constants, way, point);
  push_pointer(operation, unit, way);
}

/// One tick of a stick that pushes a pointer.
void State::glide(Index number, std::size_t unit) noexcept {
  const AnalogOperation& operation = plan_data->operations[plan_data->gliding[number]];
  stage::FixedPoint way;
  if (stage::glide.travel(operation.constants, way, aims[aim_of(operation, unit)].push))
    set_moving(glider(operation, unit), false);
  push_pointer(operation, unit, way);
}

// -- on the area or off it ---------------------------------------------------------------------------------

/// A pointer is on the game area while its source is, and sees it.
void State::refresh_sight(Index number) noexcept {
  if (sights_later) return;
  PointerState& pointer = pointers[number];
  bool on = false;
  if (pointer.leader != 0 && head->frozen == 0) {
    const std::size_t aim = pointer.leader - 1;
    const AnalogOperation& operation = plan_data->operations[plan_data->aiming[aim / max_units]];
    on = aims[aim].on != 0 && (operation.blind == nothing || !is_on(operation.blind, aim % max_units));
  }
  if (on == (pointer.on != 0)) return;
  pointer.on = on ? 1 : 0;
  const Raise raised = raise_of(plan_data->pointers[number].on, 0);
  on ? raise(raised, 0) : lower(raised, 0);
}

void State::refresh_sights() noexcept {
  sights_later = false;
  for (Index pointer = 0; pointer < plan_data->pointers.size(); ++pointer) refresh_sight(pointer);
}

/// Nothing pushes any more; the pointer stays where it is.
void State::rest_aim(const AnalogOperation& operation, std::size_t unit) noexcept {
  if (operation.kind == AnalogKind::glide) set_moving(glider(operation, unit), false);
  aims[aim_of(operation, unit)].push = {};
}

/// The unit has left: the pointer stays where it is, off the area, until somebody moves it.
void State::drop_aim(Index index, std::size_t unit) noexcept {
  const AnalogOperation& operation = plan_data->operations[index];
  const std::size_t number = aim_of(operation, unit);
  rest_aim(operation, unit);
  aims[number] = {};
  PointerState& pointer = pointers[operation.group];
  if (pointer.leader != number + 1) return;
  pointer.leader = 0;
  refresh_sight(operation.group);
}

}  // namespace omnipar::engine
