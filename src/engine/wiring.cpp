// From attachments to wires: made when a unit comes or the plan changes, never in the hot path.
#include <algorithm>

#include <fmt/format.h>

#include "engine/heart.hpp"
#include "omnipar/role.hpp"

namespace omnipar {

using Heart = Engine::Heart;

namespace {

/// Collects a slot's wires, control by control.
class Wiring {
 public:
  Wiring(const PlanData& plan, const Attachment& attachment, Slot& slot, std::size_t slot_number)
      : plan_(plan), attachment_(attachment), slot_(slot), slot_number_(slot_number) {}

  std::optional<Diagnostic> run() {
    slot_.codes.clear();
    slot_.wires.assign(1, {});
    slot_.buttons.clear();
    slot_.raises.clear();
    slot_.sums.clear();
    slot_.counted.clear();
    slot_.gauges.clear();
    slot_.steps.clear();
    slot_.rests.clear();
    slot_.crossing_gauges = 0;
    for (const Control& control : attachment_.controls)
      if (!add(control))
        return Diagnostic{"too-many-controls", Severity::error, "the unit has more controls than one unit may have",
                          attachment_.unit, fmt::format("at most {} buttons and {} axes", max_buttons, max_axes)};
    slot_.words = (slot_.buttons.size() + 63) / 64;
    return std::nullopt;
  }

 private:
  const Input* input(std::string_view role) const { return plan_.input(attachment_.seat, role); }

  bool add(const Control& control) {
    Wire wire;
    if (control.reading == Reading::hat) return add_hat(control);
    const Input* found = input(control.role);
    if (control.reading == Reading::counts) return add_counts(control, found);
    const bool held = control.reading == Reading::button;
    if (held && found != nullptr && !found->raises.empty()) {
      wire.kind = WireKind::button;
      return add_button(found, wire) && keep(control.code, wire);
    }
    if (held && (found == nullptr || found->operations.empty())) return keep(control.code, wire);
    return add_axis(control, found);
  }

  /// Codes that there is no room for are as if the unit did not have them.
  bool keep(Code code, const Wire& wire) {
    if (!CodeTable::has_room_for(code)) return true;
    if (slot_.wires.size() > 255) return false;
    slot_.codes.set(code, static_cast<std::uint8_t>(slot_.wires.size()));
    slot_.wires.push_back(wire);
    return true;
  }

  bool add_button(const Input* input, Wire& wire) {
    if (slot_.buttons.size() >= max_buttons) return false;
    wire.button = static_cast<std::uint8_t>(slot_.buttons.size());
    Run run{static_cast<std::uint16_t>(slot_.raises.size()), 0};
    if (input != nullptr) {
      slot_.raises.insert(slot_.raises.end(), input->raises.begin(), input->raises.end());
      run.count = static_cast<std::uint16_t>(input->raises.size());
    }
    slot_.buttons.push_back(run);
    return true;
  }

  bool add_hat(const Control& control) {
    const bool across = control.axis == Axis::x;
    Wire negative;
    Wire positive;
    if (!add_button(input(control.role + (across ? "-left" : "-up")), negative)) return false;
    if (!add_button(input(control.role + (across ? "-right" : "-down")), positive)) return false;
    negative.kind = WireKind::hat;
    return keep(control.code, negative);
  }

  bool add_counts(const Control& control, const Input* input) {
    Wire wire;
    wire.kind = WireKind::counts;
    wire.axis = static_cast<Index>(slot_.sums.size());
    Run run{static_cast<std::uint16_t>(slot_.counted.size()), 0};
    for (const Index index : input != nullptr ? input->operations : std::vector<Index>{}) {
      const Group& group = plan_.groups[plan_.operations[index].group];
      slot_.counted.push_back({control.axis == Axis::y ? group.y : group.x, group.x});
      ++run.count;
    }
    slot_.sums.push_back(run);
    return keep(control.code, wire);
  }

  /// Axes are kept even when nothing needs them, so that a later plan knows where they are.
  bool add_axis(const Control& control, const Input* input) {
    const std::size_t axis = slot_.rests.size();
    if (axis >= max_axes) return false;
    slot_.rests.push_back(control.rest);
    Wire wire;
    wire.kind = WireKind::axis;
    wire.axis = static_cast<Index>(slot_number_ * max_axes + axis);
    wire.touches = std::uint64_t{1} << axis;
    if (input != nullptr && !input->operations.empty())
      wire.touches |= std::uint64_t{1} << (gauge_bits + gauge_for(control, *input, wire.axis));
    return keep(control.code, wire);
  }

  std::size_t gauge_for(const Control& control, const Input& input, Index axis) {
    const std::size_t number = control.axis == Axis::none ? new_gauge(input) : gauge_of(input);
    Gauge& gauge = slot_.gauges[number];
    shape::Scale scale = shape::scale_of(control.minimum, control.maximum, control.rest);
    if (control.reading == Reading::one_sided && control.rest == control.maximum)
      scale.width[1] = -scale.width[1];  // pushed towards its minimum it grows
    if (control.axis == Axis::y) {
      gauge.y = axis;
      gauge.y_scale = scale;
      gauge.pair = true;
    } else {
      gauge.x = axis;
      gauge.x_scale = scale;
    }
    return number;
  }

  /// The gauge that already has the other half of a stick, or a new one.
  std::size_t gauge_of(const Input& input) {
    for (std::size_t i = 0; i < slot_.gauges.size(); ++i)
      if (slot_.steps[slot_.gauges[i].first_step].operation == input.operations.front()) return i;
    return new_gauge(input);
  }

