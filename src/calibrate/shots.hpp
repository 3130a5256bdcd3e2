// Turns the reports of guns into shots: where a gun pointed just before its trigger was pulled, read by time (each
// value holds until the next report), and the gun's movement before that.
#pragma once

#include <deque>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/aiming.hpp"

namespace omnipar::inline abi_0::calibrate {

/// The recent aim of one gun, and the state of its trigger.
class AimHistory {
 public:
  explicit AimHistory(std::string unit) : unit_(std::move(unit)) {}

  void meet(int node, const Attachment& attachment);
  void lose(int node) { nodes_.erase(node); }
  /// True if its trigger was pulled in this report.
  bool feed(int node, const Report& report);

  [[nodiscard]] const std::string& unit() const noexcept { return unit_; }
  [[nodiscard]] bool is_here() const noexcept { return !nodes_.empty(); }
  [[nodiscard]] bool is_gun() const noexcept { return x_ && y_; }
  [[nodiscard]] bool has_node(int node) const noexcept { return nodes_.contains(node); }
  [[nodiscard]] bool trigger_down() const noexcept { return triggers_down_ > 0; }
  [[nodiscard]] const std::optional<Control>& x() const noexcept { return x_; }
  [[nodiscard]] const std::optional<Control>& y() const noexcept { return y_; }
  /// Its current aim, if it has reported any.
  [[nodiscard]] std::optional<RawPoint> now() const noexcept;

  /// The aim before this moment, not before `since`, as a shot: over the longest time up to `shot_time` during
  /// which it was steady. Nothing if it never reported a position.
  [[nodiscard]] std::optional<Shot> shot(AreaPoint target, Time at, Time since) const;

  /// True if it hardly moved during the shot.
  [[nodiscard]] bool is_still(const Shot& shot) const noexcept;

  /// Restarts the pointing test.
  void begin_test() noexcept;
  [[nodiscard]] RawPoint lowest() const noexcept { return low_; }
  [[nodiscard]] RawPoint highest() const noexcept { return high_; }
  [[nodiscard]] int losses() const noexcept { return losses_; }
  /// The path since then, each point with both axes; at most the last 20,000.
  [[nodiscard]] const std::deque<RawPoint>& path() const noexcept { return path_; }

 private:
  struct Reading {
    Time time;
    RawPoint raw;
    bool seen = true;
  };
  struct Node {
    Attachment attachment;
    std::map<Code, std::int32_t> values;
  };

  [[nodiscard]] bool sees(RawPoint raw) const noexcept;
  /// The reports between then and `at`, preceded by the last one before.
  [[nodiscard]] std::vector<Reading> readings_within(Time from, Time at) const;
  [[nodiscard]] Shot read(Time from, Time at) const;

  std::string unit_;
  std::map<int, Node> nodes_;
  std::optional<Control> x_, y_;
  std::optional<std::int32_t> raw_x_, raw_y_;
  int triggers_down_ = 0;
  int blind_ = 0;  ///< pressed buttons that mean off-screen
  bool saw_ = true;
  std::deque<Reading> readings_;
  RawPoint low_{}, high_{};
  int losses_ = 0;
  std::deque<RawPoint> path_;
  /// The smallest difference between two consecutive readings, along each axis, and how often it occurred.
  struct Step {
    double size = 0;
    int times = 0;
    void note(double difference) noexcept;
    [[nodiscard]] double known() const noexcept;
  };
  Step step_x_, step_y_;
};

}  // namespace omnipar::inline abi_0::calibrate
