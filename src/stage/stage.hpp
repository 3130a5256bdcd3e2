// What a stage is: one kind of step that a value takes on its way. Each kind is one row, in a file of its own;
// table.hpp has them all, in the order in which a value goes through them. From the row follow the fields of
// a use, what they may be, how they are written back and told, and the place of the stage's state.
//
//   position --shapes--> position --threshold--> contact --gates--> contact --ramp--> position
//                        position --glide--> pointer <--drag-- counts
//   four directions of a port, after merging --opposites--> those that arrive
//
// A shape is a pure function, or one that remembers and follows its goal. A gate keeps whether its out is on, and may
// ask to be called again at a moment. What travels, and what follows, is called at each tick until it has arrived.
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

/// What goes in or out: where an axis or a stick is, whether something is on, where a pointer is on the game area, or
/// movements that add up.
enum class Flow : std::uint8_t { position, contact, pointer, counts };
enum class Measure : std::uint8_t { number, milliseconds, flag, word };
/// Where a stage stands: in each use by itself, or behind all sources of a port's directions.
enum class Home : std::uint8_t { use, directions };

inline constexpr std::size_t max_fields = 3;
using Values = std::array<double, max_fields>;  ///< by field of a kind

/// One field of a use, or of a port. Numbers are kept as they are written, milliseconds in microseconds, flags as 0 or
/// 1, words as their place among those that there are.
struct Field {
  std::string_view name;
  Measure measure = Measure::number;
  std::string_view about;
  double low = 0;
  double high = 1;
  /// What it is for the role if nothing is said, beside the values of the fields before it.
  double (*otherwise)(std::string_view role, const Values& before) noexcept = nothing_said;
  std::span<const std::string_view> words{};

  static double nothing_said(std::string_view, const Values&) noexcept { return 0; }
};

/// What follows from the values, worked out once.
struct Constants {
  std::array<double, 8> numbers{};
  std::int64_t time = 0;  ///< microseconds
  /// Of a dead zone: its sizes stand first, then what follows from them.
  [[nodiscard]] shape::DeadZone dead_zone() const noexcept { return shape::DeadZone{numbers[0], numbers[1]}; }
};

[[nodiscard]] inline double length_of(shape::Point point) noexcept {
  return std::sqrt(point.x * point.x + point.y * point.y);
}
/// In the same direction, of another length.
[[nodiscard]] inline shape::Point scaled(shape::Point point, double factor) noexcept {
  return {point.x * factor, point.y * factor};
}

/// Of a kind whose one field is a time.
[[nodiscard]] inline Constants for_a_time(const Values& values, RoleKind) {
  return {.numbers = {}, .time = static_cast<std::int64_t>(values[0])};
}

/// Why a gate is called: what it is fed has changed, or the moment that it asked for has come.
enum class Cause : std::uint8_t { input, deadline };
struct Gated {
  static constexpr std::int64_t never = std::numeric_limits<std::int64_t>::max();
  static constexpr std::int64_t as_before = -1;
  bool out = false;
  std::int64_t wake = as_before;  ///< the moment at which it is called again
};
/// What a gate sees of itself.
struct GateState {
  bool in = false;
  bool out = false;
  bool waits = false;  ///< it has asked for a moment that has not come yet
};

/// What a shape that follows remembers for one unit: where it is, and where it goes.
struct Trail {
  shape::Point at{};
  shape::Point goal{};
  shape::Point speed{};      ///< of what filters
  std::uint32_t way = 0;     ///< of what has ways: which one it is in, counted from 1
  std::uint32_t begun = 0;   ///< 1 once it has a place
  std::uint32_t moves = 0;   ///< 1 while it is to be called at the next tick
  std::uint32_t unused = 0;  ///< so that no byte of the state is undefined
};

/// Where something is that moves bit by bit, in 1/2^48 of a full push or of the game area, so that it adds up exactly.
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

/// Four directions, a bit each in order of direction_names, and what is remembered of them.
struct Directions {
  std::uint8_t on = 0;      ///< were on when they were looked at last
  std::uint8_t arrive = 0;  ///< arrive, in the low four bits; above, of each pair, whether its second one came last
};

struct Kind {
  std::string_view name;
  std::string_view about;      ///< one sentence
  std::string_view formula{};  ///< what it computes, for the table of stages; fields by name, in backquotes
  Flow in = Flow::position;
  Flow out = Flow::position;
  Home home = Home::use;
  std::span<const Field> fields;
  /// Which values do not go together, though each is in its range: what the last one may be. Empty: they go.
  std::string_view (*conflict)(const Values&) noexcept = nullptr;
  /// False if a stage with these values would change nothing: then there is none.
  bool (*acts)(const Values&) noexcept = nullptr;
  /// What the values are for `why` and the plan's listing, such as "dead zone 0.20".
  std::string (*words)(const Values&) = nullptr;
  Constants (*prepare)(const Values&, RoleKind) = nullptr;
  shape::Point (*move)(const Constants&, shape::Point) noexcept = nullptr;  ///< of a shape
  /// Of a shape that remembers: where it is when its goal is new, or a tick later. Sets `moves`.
  shape::Point (*follow)(const Constants&, Trail&, bool tick) noexcept = nullptr;
  bool (*pass)(const Constants&, bool passed, double push) noexcept = nullptr;             ///< of the threshold
  Gated (*step)(const Constants&, GateState, Cause, std::int64_t now) noexcept = nullptr;  ///< of a gate
  /// Of what travels: one tick of the way; true once it has arrived. `against` has a bit for each axis (1 x, 2 y) on
  /// which the side opposite to where it is now is pressed.
  bool (*travel)(const Constants&, FixedPoint&, shape::Point towards, unsigned against) noexcept = nullptr;
  Directions (*settle)(const Constants&, Directions, std::uint8_t on) noexcept = nullptr;  ///< of directions
  bool opposite_ends_it = false;  ///< of a gate: what it keeps on ends when the opposite direction is taken
  bool pulses = false;            ///< of a gate: what it does at its moments is no press of a hand, and may be missed
  bool on_pointers = false;       ///< of a shape: it acts on what a gun or a mouse says, too
  bool of_sticks = false;         ///< of a shape: it acts on pairs alone
  bool of_aims = false;           ///< it acts on what moves a pointer, as the engine has it
  bool unless_written = false;    ///< of a shape: before a threshold there is none unless a field of it is written
};

}  // namespace omnipar::inline abi_0::stage
