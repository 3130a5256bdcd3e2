// The inside of an engine: views into the flat block of state, and the wiring of the units that are
// there. The wiring follows from plan and attachments; everything that changes with events is state.
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
#include "shape/shape.hpp"

namespace omnipar {

inline constexpr std::int64_t never = std::numeric_limits<std::int64_t>::max();
inline constexpr std::size_t button_words = max_buttons / 64;

/// The head of the block; the arrays follow.
struct StateHead {
  std::int64_t now = 0;
  std::int64_t next_due = never;
  std::uint64_t journal_end = 0;
  std::uint64_t ignored = 0;
  std::uint32_t armed = 0;   ///< timers in the heap
  std::uint32_t moving = 0;  ///< digital operations on their way
  std::uint32_t frozen = 0;
  std::uint32_t unused = 0;
};
static_assert(sizeof(StateHead) <= 64);

enum class WireKind : std::uint8_t { unused, button, hat, axis, counts };

/// What one code of one unit does.
struct Wire {
  WireKind kind = WireKind::unused;
  std::uint8_t button = 0;  ///< button, hat: its bit; a hat's positive side has the next one
  Index axis = 0;           ///< axis: its place in `raw`; counts: its place in the slot's `sums`
  /// axis: its bit among the unit's axes, and above these (`gauge_bits`) the bit of the gauge that it
  /// is part of, if anything needs it
  std::uint64_t touches = 0;
};
inline constexpr int gauge_bits = 32;
static_assert(max_axes <= gauge_bits);

/// A run of a slot's `raises`: the signals that a button holds.
struct Run {
  std::uint16_t first = 0;
  std::uint16_t count = 0;
};

/// A target that movements are added to, and the one that stands for its group in the journal.
struct Sum {
  Index target = 0;
  Index noted = 0;
};

/// A lane of a group, and the targets that the group moves.
struct Lane {
  Index group = 0;
  Index number = 0;
  Index x = 0;
  Index y = nothing;
  bool alone = false;  ///< nothing else feeds the group at present, so there is nothing to compare with
};

/// An analog operation of the plan, with this unit's own lane or crossing.
struct Step {
  AnalogKind kind = AnalogKind::lane;
  Index operation = 0;
  Lane lane;
  shape::DeadZone dead_zone;
};

/// One or two axes that are evaluated together, and a run of the slot's `steps` that they feed.
struct Gauge {
  Index x = 0;  ///< places in `raw`
  Index y = 0;
  bool pair = false;
  std::uint16_t first_step = 0;
  std::uint16_t step_count = 0;
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
  void set(Code code, std::uint8_t number) noexcept { numbers_[place(code)] = number; }
  [[nodiscard]] std::uint8_t find(Code code) const noexcept { return has_room_for(code) ? numbers_[place(code)] : 0; }

 private:
  static constexpr std::size_t types = 5, codes = 2048;
  static std::size_t place(Code code) noexcept { return code.type * codes + code.number; }
  std::array<std::uint8_t, types * codes> numbers_{};
};

/// A place for one unit. `age` is even while one is there and goes up when it comes and when it leaves,
/// so that an id is never mistaken for another's.
struct Slot {
  std::uint16_t age = 1;
  Attachment attachment;
  CodeTable codes;
  std::vector<Wire> wires;
  std::vector<Run> buttons;  ///< by button bit
  std::vector<Index> raises;
  std::vector<Run> sums;     ///< by what counts: a run of `counted`
  std::vector<Sum> counted;  ///< what movements are added to
  std::vector<Gauge> gauges;
  std::vector<Step> steps;
  std::size_t words = 0;              ///< of `down` and `counted` that its buttons take
  std::uint64_t crossing_gauges = 0;  ///< a bit for each gauge that has a crossing among its steps
  std::vector<std::int32_t> rests;    ///< by axis: the raw value that it rests at

  [[nodiscard]] bool used() const noexcept { return (age & 1) == 0; }
};

/// How fast a release comes through debounce and ramps: as they say, or at once.
enum class Pace : std::uint8_t { shaped, at_once };

struct Engine::Heart {
  explicit Heart(Plan new_plan);

  // wiring.cpp: from attachments to wires
  void set_plan(Plan new_plan);
  std::optional<Diagnostic> wire(std::size_t slot_number, const Attachment& attachment);
  void start(std::size_t slot_number) noexcept;
  void take_state(std::size_t slot_number, std::span<const Change> changes) noexcept;
  std::vector<Change> what_hands_hold(std::size_t slot_number) const;

