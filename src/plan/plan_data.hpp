// The body of a plan: tables that an engine follows.
//
// A source is a role at a seat. Buttons raise *signals*; a signal is on while enough of its sources
// hold it. A signal either is a button target or has effects (gates, axes from buttons, chords).
// Axes and sticks feed *analog operations*: a lane of an analog target, a crossing, which turns
// positions into signals, or an aim, which moves a pointer. All indices are into the vectors here.
//
// The stages between a unit's control and its target belong to each unit separately:
// their signals, gates and lanes have one cell in the state for each possible unit.
#pragma once

#include <array>
#include <cstdint>
#include <deque>
#include <limits>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "omnipar/plan.hpp"
#include "stage/stage.hpp"

namespace omnipar::inline abi_0::plan {

using Index = std::uint16_t;
inline constexpr Index nothing = std::numeric_limits<Index>::max();

enum class EffectKind : std::uint8_t {
  raise,      ///< index: a signal that this one raises
  gate,       ///< index: a gate that this one feeds
  digital,    ///< index: a digital operation to evaluate again
  opposites,  ///< index: directions of a port to evaluate again
  sight,      ///< index: an operation that aims: whether its source sees the game area
  hide,       ///< index: a pointer that is held off-screen while it is on
  centre,     ///< index: a pointer that moves to the centre
  steady,     ///< index: an aim that is held while it is on
  aim,        ///< index: an aiming operation whose own trigger is pulled
  push,       ///< index: an operation that aims by directions, to be evaluated again
  shots,      ///< index: a pointer that starts giving calibration shots, or returns to aiming
  pull,       ///< index: a pointer whose trigger is pulled
};

/// A range of another table.
struct Run {
  Index first = 0;
  Index count = 0;
  /// The elements of that range.
  template <typename T>
  [[nodiscard]] std::span<const T> of(const std::vector<T>& table) const noexcept {
    return {table.data() + first, count};
  }
};

struct Effect {
  EffectKind kind = EffectKind::raise;
  Index index = 0;
};

struct Signal {
  Index need = 1;          ///< the number of raises that turn it on: 1 for any-of, 2 for a chord
  Index target = nothing;  ///< the button target that it represents
  bool each_unit = false;  ///< each unit has its own
  Index first_cell = 0;    ///< where its raises are counted; the cells of the units are consecutive
  Run effects;
};

/// A stage between two signals.
struct Gate {
  const stage::Kind* kind = nullptr;
  stage::Constants constants{};
  Index in = 0;  ///< each unit has its own gate if it has its own instance of this signal
  Index out = 0;
  Index first_cell = 0;
  std::string words{};  ///< its description for the listing
};

/// A stage between a control and a lane or a crossing.
struct Shape {
  const stage::Kind* kind = nullptr;
  stage::Constants constants{};
  std::string words{};
  bool by_default = false;  ///< a default, which a calibration may replace
  Index trail = nothing;    ///< of a shape with memory: its number
};

/// An analog target or pair: its value is that of the lane with the greatest length.
struct Group {
  Index x = 0;
  Index y = nothing;
  Run lanes;
  bool self_centering = true;
  bool adds = false;  ///< combined pedals: their values are added
};

/// A pointer. Its position is that of the source that moved last.
struct Pointer {
  Index x = 0;
  Index y = 0;
  Index on = 0;         ///< the signal of the target that shows whether it is on the game area
  Index off = nothing;  ///< a signal that holds it off-screen
  Run shots;            ///< range of the plan's `shots`: its calibration shots
};

enum class AnalogKind : std::uint8_t {
  lane,      ///< moves an analog target
  crossing,  ///< presses, one per direction
  count,     ///< adds to a counter
  point,     ///< a gun or touch pad: a pointer is where its source points
  spring,    ///< a pointer's position is that of a stick
  glide,     ///< a stick sets the speed of a pointer
  drag,      ///< a pointer moves by a mouse's counts
};

[[nodiscard]] constexpr bool is_aim(AnalogKind kind) noexcept { return kind >= AnalogKind::point; }

struct AnalogOperation {
  AnalogKind kind = AnalogKind::lane;
  Index group = 0;               ///< lane, count: its target; an aim: its pointer
  Index lane = 0;                ///< lane: the first of max_units, one per unit; an aim: the same, among the aims
  Index crossing = 0;            ///< crossing: its own number
  Index glide = 0;               ///< glide: its own number
  Run shapes;                    ///< the shapes that a position passes on its way
  stage::Constants constants{};  ///< of the threshold, or of a pointer's movement
  std::array<Index, 4> signals{nothing, nothing, nothing, nothing};  ///< crossing, in order of direction_names
  std::string words{};                                               ///< glide, drag: the source, for the listing
  Index blind = nothing;   ///< aim: each unit's signal that is on while it does not see the game area
  Index steady = nothing;  ///< aim: each unit's signal that is on while its trigger flashes, and the aim is held
  bool invert_x = false;   ///< count: reversed from left to right; for a single counter, reversed
  bool invert_y = false;   ///< count: reversed from top to bottom
  double margin = 0;       ///< point: the margin beyond the game area that counts as its edge, on the scale of -1 to 1
  double beyond = 0;       ///< other aims: how far beyond the edge they may go, on the same scale
};

/// An axis or stick driven by one unit's buttons. With a ramp it moves gradually, without one it jumps.
struct DigitalOperation {
  Index group = 0;
  Index lane = 0;                                                    ///< the first of max_units, one per unit
  std::array<Index, 4> signals{nothing, nothing, nothing, nothing};  ///< in order of direction_names
  bool ramps = false;
  stage::Constants ramp{};
};

/// The four directions of a port before they reach its targets, in order of direction_names. Of two opposite ones that
/// are on together neither arrives, or only the later one.
struct OpposedDirections {
  const stage::Kind* kind = nullptr;
  stage::Constants constants{};
  std::array<Index, 4> in{nothing, nothing, nothing, nothing};
  std::array<Index, 4> out{nothing, nothing, nothing, nothing};
  std::string words{};
};

/// Everything that is bound to one role at one seat.
struct Input {
  std::string seat;
  std::string role;
  Run raises;      ///< range of the plan's `raises`
  Run operations;  ///< range of the plan's `fed`
};

struct PlanData {
  std::string name;
  std::string system;
  Duration frame{0};
  std::vector<std::string> seats;
  std::deque<std::string> texts;  ///< the text that the views in `ports` and `targets` refer to
  std::vector<PortInfo> ports;
  std::vector<TargetInfo> targets;
  std::vector<Signal> signals;
  std::vector<Effect> effects;  ///< of signals, contiguous for each signal
  std::vector<Gate> gates;
  std::vector<Shape> shapes;
  std::vector<Group> groups;
  std::vector<AnalogOperation> operations;
  std::vector<DigitalOperation> digitals;
  std::vector<OpposedDirections> opposites;
  std::vector<Pointer> pointers;
  std::vector<AreaPoint> shots;  ///< calibration shots, contiguous for each pointer
  std::optional<GameArea> area;  ///< the game's area on its screen, if the profile states it
  std::string screen;
  PixelSize screen_size{};
  std::vector<Input> inputs;
  std::vector<Index> raises;            ///< signals that inputs raise, contiguous for each input
  std::vector<Index> fed;               ///< operations that inputs feed, contiguous for each input
  std::vector<Index> signal_of_target;  ///< nothing for axes
  std::vector<Index>
      partner_of_target;       ///< for a direction the opposite one, for a pair the other axis; otherwise nothing
  std::vector<bool> is_sight;  ///< for a target: it shows whether a pointer is on screen
  std::vector<std::uint32_t> layouts;  ///< by port: a hash of its controller's targets; never 0
  std::vector<Index> gate_at;          ///< by cell: its gate
  Index hotkey_signals = 0;            ///< signals from this one on belong to hotkeys, which never freeze
  Index hotkey_gates = 0;              ///< the same for gates
  Index signal_cells = 0;
  Index lanes = 0;
  Index crossings = 0;
  Index glides = 0;
  Index aims = 0;
  std::vector<Index> gliding;  ///< by glide number: its operation
  Index trails = 0;
  std::vector<Index> trailing;  ///< by number of a shape with memory: its operation
  std::vector<Index> aiming;    ///< by an aim's first number, divided by the number of units: its operation
  std::size_t state_size = 0;
  std::string listing;

