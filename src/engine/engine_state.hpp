// The internals of an engine: views into the flat block of state, and the wiring of attached units. The wiring follows
// from plan and attachments; everything that events change is state.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "omnipar/engine.hpp"
#include "plan/plan_data.hpp"
#include "shape/measured.hpp"
#include "shape/projection.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::engine {

using plan::AimState, plan::AnalogKind, plan::AnalogOperation, plan::DigitalOperation, plan::Effect, plan::EffectKind,
    plan::Gate, plan::Group, plan::Index, plan::Input, plan::is_aim, plan::journal_length, plan::max_axes,
    plan::max_buttons, plan::nothing, plan::OpposedDirections, plan::PlanData, plan::Pointer, plan::PointerState,
    plan::Run, plan::Shape, plan::Signal, plan::StateLayout;

inline constexpr std::int64_t never = std::numeric_limits<std::int64_t>::max();
/// Later than any possible time, so that such times take the slow path.
inline constexpr std::int64_t after_all = latest_time.time_since_epoch().count() + 1;
inline constexpr std::size_t button_words = max_buttons / 64;

/// One bit per unit, by slot number.
using Units = std::uint32_t;
inline constexpr Units everybody = ~Units{0};
static_assert(max_units <= 32);

/// The effect of presses and positions, by `StateHead::frozen`.
inline constexpr std::uint32_t plays = 0;
inline constexpr std::uint32_t frozen_but_hotkeys = 1;  ///< hotkeys continue to work
inline constexpr std::uint32_t only_noted = 2;          ///< states are stored without any effect

/// The head of the block; the arrays follow.
struct StateHead {
  std::int64_t now = 0;
  std::int64_t next_due = after_all;
  std::uint64_t journal_end = 0;
  std::uint64_t ignored = 0;
  std::uint32_t armed = 0;   ///< gates in the heap
  std::uint32_t moving = 0;  ///< active movers
  std::uint32_t frozen = plays;
  std::uint32_t hotkey_held = 0;  ///< bits that are set in `hotkey_held`
};
static_assert(sizeof(StateHead) <= 64);

enum class WireKind : std::uint8_t { unused, button, hat, axis, counts, growing, trigger_button };

/// Kinds that have a value in `raw`.
constexpr bool is_axis(WireKind kind) noexcept {
  return kind == WireKind::axis || kind == WireKind::growing || kind == WireKind::trigger_button;
}

/// What one code of one unit does.
struct Wire {
  WireKind kind = WireKind::unused;
  std::uint8_t button = 0;  ///< button, hat: its bit; a hat's positive side has the next one
  Index axis = 0;           ///< axis, also with a learned range: its index in `raw`; counts: its index in
                            ///< the slot's `sums`
  /// axis: its bit among the unit's axes, and above these (`gauge_bits`) the bit of the gauge that it
  /// belongs to, if anything uses it
  std::uint64_t touches = 0;
};
inline constexpr int gauge_bits = 32;
static_assert(max_axes <= gauge_bits);

/// A signal that a button raises, and the cell that counts it.
struct Raise {
  Index signal = 0;
  Index cell = 0;
};

/// The destination of movements: a target, with the one that represents its group in the journal, or a pointer.
struct Sum {
  Index target = 0;
  Index noted = 0;
  Index drag = nothing;  ///< the operation that moves a pointer
  bool is_y = false;
  bool is_reversed = false;  ///< the unit's counts are reversed
};

/// A lane of a group, and the targets that the group moves.
struct Lane {
  Index group = 0;
  Index number = 0;
  Index x = 0;
  Index y = nothing;
  bool alone = false;   ///< nothing else feeds the group at present, so there is nothing to compare
  bool speaks = false;  ///< a report counts even without a change: its group is not self-centering
};

/// The fast paths of a position, and the general one through the plan's stages.
enum class StickPath : std::uint8_t { dead_zone, crossing, shaped, aim };

/// A shape of an operation, with this unit's own constants.
struct OwnShape {
  shape::Point (*move)(const stage::Constants&, shape::Point) noexcept = nullptr;
  stage::Constants constants{};
  shape::Point (*follow)(const stage::Constants&, stage::Trail&, bool tick) noexcept = nullptr;  ///< instead
  Index trail = nothing;  ///< of a shape with memory: its number in the plan
};

