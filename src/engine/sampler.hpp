// The common part of both kinds of reader: shown values, and how far they lag behind the engine.
//
// The states of a shown button:  up --press to show--> down        (consumes one pending press)
//                                down --released, or another press to show--> up
// A pulse, which is down without a press, is shown if it is present when a sample is taken. At most one change per
// sample, and for paced readers only after the state has been shown long enough. Opposite directions take turns: one
// waits until the other has been shown released, unless both are physically held.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include "engine/engine_state.hpp"

namespace omnipar::inline abi_0::engine {

class Sampler {
 public:
  /// `shortest`: the minimum duration of each shown state of a button; 0 for one sample.
  Sampler(const Engine& engine, std::int64_t shortest);
  ~Sampler();
  Sampler(const Sampler&) = delete;
  Sampler& operator=(const Sampler&) = delete;

  void sample(std::int64_t now) noexcept;
  /// The engine has a new plan; each target had this index in the previous one, or none. The next
  /// sample shows everything at rest, followed by what has not been shown yet.
  void carry(std::span<const Index> origins);

  /// Size in bytes of a saved reader of a plan with this number of targets.
  [[nodiscard]] static std::size_t saved_size(std::size_t targets) noexcept;
  void save(std::byte* into) const noexcept;
  /// Restores a saved reader. `made`: presses and counts since the save; `again`: those that the restored engine
  /// repeats; `later`: the time since the save.
  void restore(std::span<const std::byte> saved, const Unshown& made, const Unshown& again,
               std::int64_t later) noexcept;

  [[nodiscard]] const State& engine() const noexcept { return engine_; }
  [[nodiscard]] std::span<const TargetPlace> changed() const noexcept { return {changed_.data(), changed_count_}; }
  [[nodiscard]] std::int64_t next_due() const noexcept;
  [[nodiscard]] double shown(std::size_t target) const noexcept { return shown_[target].value; }
  /// For an axis: computed on request, and kept.
  [[nodiscard]] std::int32_t native(std::size_t target) const noexcept;
  [[nodiscard]] std::uint32_t presses(std::size_t target) const noexcept { return shown_[target].presses; }

 private:
  struct Shown {
    double value = 0;
    std::int64_t since = 0;     ///< when a button last changed here
    std::int64_t total = 0;     ///< the engine's total of movements that has been shown
    std::uint64_t looked = 0;   ///< the number of the last sample that evaluated it
    std::uint32_t presses = 0;  ///< shown here
    std::uint32_t taken = 0;    ///< the engine's count of presses that has been shown
    std::int32_t native = 0;    ///< of an axis: in the machine's own numbers, as last returned
    std::int32_t went = 0;      ///< the direction of its last change: -1 or 1
    double native_of =
        std::numeric_limits<double>::quiet_NaN();  ///< the value that it was computed from; NaN: none yet
  };

  struct SavedReader;

  void begin() noexcept;
  void undo(Index target, const Shown& then, const Unshown& made, const Unshown& again, bool has_shown) noexcept;
  void add_undone() noexcept;
  void rest(std::int64_t now) noexcept;
  void look(Index target, std::int64_t now) noexcept;
  void skip_sights(Index target) noexcept;
  void look_at_button(Index target, std::int64_t now) noexcept;
  void look_at_opposites(Index one, Index other, std::int64_t now) noexcept;
  void look_at_sum(Index target) noexcept;
  void follow(Index axis) noexcept;
  void set(Index target, double value) noexcept;
  [[nodiscard]] double within_gate(Index target, double corner) const noexcept;
  [[nodiscard]] double as_machine(Index target) const noexcept {
    const double corner = engine_.plan_data->targets[target].corner;
    return corner == 0 ? engine_.level[target] : within_gate(target, corner);
  }

  // buttons
  [[nodiscard]] std::uint32_t outstanding(Index target) const noexcept {
    return engine_.presses[target] - shown_[target].taken;
  }
  [[nodiscard]] bool is_down(Index target) const noexcept { return shown_[target].value != 0; }
  [[nodiscard]] bool wants_change(Index target) const noexcept {
    return outstanding(target) != 0 || is_down(target) != (engine_.level[target] != 0);
  }
  [[nodiscard]] bool may_change(Index target, std::int64_t now) const noexcept;
  [[nodiscard]] bool is_held_on(Index target) const noexcept;
  [[nodiscard]] bool was_pressed_before(Index one, Index other) const noexcept;
  [[nodiscard]] bool comes_first(Index one, Index other) const noexcept;
  void press(Index target, std::int64_t now) noexcept;
  void let_go(Index target, std::int64_t now) noexcept;
  bool let_go_if_due(Index target, Index across, std::int64_t now) noexcept;
  [[nodiscard]] bool makes_way(Index target, Index across) const noexcept;
  [[nodiscard]] bool is_blocked(Index target, Index across) const noexcept;
  void wait_for(Index target) noexcept { behind_[behind_count_++] = target; }

  std::shared_ptr<const State> held_;  ///< even if its engine is gone
  const State& engine_;
  std::int64_t shortest_;
  std::uint64_t tail_ = 0;
  std::uint64_t number_ = 0;     ///< its own number in the engine
  bool carried_ = false;         ///< nothing of the engine's plan has been shown yet
  std::int64_t rested_ = never;  ///< when it was last at rest, if not shown since
  std::size_t changed_count_ = 0;
  std::size_t behind_count_ = 0;
  mutable std::vector<Shown> shown_;
  std::uint64_t samples_ = 0;
  std::array<TargetPlace, max_targets> changed_{};
  std::array<Index, max_targets> behind_{};
  std::array<std::uint64_t, max_targets / 64> undone_{};  ///< one bit for each target that a restore has changed
  bool has_undone_ = false;
  std::array<Index, max_targets> waiting_{};  ///< those of the previous sample, while they are evaluated
};

}  // namespace omnipar::inline abi_0::engine
