// Turns the reports of a unit's controls into one reading per time step; without a report, the last value holds.
#pragma once

#include <cmath>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "omnipar/calibrating.hpp"

namespace omnipar::inline abi_0::calibrate {

/// A control to calibrate: a stick with both its axes, or an axis.
struct Thing {
  std::string role;
  bool is_stick = false;
  int node = 0;
  Control x;
  Control y{};
};

class ReadingRecorder {
 public:
  /// True if another calibration of it could yield anything new.
  void meet(int node, const Attachment& attachment, const std::vector<std::string>& only);
  void lose(int node);
  /// Adds the values of a report.
  void feed(int node, const Report& report);

  [[nodiscard]] const std::vector<Thing>& things() const noexcept { return things_; }
  [[nodiscard]] bool is_there(const Thing& thing) const { return values_.contains(thing.node); }
  /// The current position; nothing before the first report.
  [[nodiscard]] std::optional<RawPoint> place(const Thing& thing) const;
  /// The fraction of its declared range that it has moved since the first call, or since `mark`.
  [[nodiscard]] double away(const Thing& thing) const;
  /// Sets the current position as rest.
  void mark();
  [[nodiscard]] bool has_buttons() const noexcept { return has_buttons_; }
  [[nodiscard]] bool is_down() const noexcept;

 private:
  std::vector<Thing> things_;
  std::map<int, std::map<Code, std::int32_t>> values_;
  std::map<int, std::vector<Code>> buttons_;
  std::map<std::pair<int, Code>, RawPoint> marks_;  ///< by node and code, because two may have one role
  bool has_buttons_ = false;
};

[[nodiscard]] inline double length(RawPoint way) noexcept { return std::sqrt(way.x * way.x + way.y * way.y); }
/// Half its declared range, along each axis.
[[nodiscard]] RawPoint half_of(const Thing& thing) noexcept;
[[nodiscard]] inline DeclaredRange declared(const Control& control) noexcept {
  return {control.minimum, control.maximum};
}

}  // namespace omnipar::inline abi_0::calibrate