/// An analog operation of the plan, with this unit's own lane or crossing.
struct OwnOperation {
  StickPath path = StickPath::dead_zone;
  AnalogKind kind = AnalogKind::lane;
  Index operation = 0;
  Lane lane;
  Run shapes;                 ///< range of the slot's `shapes`
  Index aim = nothing;        ///< of a pointer: the index in the slot's `aims` of its map from raw numbers to the game
  shape::DeadZone dead_zone;  ///< of a lane without any other stage
};

/// One or two axes that are evaluated together, and a range of the slot's `operations` that they feed.
struct Gauge {
  Index x = 0;  ///< indices in `raw`
  Index y = 0;
  std::uint32_t axes = 0;  ///< their bits among the unit's axes
  bool pair = false;
  bool alike = false;      ///< the unit has others of the same role: the one pushed furthest counts
  bool is_button = false;  ///< one of the controls that drive a button
  bool plain = true;       ///< its position depends only on its scales: no other of its role, not calibrated
  Index stick = nothing;   ///< of a calibrated pair: index in the slot's `sticks`
  Index bend = nothing;    ///< of a calibrated axis with a nonlinear response: index in the slot's `bends`
  bool x_grows = false;    ///< the range of that axis is learned while playing
  bool y_grows = false;
  bool square = false;  ///< of a pair: both axes can be at their ends at the same time
  Run operations;       ///< range of the slot's `operations`
  shape::Scale x_scale;
  shape::Scale y_scale;
};

/// Wire numbers by code. 0 means that the unit has no such code.
class CodeTable {
 public:
  void clear() noexcept { numbers_.fill(0); }
  [[nodiscard]] static constexpr bool has_room_for(Code code) noexcept {
    return code.type < types && code.number < codes;
  }
  /// There must be room for the code.
  void set(Code code, std::uint8_t number) noexcept { numbers_[index_of(code)] = number; }
  [[nodiscard]] std::uint8_t find(Code code) const noexcept {
    return has_room_for(code) ? numbers_[index_of(code)] : 0;
  }

 private:
  static constexpr std::size_t types = 5, codes = 2048;
  static std::size_t index_of(Code code) noexcept { return code.type * codes + code.number; }
  std::array<std::uint8_t, types * codes> numbers_{};
};

/// Two sides of one physical control that are never down together, with a debounce after one of them.
struct Opposed {
  bool hat = false;  ///< otherwise a crossing
  Index of = 0;      ///< hat: the bit of its negative side, followed by the other one; crossing: the operation
};

/// A slot for one unit. `id` increases when the unit is detached, so that ids are never reused.
struct Slot {
  std::uint64_t id = 0;  ///< of the attached unit, otherwise of the next one
  bool used = false;
  Attachment attachment;
  CodeTable codes;
  std::vector<Wire> wires;
  std::vector<Run> buttons;         ///< by button bit: the signals that it raises, of `raises`
  std::vector<Run> hotkey_buttons;  ///< the hotkeys' signals among them, which come last
  std::vector<Raise> raises;
  std::vector<Run> sums;      ///< by counter: a range of `all_sums`
  std::vector<Sum> all_sums;  ///< the destinations of movements
  std::vector<Gauge> gauges;
  std::vector<OwnOperation> operations;
  std::vector<OwnShape> shapes;         ///< the shapes of these operations, contiguous for each
  std::vector<shape::StickMap> sticks;  ///< by calibration
  std::vector<shape::AxisMap> bends;
  std::vector<shape::Projection> aims;  ///< from raw numbers to -1..1 along each axis of the game
  std::vector<Index> gates;             ///< those of the plan that it can drive
  std::vector<Index> digitals;          ///< the same
  std::vector<Index> pushed;            ///< the same, for operations that aim by directions
  std::vector<Opposed> opposed;
  std::size_t words = 0;              ///< the part of `down` and `raising` that its buttons use
  std::uint64_t crossing_gauges = 0;  ///< one bit for each gauge that has a crossing among its operations
  std::vector<std::int32_t> rests;    ///< by axis: its raw value at rest

  [[nodiscard]] bool has_use() const noexcept { return !raises.empty() || !all_sums.empty() || !operations.empty(); }
};

class Sampler;