  std::size_t new_gauge(const Input& input) {
    const std::size_t number = slot_.gauges.size();
    Gauge& gauge = slot_.gauges.emplace_back();
    gauge.first_step = static_cast<std::uint16_t>(slot_.steps.size());
    gauge.step_count = static_cast<std::uint16_t>(input.operations.size());
    for (const Index index : input.operations) {
      const AnalogOperation& operation = plan_.operations[index];
      Step step;
      step.kind = operation.kind;
      step.operation = index;
      const Group group = operation.kind == AnalogKind::lane ? plan_.groups[operation.group] : Group{};
      step.lane = {operation.group, static_cast<Index>(operation.lane + slot_number_), group.x, group.y, false};
      step.dead_zone = shape::DeadZone{operation.dead_zone};
      slot_.steps.push_back(step);
      if (operation.kind == AnalogKind::crossing) slot_.crossing_gauges |= std::uint64_t{1} << number;
    }
    return number;
  }

  const PlanData& plan_;
  const Attachment& attachment_;
  Slot& slot_;
  std::size_t slot_number_;
};

}  // namespace

Heart::Heart(Plan new_plan) : plan(std::move(new_plan)) { set_plan(plan); }

void Heart::set_plan(Plan new_plan) {
  plan = std::move(new_plan);
  plan_data = &plan.data();
  const StateLayout layout = layout_of(*plan_data);
  block.assign(layout.size, std::byte{0});
  const auto view = [this](auto*& pointer, std::size_t at) {
    pointer = reinterpret_cast<std::remove_reference_t<decltype(pointer)>>(block.data() + at);
  };
  view(head, 0);
  *head = StateHead{};
  view(level, layout.level);
  view(presses, layout.presses);
  view(holders, layout.holders);
  view(lanes, layout.lanes);
  view(live, layout.live);
  view(raw, layout.raw);
  view(known, layout.known);
  view(down, layout.down);
  view(counted, layout.counted);
  view(over, layout.over);
  view(over_counted, layout.over_counted);
  view(deadline, layout.deadline);
  std::fill_n(deadline, plan_data->timers.size(), never);
  view(out_held, layout.out_held);
  view(heap, layout.heap);
  view(heap_place, layout.heap_place);
  view(position, layout.position);
  view(moving, layout.moving);
  view(journal, layout.journal);
}

std::optional<Diagnostic> Heart::wire(std::size_t number, const Attachment& attachment) {
  return Wiring{*plan_data, attachment, slots[number], number}.run();
}

/// What is down or pushed already: noted, without any effect. An axis that has never spoken rests.
void Heart::take_state(std::size_t number, std::span<const Change> changes) noexcept {
  const std::uint32_t frozen = head->frozen;
  head->frozen = 1;
  std::ranges::copy(slots[number].rests, raw + number * max_axes);
  take(number, changes);
  head->frozen = frozen;
}

std::vector<Change> Heart::what_hands_hold(std::size_t number) const {
  const Slot& slot = slots[number];
  const auto is_down = [&](std::size_t button) {
    return (down[number * button_words + button / 64] >> (button % 64) & 1) != 0;
  };
  std::vector<Change> changes;
  for (const Control& control : slot.attachment.controls) {
    const Wire& wire = slot.wires[slot.codes.find(control.code)];
    if (wire.kind == WireKind::button && is_down(wire.button)) changes.push_back({control.code, 1});
    if (wire.kind == WireKind::hat && is_down(wire.button)) changes.push_back({control.code, -1});
    if (wire.kind == WireKind::hat && is_down(wire.button + 1U)) changes.push_back({control.code, 1});
    if (wire.kind == WireKind::axis && (known[number] & wire.touches) != 0)
      changes.push_back({control.code, raw[wire.axis]});
  }
  return changes;
}

tl::expected<UnitId, Diagnostic> Engine::attach(const Attachment& attachment) {
  Heart& heart = *heart_;
  const auto at = std::ranges::find_if(heart.slots, [](const Slot& slot) { return !slot.used(); });
  if (at == heart.slots.end())
    return tl::unexpected(Diagnostic{"too-many-units", Severity::error, "no room for another unit", attachment.unit,
                                     fmt::format("at most {} units at a time", max_units)});
  const auto number = static_cast<std::uint16_t>(at - heart.slots.begin());
  if (auto failure = heart.wire(number, attachment)) return tl::unexpected(std::move(*failure));
  at->attachment = attachment;
  ++at->age;
  heart.find_lone_lanes();
  heart.take_state(number, attachment.state);
  heart.start(number);
  return UnitId{number, at->age};
}

void Engine::adopt(Plan plan) {
  Heart& heart = *heart_;
  std::array<std::vector<Change>, max_units> kept;
  for (std::size_t n = 0; n < max_units; ++n)
    if (heart.slots[n].used()) kept.at(n) = heart.what_hands_hold(n);
  const StateHead before = *heart.head;
  heart.set_plan(std::move(plan));
  heart.head->now = before.now;
  heart.head->ignored = before.ignored;
  heart.head->frozen = before.frozen;
  ++heart.epoch;
  for (std::size_t n = 0; n < max_units; ++n) {
    if (!heart.slots[n].used() || heart.wire(n, heart.slots[n].attachment)) continue;
    heart.take_state(n, kept.at(n));
    heart.find_lone_lanes();
    heart.start(n);
  }
}

}  // namespace omnipar
