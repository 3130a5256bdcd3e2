// What both kinds of reader are made of: shown values, and how far they are behind the engine.
//
// A shown button goes   up --press to show--> down        (a press is taken off those outstanding)
//                       down --let go, or another press to show--> up
// each at most once a sample, and for paced readers not before the state has been shown long enough.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <vector>

#include "engine/heart.hpp"

namespace omnipar::detail {

class Follower {
 public:
  /// `shortest`: how long each shown state of a button lasts at the least; 0 for one sample.
  Follower(const Engine& engine, std::int64_t shortest);
  void sample(std::int64_t now) noexcept;

  [[nodiscard]] const Engine::Heart& heart() const noexcept { return engine_; }
  [[nodiscard]] std::span<const std::uint16_t> changed() const noexcept { return {changed_.data(), changed_count_}; }
  [[nodiscard]] std::int64_t next_due() const noexcept;
  [[nodiscard]] double shown(std::size_t target) const noexcept { return shown_[target].value; }
  [[nodiscard]] std::uint32_t presses(std::size_t target) const noexcept { return shown_[target].presses; }

 private:
  struct Shown {
    double value = 0;
    std::int64_t since = 0;     ///< when a button was last changed here
    std::uint32_t presses = 0;  ///< shown here
    std::uint32_t taken = 0;    ///< the engine's count up to which they have been shown
  };

  void begin() noexcept;
  void restart(std::int64_t now) noexcept;
  void look(Index target, std::int64_t now) noexcept;
  bool step(Index target, Shown& shown, std::int64_t now) noexcept;
  void follow(Index axis) noexcept;
  bool follow_count(Index target) noexcept;

  const Engine::Heart& engine_;
  std::int64_t shortest_;
  std::uint64_t tail_ = 0;
  std::uint32_t epoch_ = 0;
  std::int64_t restarted_ = never;  ///< when, if what is there has not been shown since
  std::size_t changed_count_ = 0;
  std::size_t behind_count_ = 0;
  std::vector<Shown> shown_;
  std::vector<double> counted_;        ///< the engine's sums up to which movements have been shown
  std::vector<std::uint64_t> looked_;  ///< number of the last sample that looked at a target
  std::uint64_t samples_ = 0;
  std::array<Index, max_targets> changed_{};
  std::array<Index, max_targets> behind_{};
};

}  // namespace omnipar::detail