  /// The distance from the centre up to which a game is visible, at most 1: less if its edges are cut off.
  [[nodiscard]] double seen() const noexcept { return area ? 1 - 2 * area->cut : 1; }

  [[nodiscard]] const Input* input(std::string_view seat, std::string_view role) const noexcept {
    for (const Input& candidate : inputs)
      if (candidate.seat == seat && candidate.role == role) return &candidate;
    return nullptr;
  }
};

/// The body of a plan.
[[nodiscard]] const PlanData& body_of(const Plan& plan) noexcept;

/// Limits on the controls of an attached unit.
inline constexpr std::size_t max_buttons = 256;
inline constexpr std::size_t max_axes = 32;
/// The number of changes that a slow reader may lag behind before it evaluates every target.
inline constexpr std::size_t journal_length = 256;

/// Things that may move without input: each unit's instances of axes driven by buttons, of gliding
/// pointers, and of shapes with memory, in this order.
[[nodiscard]] inline std::size_t movers_of(const PlanData& plan) noexcept {
  return (plan.digitals.size() + plan.glides + plan.trails) * max_units;
}

/// One unit's state as the source of a pointer.
struct AimState {
  /// For a source with a position: its last position, or the last one before another source took over. Otherwise the
  /// distance that it has moved since another took over.
  stage::FixedPoint at;
  shape::Point push;               ///< of a gliding stick
  std::int64_t pulled = 0;         ///< the time of the last pull that holds it, or held it
  std::int64_t blind = 0;          ///< the last time at which it lost sight of the game area
  std::uint32_t has_reported = 0;  ///< 1 once it has reported
  std::uint32_t on = 0;            ///< 1 while it is on the game area
};
struct PointerState {
  std::uint32_t leader = 0;  ///< the aim that the pointer follows, from 1; 0: none
  std::uint32_t on = 0;      ///< 1 while it holds the on-screen signal
  std::uint32_t shot = 0;    ///< the calibration shot that the next pull gives, counted from 1; 0: none
  std::uint32_t unused = 0;  ///< padding, so that every byte of the state is defined
};

/// The learned range of an axis, in raw numbers from its rest: above it and below, and the previous reading.
struct LearnedRange {
  std::int32_t above = 0;
  std::int32_t below = 0;
  std::int32_t last = 0;
  std::int32_t grown = 0;  ///< 1: above, 2: below, or both
};

/// The offset of each array in the flat block of an engine's state.
struct StateLayout {
  std::size_t level = 0, total = 0, presses = 0, pressed_at = 0, raised_by = 0, lanes = 0, live = 0, raw = 0, known = 0,
              held_over = 0, down = 0, raising = 0, hotkey_held = 0, opposites = 0, over = 0, over_raising = 0,
              deadline = 0, out_held = 0, heap = 0, heap_at = 0, position = 0, moving = 0, moving_words = 0,
              pointers = 0, aims = 0, trails = 0, reaches = 0, journal = 0, size = 0;
};
[[nodiscard]] StateLayout layout_of(const PlanData& plan) noexcept;

/// Assigns cells in the state to signals and gates. Must be called when the plan is complete.
void lay_out_cells(PlanData& plan);

/// A hash of a port's targets (names, kinds and ranges in their order) that is never 0.
[[nodiscard]] std::uint32_t layout_number(std::span<const TargetInfo> targets) noexcept;

[[nodiscard]] std::string listing_of(const PlanData& plan);

}  // namespace omnipar::inline abi_0::plan
