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

enum class WireKind : std::uint8_t { unused, button, hat, axis };

/// What one code of one unit does.
struct Wire {
  WireKind kind = WireKind::unused;
  std::uint8_t axis = 0;     ///< axis: its number among the unit's axes
  std::uint8_t button = 0;   ///< button, hat: its bit; a hat's positive side has the next one
  std::uint32_t gauges = 0;  ///< axis: the bit of the gauge that it is half of; 0 if nothing needs it
};

/// A run of a slot's `raises`: the signals that a button holds.
struct Run {
  std::uint16_t first = 0;
  std::uint16_t count = 0;
};

/// One or two axes that are evaluated together, and the operations that they feed.
struct Gauge {
  std::uint8_t x = 0;
  std::uint8_t y = 0;
  bool pair = false;
  bool inverted = false;  ///< one-sided, resting at its maximum
  shape::Scale x_scale{};
  shape::Scale y_scale{};
  std::vector<Index> operations;
};

/// Wire numbers by code. 0 means that the unit has no such code.
class CodeTable {
 public:
  static constexpr std::size_t keys = 0x300, axes = 0x40;
  void clear() noexcept { numbers_.fill(0); }
  [[nodiscard]] bool set(Code code, std::uint8_t number) noexcept {
    const std::size_t at = place(code);
    if (at == 0) return false;
    numbers_[at] = number;
    return true;
  }
  [[nodiscard]] std::uint8_t find(Code code) const noexcept { return numbers_[place(code)]; }

 private:
  /// Place 0 is kept for codes that there is no room for and is never set.
  static std::size_t place(Code code) noexcept {
    if (code.type == ev_key) return code.number < keys ? code.number + 1U : 0;
    return code.type == ev_abs && code.number < axes ? keys + 1 + code.number : 0;
  }
  std::array<std::uint8_t, keys + axes + 1> numbers_{};
};

/// A place for one unit.
struct Slot {
  bool used = false;
  std::uint16_t age = 0;
  Attachment attachment;
  CodeTable codes;
  std::vector<Wire> wires;
  std::vector<Run> buttons;   ///< by button bit
  std::vector<Index> raises;
  std::vector<Gauge> gauges;
  std::vector<Index> crossings;     ///< operations that are crossings, each once
  std::vector<std::int32_t> rests;  ///< by axis: the raw value that it rests at
};

/// How fast a release comes through debounce and ramps: as they say, or at once.
enum class Pace : std::uint8_t { shaped, at_once };

struct Engine::Heart {
  explicit Heart(Plan new_plan);

  // wiring.cpp: from attachments to wires
  void set_plan(Plan new_plan);
  std::optional<Diagnostic> wire(Slot& slot, const Attachment& attachment);
  void start(std::size_t slot_number) noexcept;
  void take_state(std::size_t slot_number, std::span<const Change> changes) noexcept;
  std::vector<Change> what_hands_hold(std::size_t slot_number) const;

  // engine.cpp
  void commit(std::size_t slot_number, std::span<const Change> changes) noexcept;
  void press(const Slot& slot, std::size_t slot_number, std::size_t button) noexcept;
  void let_go(const Slot& slot, std::size_t slot_number, Pace pace) noexcept;
  void measure(std::size_t slot_number, const Gauge& gauge) noexcept;
  void cross(std::size_t slot_number, const AnalogOperation& operation, shape::Point point) noexcept;
  void leave(std::size_t slot_number) noexcept;
  void drop(std::size_t slot_number, const AnalogOperation& operation) noexcept;
  void rest_all() noexcept;
  void thaw() noexcept;

  // signals.cpp
  void raise(Index signal) noexcept;
  void lower(Index signal, Pace pace) noexcept;
  void turn_on(Index signal) noexcept;
  void turn_off(Index signal, Pace pace) noexcept;
  void apply(const Effect& effect, bool on, Pace pace) noexcept;
  void set_out(Index timer, bool on, Pace pace) noexcept;
  void settle_now(Index signal) noexcept;
  void arm(Index timer, std::int64_t deadline) noexcept;
  void disarm(Index timer) noexcept;
  void fire_first() noexcept;
  void evaluate(Index digital, Pace pace) noexcept;
  void tick() noexcept;
  void advance(std::int64_t to) noexcept;
  void set_lane(Index group, Index lane, shape::Point point) noexcept;
  void refresh_group(const Group& group) noexcept;
  void set_level(Index target, double value) noexcept;
  void find_next_due() noexcept;
  [[nodiscard]] bool is_on(Index signal) const noexcept { return holders[signal] >= plan_data->signals[signal].need; }
  [[nodiscard]] shape::Point goal_of(const DigitalOperation& digital) const noexcept;
  void sift(std::uint32_t place) noexcept;
  void put(std::uint32_t place, Index timer) noexcept;
  [[nodiscard]] bool earlier(Index a, Index b) const noexcept;

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
  double* level = nullptr;
  std::uint32_t* presses = nullptr;
  std::uint16_t* holders = nullptr;
  shape::Point* lanes = nullptr;
  std::uint16_t* live = nullptr;  ///< lanes of a group that are not at rest
  std::int32_t* raw = nullptr;
  std::uint32_t* known = nullptr;  ///< axes of a unit that have a value, one bit each
  std::uint64_t* down = nullptr;     ///< buttons that are physically down
  std::uint64_t* counted = nullptr;  ///< and of these, those that hold their signals
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

}  // namespace omnipar