/// Presses and counts during a period, by target.
struct Unshown {
  std::array<std::uint32_t, max_targets> presses{};
  std::array<std::int64_t, max_targets> total{};
};

struct State {
  explicit State(Plan new_plan);
  ~State() = default;
  State(const State&) = delete;
  State& operator=(const State&) = delete;

  // wiring.cpp: from attachments to wires
  void set_plan(Plan new_plan);
  std::optional<Diagnostic> wire(std::size_t unit, const Attachment& attachment);
  void start(std::size_t unit) noexcept;
  void begin_reaches(std::size_t unit) noexcept;
  void note_state(std::size_t unit, std::span<const Change> changes) noexcept;
  void adopt(Plan new_plan);
  void note_crossings(std::size_t unit) noexcept;
  void find_lone_lanes() noexcept;

  // engine.cpp; `unit` is always the number of a unit's slot
  void apply_state(std::size_t unit, std::span<const Change> changes) noexcept;
  void commit(std::size_t unit, std::span<const Change> changes) noexcept;
  void commit_and_settle(std::size_t unit, std::span<const Change> changes) noexcept;
  void apply_changes(std::size_t unit, std::span<const Change> changes, bool settles) noexcept;
  void aim_pulls(std::size_t unit) noexcept;
  void press(const Slot& slot, std::size_t unit, std::size_t button) noexcept;
  bool set_button(const Slot& slot, std::size_t unit, std::size_t button, bool now_down) noexcept;
  void let_go_first(std::span<const Raise> raises, std::size_t unit) noexcept;
  void set_signals(std::span<const Raise> raises, std::size_t unit, bool on) noexcept;
  void let_go(const Slot& slot, std::size_t unit) noexcept;
  void press_hotkeys(const Slot& slot, std::size_t unit, std::size_t button) noexcept;
  void keep_hotkeys(const Slot& slot, std::size_t unit, std::size_t w, std::uint64_t stay) noexcept;
  void mark_pressed(std::size_t unit) noexcept;
  void rest_hotkeys() noexcept;
  void keep_directions(const AnalogOperation& operation, std::size_t unit, std::uint8_t stay) noexcept;
  [[nodiscard]] shape::Point point_of(const Gauge& gauge) const noexcept;
  [[nodiscard]] shape::Point measured_point(const Slot& slot, const Gauge& gauge) const noexcept;
  [[nodiscard]] bool is_outspoken(const Slot& slot, const Gauge& gauge) const noexcept;
  [[nodiscard]] shape::Point furthest_point(const Slot& slot, const Gauge& gauge, std::uint32_t without) const noexcept;
  [[nodiscard]] shape::Point through(std::span<const OwnShape> shapes, std::size_t unit, shape::Point point) noexcept {
    for (const OwnShape& shape : shapes)
      point = shape.move != nullptr ? shape.move(shape.constants, point) : follow(shape, unit, point);
    return point;
  }
  [[nodiscard]] shape::Point follow(const OwnShape& shape, std::size_t unit, shape::Point point) noexcept;
  void trail_on(Index number, std::size_t unit) noexcept;
  void arrive(const OwnOperation& own, std::size_t unit, shape::Point point) noexcept;
  void measure_shaped(const Slot& slot, const OwnOperation& own, std::size_t unit, shape::Point point) noexcept;
  void measure(const Slot& slot, std::size_t unit, const Gauge& gauge) noexcept;
  void move(const Slot& slot, const OwnOperation& own, std::size_t unit, const Gauge& gauge,
            shape::Point point) noexcept;
  void measure_beside_held(const Slot& slot, std::size_t unit, const Gauge& gauge) noexcept;
  void measure_again(Index operation, std::size_t unit) noexcept;
  void grow(Index axis, std::int32_t rest, std::int32_t value) noexcept;
  [[nodiscard]] double by_reach(Index axis, const shape::Scale& scale, bool grows) const noexcept;
  void measure_all(const Slot& slot, std::size_t unit, std::uint64_t touched) noexcept;
  void cross(std::size_t unit, const AnalogOperation& operation, shape::Point point) noexcept;
  void lower_crossings(std::size_t unit) noexcept;
  void end_opposed(const Slot& slot, std::size_t unit) noexcept;
  void move_counts(const Slot& slot, const Wire& wire, std::size_t unit, std::int32_t movement) noexcept;
  void rest(Units units) noexcept;
  void rest_buttons(const Slot& slot, std::size_t unit, std::size_t w) noexcept;
  void rest_contacts(std::size_t unit) noexcept;
  void rest_axis(const OwnOperation& own, std::size_t unit) noexcept;
  [[nodiscard]] Units used_units() const noexcept;
  void detach(std::size_t unit) noexcept;
  void freeze() noexcept;
  void thaw() noexcept;

