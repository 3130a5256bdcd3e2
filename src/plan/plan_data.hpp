// The body of a plan: tables that an engine walks through.
//
// A source is a role at a seat. Buttons raise *signals*; a signal is on while enough of its sources
// hold it. A signal either is a button target or has effects (gates, axes from buttons, chords).
// Axes and sticks feed *analog operations*: a lane of an analog target, a crossing, which turns
// positions into signals, or an aim, which moves a pointer. All indices are into the vectors here.
//
// What lies between a unit's control and the target that it feeds (the stages of its use) is each unit's
// own: such signals, gates and lanes have a cell in the state for each unit that may be there.
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
  hide,       ///< index: a pointer that is off-screen while it is on
  centre,     ///< index: a pointer that goes to the middle
  steady,     ///< index: an aim that is held while it is on
  aim,        ///< index: an operation that aims, and whose own trigger is pulled
  push,       ///< index: an operation that aims by directions: to be evaluated again
  shots,      ///< index: a pointer that gives the game's own shots, or goes back to aiming
  pull,       ///< index: a pointer whose trigger is pulled
};

/// A part of another table.
struct Run {
  Index first = 0;
  Index count = 0;
  /// That part of it.
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
  Index target = nothing;  ///< the button target that it is
  bool each_unit = false;  ///< each unit has its own
  Index first_cell = 0;    ///< where it is counted who raises it; each unit's follow one another
  Run effects;
};

/// A stage between two signals.
struct Gate {
  const stage::Kind* kind = nullptr;
  stage::Constants constants{};
  Index in = 0;  ///< each unit has its own gate if it has its own of this signal
  Index out = 0;
  Index first_cell = 0;
  std::string words{};  ///< what it does, for the listing
};

/// A stage between a control and a lane or a crossing.
struct Shape {
  const stage::Kind* kind = nullptr;
  stage::Constants constants{};
  std::string words{};
  bool by_default = false;  ///< a default, which a calibration may replace
  Index trail = nothing;    ///< of one that follows: its number
};

/// An analog target or pair: its value is that of the lane with the greatest length.
struct Group {
  Index x = 0;
  Index y = nothing;
  Run lanes;
  bool self_centering = true;
  bool adds = false;  ///< two pedals on one axis: what they push is added
};

/// A pointer: it is where the source put it that moved last.
struct Pointer {
  Index x = 0;
  Index y = 0;
  Index on = 0;         ///< the signal of the target for being on the game area
  Index off = nothing;  ///< a signal that keeps it off
  Run shots;            ///< of the plan's `shots`: what the game asks for
};

enum class AnalogKind : std::uint8_t {
  lane,      ///< moves an analog target
  crossing,  ///< presses, one a direction
  count,     ///< adds to what counts
  point,     ///< a gun, a finger: a pointer is where its source points
  spring,    ///< a pointer is where a stick is pushed
  glide,     ///< a pointer goes where a stick is pushed
  drag,      ///< a pointer goes as far as a mouse counts
};

[[nodiscard]] constexpr bool is_aim(AnalogKind kind) noexcept { return kind >= AnalogKind::point; }

struct AnalogOperation {
  AnalogKind kind = AnalogKind::lane;
  Index group = 0;               ///< lane, count: whose; what aims: its pointer
  Index lane = 0;                ///< lane: the first of max_units, one a unit; what aims: likewise, of the aims
  Index crossing = 0;            ///< crossing: its own number
  Index glide = 0;               ///< glide: its own number
  Run shapes;                    ///< what a position goes through before it gets there
  stage::Constants constants{};  ///< of the threshold, of what moves a pointer
  std::array<Index, 4> signals{nothing, nothing, nothing, nothing};  ///< crossing, in order of direction_names
  std::string words{};                                               ///< glide, drag: what moves it, for the listing
  Index blind = nothing;   ///< what aims: each unit's signal that is on while it does not see the game area
  Index steady = nothing;  ///< what aims: each unit's signal that is on while its trigger flashes, and it is not moved
  bool invert_x = false;   ///< count: to the right counts backwards; of one counter likewise
  bool invert_y = false;   ///< count: downwards counts backwards
  double margin = 0;       ///< point: so far beside the game area still counts as at its edge, of the way from -1 to 1
  double beyond = 0;       ///< what else aims: so far beside it may go, likewise
};

/// An axis or stick made of one unit's buttons. With a ramp it moves there, without it jumps.
struct DigitalOperation {
  Index group = 0;
  Index lane = 0;                                                    ///< the first of max_units, one a unit
  std::array<Index, 4> signals{nothing, nothing, nothing, nothing};  ///< in order of direction_names
  bool ramps = false;
  stage::Constants ramp{};
};

/// The four directions of a port on their way to its targets, in order of direction_names. Of two that are opposite and
/// on at once neither arrives, or that which came last.
struct OpposedDirections {
  const stage::Kind* kind = nullptr;
  stage::Constants constants{};
  std::array<Index, 4> in{nothing, nothing, nothing, nothing};
  std::array<Index, 4> out{nothing, nothing, nothing, nothing};
  std::string words{};
};

/// Everything that one role at one seat does.
struct Input {
  std::string seat;
  std::string role;
  Run raises;      ///< of the plan's `raises`
  Run operations;  ///< of the plan's `fed`
};

