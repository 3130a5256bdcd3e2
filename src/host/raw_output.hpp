// Motors and LEDs driven by output reports, separately for each part of a unit.
#pragma once

#include <linux/input.h>

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "omnipar/hid_output.hpp"
#include "omnipar/time.hpp"
#include "os/writer.hpp"

namespace omnipar::inline abi_0::host {

class RawOutput {
 public:
  /// `players`: for each part of the unit the indices of its controls. Throws std::system_error if there are no
  /// more threads.
  RawOutput(int raw_node, const hid::Descriptor& descriptor, std::span<const hid::ReportControl> controls,
            std::span<const std::vector<std::size_t>> players);
  /// Stops all motors and turns LEDs off.
  ~RawOutput();
  RawOutput(const RawOutput&) = delete;
  RawOutput& operator=(const RawOutput&) = delete;

  /// The reports that stop all motors, with LEDs off.
  [[nodiscard]] const std::vector<std::vector<std::uint8_t>>& at_rest() const noexcept { return at_rest_; }

  [[nodiscard]] bool has_motors(int part) const noexcept;
  [[nodiscard]] bool has_motors() const noexcept { return !motors_.empty(); }
  [[nodiscard]] bool has_leds() const noexcept { return !leds_.empty(); }
  [[nodiscard]] int count_of_leds(int part) const noexcept;

  /// As for an event node: only FF_RUMBLE. The first motor of a part has the strong half, the second the weak
  /// one, and a single one the stronger of both. Further motors are stopped.
  int put_effect(int part, ff_effect& effect) noexcept;
  void erase_effect(int number, Time now) noexcept;
  void play_effect(int number, int times, Time now) noexcept;
  void show_leds(int part, std::uint32_t which) noexcept;

  /// When motor reports have to be repeated.
  [[nodiscard]] std::optional<Time> next_due() const noexcept { return due_; }
  void advance(Time now) noexcept;

 private:
  struct Effect {
    bool used = false;
    int part = 0;
    Duration wait{};    ///< before each turn
    Duration length{};  ///< of each repetition; 0: until it is stopped
    double strong = 0;
    double weak = 0;
    int turns = 0;  ///< repetitions to play; 0: it is stopped
    Time began{};

    [[nodiscard]] bool is_over(Time now) const noexcept;
    /// Its next change, if any.
    [[nodiscard]] std::optional<Time> next_change(Time now) const noexcept;
    [[nodiscard]] bool shakes(Time now) const noexcept;
  };

  struct Motor {
    hid::Output output;
    int player = -1;  ///< -1: shared
    bool is_strong = true;
    bool is_weak = false;
    double level = 0;  ///< as sent last
  };
  struct Led {
    hid::Output output;
    int player = -1;
  };

  using Reports = std::array<std::span<const std::uint8_t>, hid::most_reports>;  ///< reports with changes, by id

  void also(Reports& reports, const hid::Output& output) const noexcept;
  void tell(const Reports& reports) noexcept;
  void add_motor(hid::Output output, int player);
  void tell_motors(Time now) noexcept;
  [[nodiscard]] double level_of(const Motor& motor, Time now) const noexcept;

  hid::Encoder encoder_;
  std::vector<Motor> motors_;
  std::vector<Led> leds_;
  std::vector<std::vector<std::uint8_t>> at_rest_;
  std::array<Effect, 16> effects_{};
  std::optional<Time> due_;
  bool touched_leds_ = false;
  os::Writer writer_;
};

}  // namespace omnipar::inline abi_0::host