  // saved.cpp
  struct Present;
  static constexpr std::size_t most_codes = 256;
  [[nodiscard]] std::size_t saved_size() const noexcept;
  bool save(std::span<std::byte> into) const noexcept;
  bool restore(std::span<const std::byte> saved) noexcept;
  void note_present(Present& present) const noexcept;
  void put_off(std::int64_t time) noexcept;
  void follow_hands(const Present& present) noexcept;
  [[nodiscard]] std::size_t differences(const Present& present, std::size_t unit,
                                        std::array<Change, most_codes>& changes) const noexcept;

  // pointer.cpp
  void aim(const Slot& slot, const OwnOperation& own, std::size_t unit, const Gauge& gauge,
           shape::Point point) noexcept;
  [[nodiscard]] shape::Point aimed_at(const Slot& slot, const OwnOperation& own, std::size_t unit, const Gauge& gauge,
                                      shape::Point point) noexcept;
  void hold_aim(Index operation, std::size_t unit) noexcept;
  void aim_at(const OwnOperation& own, std::size_t unit, shape::Point at) noexcept;
  void aim_by_stick(const AnalogOperation& operation, std::size_t unit, shape::Point at) noexcept;
  void push_by_directions(Index operation, std::size_t unit) noexcept;
  [[nodiscard]] stage::FixedPoint seen_place(shape::Point at) const noexcept;
  void lead(const AnalogOperation& operation, std::size_t number) noexcept;
  void centre(Index pointer) noexcept;
  void begin_shots(Index pointer) noexcept;
  void pull(Index pointer, bool on) noexcept;
  void end_shots(Index pointer) noexcept;
  /// Aims do not move it: it is at the position of a calibration shot.
  [[nodiscard]] bool is_shot(Index pointer) const noexcept { return pointers[pointer].shot > 1; }
  /// Its aim is held, except for what the report of the pull itself contains.
  [[nodiscard]] bool is_steady(const AnalogOperation& operation, std::size_t unit) const noexcept {
    return operation.steady != nothing && is_on(operation.steady, unit) &&
           aims[aim_of(operation, unit)].pulled != head->now;
  }
  void put_pointer(const AnalogOperation& operation, std::size_t unit, stage::FixedPoint point) noexcept;
  void push_pointer(const AnalogOperation& operation, std::size_t unit, stage::FixedPoint way) noexcept;
  void drag(const Sum& sum, std::size_t unit, std::int32_t counts) noexcept;
  void glide(Index number, std::size_t unit) noexcept;
  void move_pointer(const Pointer& pointer, stage::FixedPoint point) noexcept;
  void refresh_sight(Index pointer) noexcept;
  void refresh_sights() noexcept;
  void rest_aim(const AnalogOperation& operation, std::size_t unit) noexcept;
  void drop_aim(Index operation, std::size_t unit) noexcept;
  [[nodiscard]] stage::FixedPoint point_of(const Pointer& pointer) const noexcept {
    return stage::to_fixed(shape::Point{level[pointer.x], level[pointer.y]});
  }
  [[nodiscard]] std::size_t aim_of(const AnalogOperation& operation, std::size_t unit) const noexcept {
    return std::size_t{operation.lane} + unit;
  }
  [[nodiscard]] std::size_t glider(const AnalogOperation& operation, std::size_t unit) const noexcept {
    return (plan_data->digitals.size() + operation.glide) * max_units + unit;
  }
  [[nodiscard]] std::size_t follower(Index trail, std::size_t unit) const noexcept {
    return (plan_data->digitals.size() + plan_data->glides + trail) * max_units + unit;
  }

