// The table of stages: all kinds, in the order in which a value passes them.
//
// A new kind is a file of its own (listed in CMakeLists.txt), a name below, and a row in the table. Its laws belong in
// tests/stage/, its naive counterpart in the slow twin: a test fails while one of them is missing.
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
/// Not in the table, because it has no field: it precedes the smoothing if a target uses a part of a stick or axis.
extern const Kind one_way;
/// The same for the steps of a simulated reload, and of a trigger that flashes.
extern const Kind hold, pulse;

[[nodiscard]] std::span<const Kind* const> table() noexcept;
/// The kinds that a binding can have.
[[nodiscard]] std::span<const Kind* const> of_uses() noexcept;
/// Adds a kind to the table, directly after an existing one. Must be called before any other function of Omnipar,
/// from one thread; the kind must live as long as the program.
void add(const Kind& kind, const Kind& behind);

/// A binding's field with this name, of any kind; null if there is none.
[[nodiscard]] const Field* field(std::string_view name) noexcept;

[[nodiscard]] std::vector<std::string_view> field_names();

/// A binding's values for a kind: explicit ones, otherwise the defaults of its role.
[[nodiscard]] Values values_of(const Kind& kind, const Use& use);
/// True if a field of the kind is set explicitly.
[[nodiscard]] bool is_written(const Kind& kind, const Use& use) noexcept;

/// The error in a binding's settings, if any: which field, and its valid values.
struct Wrong {
  std::string field;
  bool unknown = false;
  std::string range;
};
[[nodiscard]] std::optional<Wrong> wrong(const Use& use);

/// Sets a field to a value in its own unit: microseconds for a time.
void set(Settings& settings, const Field& field, double value);

/// "10 ms", "2 s"
[[nodiscard]] std::string time_words(double microseconds);

}  // namespace omnipar::inline abi_0::stage