struct PlanData {
  std::string name;
  std::string system;
  Duration frame{0};
  std::vector<std::string> seats;
  std::deque<std::string> texts;  ///< what the views in `ports` and `targets` point into
  std::vector<PortInfo> ports;
  std::vector<TargetInfo> targets;
  std::vector<Signal> signals;
  std::vector<Effect> effects;  ///< of signals, each one's together
  std::vector<Gate> gates;
  std::vector<Shape> shapes;
  std::vector<Group> groups;
  std::vector<AnalogOperation> operations;
  std::vector<DigitalOperation> digitals;
  std::vector<OpposedDirections> opposites;
  std::vector<Pointer> pointers;
  std::vector<AreaPoint> shots;  ///< what games ask for, each pointer's together
  std::optional<GameArea> area;  ///< where the game is on its screen, if that is said
  std::string screen;
  PixelSize screen_size{};
  std::vector<Input> inputs;
  std::vector<Index> raises;             ///< signals that inputs raise, each input's together
  std::vector<Index> fed;                ///< operations that inputs feed, likewise
  std::vector<Index> signal_of_target;   ///< nothing for axes
  std::vector<Index> partner_of_target;  ///< of a direction the one across, of a pair the other one; else nothing
  std::vector<bool> is_sight;            ///< of a target: it is the on-screen button of a pointer
  std::vector<std::uint32_t> layouts;    ///< by port: what its controller's targets are, in one number; never 0
  std::vector<Index> gate_at;            ///< by cell: which gate is there
  Index hotkey_signals = 0;              ///< from this one on they are hotkeys', which never freeze
  Index hotkey_gates = 0;                ///< likewise
  Index signal_cells = 0;
  Index lanes = 0;
  Index crossings = 0;
  Index glides = 0;
  Index aims = 0;
  std::vector<Index> gliding;  ///< by number of a glide: its operation
  Index trails = 0;
  std::vector<Index> trailing;  ///< by number of a shape that follows: its operation
  std::vector<Index> aiming;    ///< by number of an aim's first one, in units: likewise
  std::size_t state_size = 0;
  std::string listing;

  /// How far from the middle a game can be seen, of 1: less where its edges are cut off.
  [[nodiscard]] double seen() const noexcept { return area ? 1 - 2 * area->cut : 1; }

  [[nodiscard]] const Input* input(std::string_view seat, std::string_view role) const noexcept {
    for (const Input& candidate : inputs)
      if (candidate.seat == seat && candidate.role == role) return &candidate;
    return nullptr;
  }
};

/// The body of a plan.
[[nodiscard]] const PlanData& body_of(const Plan& plan) noexcept;

/// What the hardware end of a unit may have at once.
inline constexpr std::size_t max_buttons = 256;
inline constexpr std::size_t max_axes = 32;
/// Changes that a slow reader may fall behind by before it looks at every target.
inline constexpr std::size_t journal_length = 256;

/// What can be on its way by itself: each unit's share of the axes that are made of buttons, of the pointers that
/// glide, and of the shapes that follow, in this order.
[[nodiscard]] inline std::size_t movers_of(const PlanData& plan) noexcept {
  return (plan.digitals.size() + plan.glides + plan.trails) * max_units;
}

/// What moves a pointer, for one unit.
struct AimState {
  /// Of what says where it is: where it was last, or last before another took the pointer over. Else how far it has
  /// gone since another did.
  stage::FixedPoint at;
  shape::Point push;        ///< of a stick that glides
  std::int64_t pulled = 0;  ///< when the last pull was that holds it, or held it
  std::int64_t blind = 0;   ///< since when it does not see the game area, or has not last
  std::uint32_t told = 0;   ///< 1 once it has said anything
  std::uint32_t on = 0;     ///< 1 while it is on the game area
};
struct PointerState {
  std::uint32_t leader = 0;  ///< the aim that the pointer follows, from 1; 0: none
  std::uint32_t on = 0;      ///< 1 while it holds the signal of being on the game area
  std::uint32_t shot = 0;    ///< of what the game asks for: the one that the next pull gives, counted from 1; 0: none
  std::uint32_t unused = 0;  ///< so that no byte of the state is undefined
};

/// What an axis has reached by use, in raw numbers from its rest: above it and below, and the reading before.
struct LearnedRange {
  std::int32_t above = 0;
  std::int32_t below = 0;
  std::int32_t last = 0;
  std::int32_t grown = 0;  ///< 1: above, 2: below, or both
};

/// Where each array lies in the flat block of an engine's state.
struct StateLayout {
  std::size_t level = 0, total = 0, presses = 0, pressed_at = 0, raised_by = 0, lanes = 0, live = 0, raw = 0, known = 0,
              held_over = 0, down = 0, raising = 0, hotkey_held = 0, opposites = 0, over = 0, over_raising = 0,
              deadline = 0, out_held = 0, heap = 0, heap_at = 0, position = 0, moving = 0, moving_words = 0,
              pointers = 0, aims = 0, trails = 0, reaches = 0, journal = 0, size = 0;
};
[[nodiscard]] StateLayout layout_of(const PlanData& plan) noexcept;

/// Gives signals and gates their cells in the state. To be called when the plan is whole.
void lay_out_cells(PlanData& plan);

/// What a port's targets are (names, kinds and ranges in their order), in one number that is never 0.
[[nodiscard]] std::uint32_t layout_number(std::span<const TargetInfo> targets) noexcept;

[[nodiscard]] std::string listing_of(const PlanData& plan);

}  // namespace omnipar::inline abi_0::plan