  // signals.cpp
  void raise(Raise raised, std::size_t unit) noexcept;
  void lower(Raise raised, std::size_t unit) noexcept;
  void turn_on(const Signal& signal, std::size_t unit) noexcept;
  void turn_off(const Signal& signal, std::size_t unit) noexcept;
  void apply(const Effect& effect, bool on, std::size_t unit) noexcept;
  void apply_to_pointer(const Effect& effect, bool on, std::size_t unit) noexcept;
  void run_gate(Index cell, bool in, stage::Cause cause) noexcept;
  void pulse(Index cell, bool on) noexcept;
  void set_out(Index cell, bool on) noexcept;
  void end_deaf_gates(Index signal, std::size_t unit) noexcept;
  void end_gate(Index cell) noexcept;
  void end_ramp(const DigitalOperation& digital, std::size_t mover) noexcept;
  void arm(Index cell, std::int64_t deadline) noexcept;
  void disarm(Index cell) noexcept;
  void fire_first() noexcept;
  void evaluate(Index digital, std::size_t unit) noexcept;
  void set_moving(std::size_t mover, bool now) noexcept;
  [[nodiscard]] bool is_moving(std::size_t mover) const noexcept { return (moving[mover / 64] >> mover % 64 & 1) != 0; }
  void travel(std::size_t mover) noexcept;
  void settle_opposites(Index port) noexcept;
  void settle_all_opposites() noexcept;
  void tick() noexcept;
  void advance(std::int64_t to) noexcept;
  void set_lane(const Lane& lane, shape::Point point) noexcept;
  void refresh_group(const Group& group) noexcept;
  [[nodiscard]] Lane lane_of(const DigitalOperation& digital, std::size_t unit) const noexcept {
    const Group& group = plan_data->groups[digital.group];
    return {digital.group, static_cast<Index>(digital.lane + unit), group.x, group.y, false, false};
  }
  void find_next_due() noexcept;
  [[nodiscard]] static std::size_t cell_of(const Signal& signal, std::size_t unit) noexcept {
    return signal.first_cell + (signal.each_unit ? unit : 0);
  }
  [[nodiscard]] Raise raise_of(Index signal, std::size_t unit) const noexcept {
    return {signal, static_cast<Index>(cell_of(plan_data->signals[signal], unit))};
  }
  [[nodiscard]] bool is_on(Index signal, std::size_t unit) const noexcept {
    const Signal& body = plan_data->signals[signal];
    return raised_by[cell_of(body, unit)] >= body.need;
  }
  /// The gate at a cell, and its unit (any unit if it belongs to none).
  [[nodiscard]] const Gate& gate_at(Index cell) const noexcept { return plan_data->gates[plan_data->gate_at[cell]]; }
  [[nodiscard]] std::size_t unit_at(Index cell) const noexcept { return cell - std::size_t{gate_at(cell).first_cell}; }
  [[nodiscard]] Index cell_of(const Gate& gate, std::size_t unit) const noexcept {
    return static_cast<Index>(gate.first_cell + (plan_data->signals[gate.in].each_unit ? unit : 0));
  }
  [[nodiscard]] shape::Point goal_of(const std::array<Index, 4>& signals, std::size_t unit) const noexcept;
  void sift(std::uint32_t at) noexcept;
  void put(std::uint32_t at, Index gate) noexcept;
  [[nodiscard]] bool earlier(Index a, Index b) const noexcept;

  /// Notifies the readers; the x of a pair stands for both.
  void note(Index target) noexcept {
    journal[head->journal_end & (journal_length - 1)] = target;
    ++head->journal_end;
  }

  Plan plan;
  const PlanData* plan_data = nullptr;
  std::vector<std::byte> block;
  mutable std::vector<Sampler*> samplers;  ///< the open readers
  mutable std::uint64_t last_reader = 0;   ///< the number of the newest reader
  std::uint64_t key = 0;                   ///< unique to this engine
  std::uint64_t wirings = 0;               ///< incremented when units or the plan change

