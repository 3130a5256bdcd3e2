// A stage: one kind of step that a value passes on its way. Each kind is one row, in a file of its own;
// table.hpp has them all, in the order in which a value passes them. The row defines the fields of
// a binding, their valid values, how they are written and described, and the place of the stage's state.
//
//   position --shapes--> position --threshold--> contact --gates--> contact --ramp--> position
//                        position --glide--> pointer <--drag-- counts
//   four directions of a port, after merging --opposites--> the effective ones
//
// A shape is a pure function, or one with memory that moves to its destination. A gate stores whether its output is
// on, and may set a deadline for its next call. Moving values are updated at each tick until they have arrived.
#pragma once

#include <array>
#include <cmath>
#include <cstdint>
#include <limits>
#include <span>
#include <string>
#include <string_view>

#include "omnipar/role.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::stage {

/// Input or output: the position of an axis or stick, whether something is on, the position of a pointer on the game
/// area, or movements that add up.
enum class Flow : std::uint8_t { position, contact, pointer, counts };
enum class Measure : std::uint8_t { number, milliseconds, flag, word };
/// The place of a stage: in each binding, or after all sources of a port's directions.
enum class Home : std::uint8_t { use, directions };

inline constexpr std::size_t max_fields = 3;
using Values = std::array<double, max_fields>;  ///< by field of a kind

/// One field of a binding, or of a port. Numbers are stored as written, milliseconds as microseconds, flags as 0 or
/// 1, words as their index among the valid ones.
struct Field {
  std::string_view name;
  Measure measure = Measure::number;
  std::string_view about;
  double low = 0;
  double high = 1;
  /// The default for the role, given the values of the preceding fields.
  double (*otherwise)(std::string_view role, const Values& before) noexcept = nothing_said;
  std::span<const std::string_view> words{};

  static double nothing_said(std::string_view, const Values&) noexcept { return 0; }
};

/// Values derived from the fields, computed once.
struct Constants {
  std::array<double, 8> numbers{};
  std::int64_t time = 0;  ///< microseconds
  /// For a dead zone: its sizes come first, then the values derived from them.
  [[nodiscard]] shape::DeadZone dead_zone() const noexcept { return shape::DeadZone{numbers[0], numbers[1]}; }
};

[[nodiscard]] inline double length_of(shape::Point point) noexcept {
  return std::sqrt(point.x * point.x + point.y * point.y);
}
/// In the same direction, with another length.
[[nodiscard]] inline shape::Point scaled(shape::Point point, double factor) noexcept {
  return {point.x * factor, point.y * factor};
}

/// For a kind whose only field is a time.
[[nodiscard]] inline Constants for_a_time(const Values& values, RoleKind) {
  return {.numbers = {}, .time = static_cast<std::int64_t>(values[0])};
}

/// Why a gate is called: its input has changed, or its deadline has passed.
enum class Cause : std::uint8_t { input, deadline };
struct Gated {
  static constexpr std::int64_t never = std::numeric_limits<std::int64_t>::max();
  static constexpr std::int64_t as_before = -1;
  bool out = false;
  std::int64_t wake = as_before;  ///< the deadline for its next call
};
/// A gate's view of itself.
struct GateState {
  bool in = false;
  bool out = false;
  bool waits = false;  ///< its deadline is pending
};

/// The state of a shape with memory for one unit: its position and its destination.
struct Trail {
  shape::Point at{};
  shape::Point goal{};
  shape::Point speed{};      ///< of filters
  std::uint32_t way = 0;     ///< of gates with ways: the current one, counted from 1
  std::uint32_t begun = 0;   ///< 1 once it has a position
  std::uint32_t moves = 0;   ///< 1 while it must be called at the next tick
  std::uint32_t unused = 0;  ///< padding, so that every byte of the state is defined
};

/// A position that changes in small steps, in 1/2^48 of a full push or of the game area, so that it adds up exactly.
struct FixedPoint {
  std::int64_t x = 0;
  std::int64_t y = 0;
  friend bool operator==(const FixedPoint&, const FixedPoint&) = default;
};
inline constexpr std::int64_t whole = std::int64_t{1} << 48;
inline constexpr double ticks_per_second = 1000;

[[nodiscard]] constexpr std::int64_t to_fixed(double value) noexcept {
  return static_cast<std::int64_t>(value * static_cast<double>(whole));
}
[[nodiscard]] constexpr double from_fixed(std::int64_t value) noexcept {
  return static_cast<double>(value) / static_cast<double>(whole);
}
[[nodiscard]] constexpr FixedPoint to_fixed(shape::Point point) noexcept {
  return {to_fixed(point.x), to_fixed(point.y)};
}
[[nodiscard]] constexpr shape::Point from_fixed(FixedPoint place) noexcept {
  return {from_fixed(place.x), from_fixed(place.y)};
}

/// Four directions, one bit each in order of direction_names, and their state.
struct Directions {
  std::uint8_t on = 0;  ///< were on at the last evaluation
  std::uint8_t arrive =
      0;  ///< the effective ones, in the low four bits; above, for each pair, whether its second one came last
};

struct Kind {
  std::string_view name;
  std::string_view about;      ///< one sentence
  std::string_view formula{};  ///< what it computes, for the table of stages; fields by name, in backquotes
  Flow in = Flow::position;
  Flow out = Flow::position;
  Home home = Home::use;
  std::span<const Field> fields;
  /// Checks values that exclude each other although each is in its range: the valid values of the last one. Empty:
  /// valid.
  std::string_view (*conflict)(const Values&) noexcept = nullptr;
  /// False if a stage with these values would change nothing: then it is left out.
  bool (*acts)(const Values&) noexcept = nullptr;
  /// A description of the values for `why` and the plan's listing, such as "dead zone 0.20".
  std::string (*words)(const Values&) = nullptr;
  Constants (*prepare)(const Values&, RoleKind) = nullptr;
  shape::Point (*move)(const Constants&, shape::Point) noexcept = nullptr;  ///< of a shape
  /// For a shape with memory: its position for a new destination, or one tick later. Sets `moves`.
  shape::Point (*follow)(const Constants&, Trail&, bool tick) noexcept = nullptr;
  bool (*pass)(const Constants&, bool passed, double push) noexcept = nullptr;             ///< of the threshold
  Gated (*step)(const Constants&, GateState, Cause, std::int64_t now) noexcept = nullptr;  ///< of a gate
  /// For moving values: one tick; true on arrival. `against` has one bit per axis (1 x, 2 y) on
  /// which the side opposite to the current position is pressed.
  bool (*travel)(const Constants&, FixedPoint&, shape::Point towards, unsigned against) noexcept = nullptr;
  Directions (*settle)(const Constants&, Directions, std::uint8_t on) noexcept = nullptr;  ///< of directions
  bool opposite_ends_it = false;  ///< of a gate: its output ends when the opposite direction is used
  bool pulses = false;            ///< of a gate: its timed changes are not presses by a person, and may be skipped
  bool on_pointers = false;       ///< of a shape: it applies to guns and mice, too
  bool of_sticks = false;         ///< of a shape: it applies only to pairs
  bool of_aims = false;           ///< it applies to the sources of a pointer, in the engine
  bool unless_written = false;    ///< of a shape: it precedes a threshold only if one of its fields is set
};

}  // namespace omnipar::inline abi_0::stage
