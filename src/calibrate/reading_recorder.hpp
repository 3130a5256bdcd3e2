// What a unit's controls say, as readings one each step: where nothing comes, what was said last holds.
#pragma once

#include <cmath>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "omnipar/calibrating.hpp"

namespace omnipar::inline abi_0::calibrate {

/// One thing that is measured: a stick with both its axes, or an axis.
struct Thing {
  std::string role;
  bool is_stick = false;
  int node = 0;
  Control x;
  Control y{};
};

class ReadingRecorder {
 public:
  /// True if there is something new to measure on it.
  void meet(int node, const Attachment& attachment, const std::vector<std::string>& only);
  void lose(int node);
  /// Takes the values of a report.
  void feed(int node, const Report& report);

  [[nodiscard]] const std::vector<Thing>& things() const noexcept { return things_; }
  [[nodiscard]] bool is_there(const Thing& thing) const { return values_.contains(thing.node); }
  /// The current position; nothing before the first report.
  [[nodiscard]] std::optional<RawPoint> place(const Thing& thing) const;
  /// The part of its declared way from where it was when this was asked first, or since `mark`.
  [[nodiscard]] double away(const Thing& thing) const;
  /// What is at rest now.
  void mark();
  [[nodiscard]] bool has_buttons() const noexcept { return has_buttons_; }
  [[nodiscard]] bool is_down() const noexcept;

 private:
  std::vector<Thing> things_;
  std::map<int, std::map<Code, std::int32_t>> values_;
  std::map<int, std::vector<Code>> buttons_;
  std::map<std::pair<int, Code>, RawPoint> marks_;  ///< by node and code: two may have one role
  bool has_buttons_ = false;
};

[[nodiscard]] inline double length(RawPoint way) noexcept { return std::sqrt(way.x * way.x + way.y * way.y); }
/// Half the range that it declares, each way.
[[nodiscard]] RawPoint half_of(const Thing& thing) noexcept;
[[nodiscard]] inline DeclaredRange declared(const Control& control) noexcept {
  return {control.minimum, control.maximum};
}

}  // namespace omnipar::inline abi_0::calibrate