  // views into the block
  StateHead* head = nullptr;
  double* level = nullptr;
  std::int64_t* total = nullptr;  ///< of counts: the total since the start
  std::uint32_t* presses = nullptr;
  std::uint32_t* pressed_at = nullptr;  ///< the journal's end at a button's last press, to order presses
  std::uint16_t* raised_by = nullptr;
  shape::Point* lanes = nullptr;
  std::uint16_t* live = nullptr;  ///< lanes of a group that are not at rest
  std::int32_t* raw = nullptr;
  std::uint32_t* known = nullptr;  ///< axes of a unit that have a value, one bit each
  /// Among these, trigger buttons that were already down when they began to count: as levers they are at rest.
  std::uint32_t* held_over = nullptr;
  std::uint64_t* down = nullptr;     ///< buttons that are physically down
  std::uint64_t* raising = nullptr;  ///< among these, those that raise their signals
  /// The others raise only hotkeys' signals: pressed during a freeze, or earlier.
  std::uint64_t* hotkey_held = nullptr;
  stage::Directions* opposites = nullptr;
  std::uint8_t* over = nullptr;          ///< crossings that are physically passed, one bit per direction
  std::uint8_t* over_raising = nullptr;  ///< among these, those that raise their signals
  std::int64_t* deadline = nullptr;
  std::uint8_t* out_held = nullptr;  ///< gates that raise their out signal
  Index* heap = nullptr;
  Index* heap_at = nullptr;
  stage::FixedPoint* position = nullptr;  ///< of digital operations, by unit
  std::uint64_t* moving = nullptr;        ///< by mover: the active ones, one bit each
  std::uint64_t* moving_words = nullptr;  ///< the words of `moving` that are not 0
  PointerState* pointers = nullptr;
  AimState* aims = nullptr;
  plan::LearnedRange* reaches = nullptr;  ///< of axes whose ranges are learned while playing
  stage::Trail* trails = nullptr;         ///< of shapes with memory, by unit
  Index* journal = nullptr;

  std::array<Slot, max_units> slots;
  bool takes_as_is = false;      ///< shapes with memory jump to their destination: states are being stored
  bool settles_reports = false;  ///< the plan has something that is evaluated at the end of a report
  bool in_report = false;        ///< a report is incomplete: pointers are tested against the area at its end
  bool any_sight = false, any_pull = false;  ///< which is pending then
  bool by_itself = false;                    ///< the current change is made by autofire
  bool sights_later = false;                 ///< pointers are evaluated once all of them have reported
  bool any_to_settle = false;
  bool settles_later = false;                ///< opposite directions are evaluated once all simultaneous changes are in
  std::array<std::uint64_t, 2> to_settle{};  ///< one bit for each port with such directions that have changed since
  static_assert(max_targets / 4 <= 128);     // bits of `to_settle`: a port with opposites has four targets
};

// -- the core of the hot path ---------------------------------------------------------------------

inline void State::set_lane(const Lane& lane, shape::Point point) noexcept {
  shape::Point& old = lanes[lane.number];
  if (!lane.alone) {
    if (old == point && !lane.speaks) return;
    const bool was_live = !old.at_rest();
    const bool is_live = !point.at_rest();
    std::uint16_t& others = live[lane.group];
    others = static_cast<std::uint16_t>(others + is_live - was_live);
    if (others > (is_live ? 1 : 0)) {
      old = point;
      return refresh_group(plan_data->groups[lane.group]);
    }
  }
  old = point;
  level[lane.x] = point.x;
  if (lane.y != nothing) level[lane.y] = point.y;
  note(lane.x);
}

inline void State::raise(Raise raised, std::size_t unit) noexcept {
  const Signal& body = plan_data->signals[raised.signal];
  if (++raised_by[raised.cell] == body.need) turn_on(body, unit);
}

inline void State::lower(Raise raised, std::size_t unit) noexcept {
  const Signal& body = plan_data->signals[raised.signal];
  if (raised_by[raised.cell]-- == body.need) turn_off(body, unit);
}

inline void State::turn_on(const Signal& body, std::size_t unit) noexcept {
  if (body.target == nothing) {
    for (const Effect& effect : body.effects.of(plan_data->effects)) apply(effect, true, unit);
    return;
  }
  level[body.target] = 1;
  ++presses[body.target];
  pressed_at[body.target] = static_cast<std::uint32_t>(head->journal_end);
  note(body.target);
}

inline void State::turn_off(const Signal& body, std::size_t unit) noexcept {
  if (body.target == nothing) {
    for (const Effect& effect : body.effects.of(plan_data->effects)) apply(effect, false, unit);
    return;
  }
  level[body.target] = 0;
  note(body.target);
}

}  // namespace omnipar::inline abi_0::engine
