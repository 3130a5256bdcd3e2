// Motors and LEDs that are controlled by raw reports, for each part of a unit.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "host/raw_output.hpp"
#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"

namespace omnipar::inline abi_0::host {

/// Without outputs, before `find` or for a missing part, calls have no effect.
class PartOutputs {
 public:
  /// Finds the outputs of a raw node with this file descriptor. Shared controls have none.
  void find(const Catalogue& catalogue, const Description& node, int descriptor);

  [[nodiscard]] bool is_there() const noexcept { return output_ != nullptr; }
  [[nodiscard]] bool has_motors() const noexcept { return output_ && output_->has_motors(); }
  [[nodiscard]] bool has_leds() const noexcept { return output_ && output_->has_leds(); }
  /// The calls of Node.
  [[nodiscard]] const std::vector<std::uint16_t>& motors(int part) const noexcept;
  [[nodiscard]] static const std::vector<std::uint16_t>& no_motors() noexcept;
  int put_effect(int part, ff_effect& effect) noexcept { return output_->put_effect(player_of(part), effect); }
  void erase_effect(int number, Time now) noexcept { output_->erase_effect(number, now); }
  void play_effect(int number, int times, Time now) noexcept { output_->play_effect(number, times, now); }
  [[nodiscard]] std::vector<std::vector<std::uint8_t>> at_rest() const { return output_->at_rest(); }
  [[nodiscard]] int count_of_leds(int part) const noexcept {
    return player_of(part) >= 0 ? output_->count_of_leds(player_of(part)) : 0;
  }
  void show_leds(int part, std::uint32_t which) noexcept { output_->show_leds(player_of(part), which); }
  /// Repeats the reports of running motors.
  void advance(Time now) noexcept {
    if (output_) output_->advance(now);
  }
  [[nodiscard]] std::optional<Time> next_due() const noexcept { return output_ ? output_->next_due() : std::nullopt; }

 private:
  [[nodiscard]] int player_of(int part) const noexcept {
    return part >= 0 && static_cast<std::size_t>(part) < players_.size() ? players_[static_cast<std::size_t>(part)]
                                                                         : -1;
  }

  std::vector<int> players_;           ///< by part; -1: none
  std::unique_ptr<RawOutput> output_;  ///< null: no outputs, or not writable
};

}  // namespace omnipar::inline abi_0::host