  // engine.cpp
  void take(std::size_t slot_number, std::span<const Change> changes) noexcept;
  void commit(std::size_t slot_number, std::span<const Change> changes) noexcept;
  void press(const Slot& slot, std::size_t slot_number, std::size_t button) noexcept;
  bool set_button(const Slot& slot, std::size_t slot_number, std::size_t button, bool now_down) noexcept;
  void let_go(const Slot& slot, std::size_t slot_number, Pace pace) noexcept;
  void measure(const Slot& slot, std::size_t slot_number, const Gauge& gauge) noexcept;
  void cross(std::size_t slot_number, const AnalogOperation& operation, shape::Point point) noexcept;
  void leave(std::size_t slot_number) noexcept;
  void count(const Slot& slot, const Wire& wire, std::int32_t movement) noexcept;
  void drop(std::size_t slot_number, const Step& step) noexcept;
  void rest_all() noexcept;
  void thaw() noexcept;

  // signals.cpp
  void raise(Index signal) noexcept;
  void lower(Index signal, Pace pace) noexcept;
  void turn_on(const Signal& signal) noexcept;
  void turn_off(const Signal& signal, Pace pace) noexcept;
  void apply_all(const Signal& signal, bool on, Pace pace) noexcept;
  void apply(const Effect& effect, bool on, Pace pace) noexcept;
  void set_out(Index timer, bool on, Pace pace) noexcept;
  void end_timers(Index signal) noexcept;
  void end_ramps(Index signal) noexcept;
  void arm(Index timer, std::int64_t deadline) noexcept;
  void disarm(Index timer) noexcept;
  void fire_first() noexcept;
  void evaluate(Index digital, Pace pace) noexcept;
  void tick() noexcept;
  void advance(std::int64_t to) noexcept;
  void find_lone_lanes() noexcept;
  void set_lane(const Lane& lane, shape::Point point) noexcept;
  void refresh_group(const Group& group) noexcept;
  [[nodiscard]] Lane lane_of(Index group, Index number) const noexcept {
    return {group, number, plan_data->groups[group].x, plan_data->groups[group].y, false};
  }
  void find_next_due() noexcept;
  [[nodiscard]] bool is_on(Index signal) const noexcept { return holders[signal] >= plan_data->signals[signal].need; }
  [[nodiscard]] shape::Point goal_of(const DigitalOperation& digital) const noexcept;
  void sift(std::uint32_t place) noexcept;
  void put(std::uint32_t place, Index timer) noexcept;
  [[nodiscard]] bool earlier(Index a, Index b) const noexcept;

  /// Tells the readers; for a pair its x stands for both.
  void note(Index target) noexcept {
    journal[head->journal_end & (journal_length - 1)] = target;
    ++head->journal_end;
  }

  Plan plan;
  const PlanData* plan_data = nullptr;
  std::uint32_t epoch = 0;  ///< counts adopted plans, so that readers notice
  std::vector<std::byte> block;

  // views into the block
  StateHead* head = nullptr;
  double* level = nullptr;  ///< of what counts: the sum since the start, always a whole number
  std::uint32_t* presses = nullptr;
  std::uint16_t* holders = nullptr;
  shape::Point* lanes = nullptr;
  std::uint16_t* live = nullptr;  ///< lanes of a group that are not at rest
  std::int32_t* raw = nullptr;
  std::uint32_t* known = nullptr;        ///< axes of a unit that have a value, one bit each
  std::uint64_t* down = nullptr;         ///< buttons that are physically down
  std::uint64_t* counted = nullptr;      ///< and of these, those that hold their signals
  std::uint8_t* over = nullptr;          ///< crossings that are physically passed, a bit a direction
  std::uint8_t* over_counted = nullptr;  ///< and of these, those that hold their signals
  std::int64_t* deadline = nullptr;
  std::uint8_t* out_held = nullptr;  ///< timers that hold their out signal
  Index* heap = nullptr;
  Index* heap_place = nullptr;
  std::int64_t* position = nullptr;
  std::uint8_t* moving = nullptr;
  Index* journal = nullptr;

  std::array<Slot, max_units> slots;
};

// -- the innermost of the hot path -----------------------------------------------------------------

inline void Engine::Heart::set_lane(const Lane& lane, shape::Point point) noexcept {
  shape::Point& old = lanes[lane.number];
  if (!lane.alone) {
    if (old == point) return;
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

inline void Engine::Heart::raise(Index signal) noexcept {
  const Signal& body = plan_data->signals[signal];
  if (++holders[signal] == body.need) turn_on(body);
}

inline void Engine::Heart::lower(Index signal, Pace pace) noexcept {
  const Signal& body = plan_data->signals[signal];
  if (holders[signal]-- == body.need) turn_off(body, pace);
}

inline void Engine::Heart::turn_on(const Signal& body) noexcept {
  if (body.target == nothing) return apply_all(body, true, Pace::shaped);
  level[body.target] = 1;
  ++presses[body.target];
  note(body.target);
}

inline void Engine::Heart::turn_off(const Signal& body, Pace pace) noexcept {
  if (body.target == nothing) return apply_all(body, false, pace);
  level[body.target] = 0;
  note(body.target);
}

}  // namespace omnipar
