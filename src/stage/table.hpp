// The table of stages: all kinds, in the order in which a value goes through them.
//
// A new kind is a file of its own (listed in CMakeLists.txt), a name below, and a place in the table. Its laws go into
// tests/stage/, its naive counterpart into the slow twin: a test fails while one of them is missing.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/profile.hpp"
#include "stage/stage.hpp"

namespace omnipar::inline abi_0::stage {

extern const Kind mounting, inversion, side, smoothing, dead_zone, axial_dead_zone, snap, ways, curve, spline, outline,
    anti_dead_zone, range, slew, threshold, debounce, long_press, toggle, autofire, ramp, glide, drag, edge, hold_aim,
    opposites;
/// Not in the table, for nobody writes it: stands before the smoothing where a target takes a part of a stick or axis.
extern const Kind one_way;
/// Likewise: the steps of a reload that a button fakes, and of a trigger that flashes.
extern const Kind hold, pulse;

[[nodiscard]] std::span<const Kind* const> table() noexcept;
/// Those that stand in a use.
[[nodiscard]] std::span<const Kind* const> of_uses() noexcept;
/// Another kind comes into the table, right behind one that is there. To be called before anything else of Omnipar
/// is, by one thread; the kind must live as long as the program.
void add(const Kind& kind, const Kind& behind);

/// The field of this name of a use, of whichever kind; null if there is none.
[[nodiscard]] const Field* field(std::string_view name) noexcept;

[[nodiscard]] std::vector<std::string_view> field_names();

/// The values of a use for a kind: what is written, else what holds for its role.
[[nodiscard]] Values values_of(const Kind& kind, const Use& use);
/// True if a field of the kind is written.
[[nodiscard]] bool is_written(const Kind& kind, const Use& use) noexcept;

/// What is wrong with a use's settings, if anything is: which field, and what it may be.
struct Wrong {
  std::string field;
  bool unknown = false;
  std::string range;
};
[[nodiscard]] std::optional<Wrong> wrong(const Use& use);

/// Sets a field to a value in its own measure: of a time, microseconds.
void set(Settings& settings, const Field& field, double value);

/// "10 ms", "2 s"
[[nodiscard]] std::string time_words(double microseconds);

}  // namespace omnipar::inline abi_0::stage
