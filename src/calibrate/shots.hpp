// What guns report, as shots: where a gun pointed just before its trigger was pulled, read by time (the last value
// holds until there is another one), and what was seen of the gun before that.
#pragma once

#include <deque>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/aiming.hpp"

namespace omnipar::inline abi_0::calibrate {

/// Where one gun has pointed lately, and what its trigger does.
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
  /// Where it points at present, if it has said so.
  [[nodiscard]] std::optional<RawPoint> now() const noexcept;

  /// Where it pointed before this moment, not before `since`, as a shot: over the longest time up to `shot_time` in
  /// which it stood still. Nothing if it never reported a place.
  [[nodiscard]] std::optional<Shot> shot(AreaPoint target, Time at, Time since) const;

  /// True of a shot during which it hardly moved.
  [[nodiscard]] bool is_still(const Shot& shot) const noexcept;

  /// Restarts the pointing test.
  void begin_test() noexcept;
  [[nodiscard]] RawPoint lowest() const noexcept { return low_; }
  [[nodiscard]] RawPoint highest() const noexcept { return high_; }
  [[nodiscard]] int losses() const noexcept { return losses_; }
  /// The path since then, each place with both axes; the last 20,000.
  [[nodiscard]] const std::deque<RawPoint>& path() const noexcept { return path_; }

 private:
  struct Heard {
    Time time;
    RawPoint raw;
    bool seen = true;
  };
  struct Node {
    Attachment attachment;
    std::map<Code, std::int32_t> values;
  };

  [[nodiscard]] bool sees(RawPoint raw) const noexcept;
  /// What was reported from then to `at`, and what was reported last before.
  [[nodiscard]] std::vector<Heard> heard_within(Time from, Time at) const;
  [[nodiscard]] Shot read(Time from, Time at) const;

  std::string unit_;
  std::map<int, Node> nodes_;
  std::optional<Control> x_, y_;
  std::optional<std::int32_t> raw_x_, raw_y_;
  int triggers_down_ = 0;
  int blind_ = 0;  ///< pressed buttons that mean off-screen
  bool saw_ = true;
  std::deque<Heard> heard_;
  RawPoint low_{}, high_{};
  int losses_ = 0;
  std::deque<RawPoint> path_;
  /// The smallest difference between two readings that follow each other, each way, and how often it was seen.
  struct Step {
    double size = 0;
    int times = 0;
    void note(double difference) noexcept;
    [[nodiscard]] double known() const noexcept;
  };
  Step step_x_, step_y_;
};

}  // namespace omnipar::inline abi_0::calibrate
