// Signals changes to players who cannot see a terminal: by rumble, LEDs, notifications or a callback.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "host/desktop.hpp"
#include "omnipar/session.hpp"

namespace omnipar::inline abi_0::evening {

/// Changes that are signalled to players.
enum class Turn : std::uint8_t { frozen, resumed, swapped, unit_lost, unit_back };

struct FeedbackOptions {
  std::function<void(Turn)> call{};  ///< called on the session's thread; may be empty
  bool feel = false;                 ///< rumble pulses: 1 resumed or unit back, 2 frozen, 3 swapped, 4 unit lost
  bool leds = false;                 ///< each unit's LEDs show its port; frozen: none; unit lost: all, for a while
  bool notify = false;               ///< desktop notifications
};

class Feedback {
 public:
  /// The session must outlive this. With LEDs enabled, they show the ports from now on.
  Feedback(FeedbackOptions options, Session& session) : options_(std::move(options)), session_(session) { show_leds(); }

  /// Connects to the desktop's notifications if requested. Returns false if there are none.
  [[nodiscard]] bool find_desktop();
  /// The descriptor to wait for; -1 without a desktop.
  [[nodiscard]] int descriptor() const noexcept { return desktop_ ? desktop_->descriptor() : -1; }
  /// Must be called when it is readable.
  void process();

  /// Signals a change; `words` is the text of its message.
  void tell(Turn what, const std::string& words, Time now);
  /// Advances time; `next_due` is the next time at which this has an effect.
  void advance(Time now) {
    if (numbers_again_ && now >= *numbers_again_) show_numbers_again();
  }
  [[nodiscard]] std::optional<Time> next_due() const noexcept { return numbers_again_; }

 private:
  void show_leds();
  void show_numbers_again();

  FeedbackOptions options_;
  Session& session_;
  std::unique_ptr<host::Desktop> desktop_;
  bool frozen_ = false;
  std::optional<Time> numbers_again_;  ///< all LEDs are lit until then
};

}  // namespace omnipar::inline abi_0::evening
