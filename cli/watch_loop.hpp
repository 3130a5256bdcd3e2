// The loop that draws on a terminal, or only prints what is ticked off.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "live.hpp"
#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"
#include "os/signals.hpp"
#include "view/terminal.hpp"

namespace omnipar::cli {

struct LoopOptions {
  bool is_room = false;
  bool prints = false;  ///< prints samples; ends when the output is closed
  bool raw = false;
  bool step = false;  ///< a room starts paused
  double speed = 1;   ///< of a room
  Duration from{0};   ///< the start time in a room
  std::optional<Duration> at_most{};
  std::string begin{};  ///< the first message, without a drawing
};

/// Runs a live view. Draws on a terminal: stdout, or stderr with `json`. Without a terminal, prints messages, and runs
/// a room at full speed. Returns a diagnostic if it cannot continue.
[[nodiscard]] std::optional<Diagnostic> go_live(const LoopOptions& options, bool json, Live& live);

/// A room's time as a function of real time: at the requested speed, or paused.
class Pace {
 public:
  Pace(Time room, Time now, double speed, bool stands) : room_(room), since_(now), speed_(speed), stands_(stands) {}

  [[nodiscard]] bool stands() const noexcept { return stands_; }
  [[nodiscard]] Time room(Time now) const;
  /// When the room reaches this time; nothing while it is paused.
  [[nodiscard]] std::optional<Time> when(Time room, Time now) const;
  void stand(bool still, Time now);
  void go_to(Time room, Time now);

 private:
  Time room_;
  Time since_;
  double speed_;
  bool stands_;
};

class WatchLoop {
 public:
  WatchLoop(os::Door& door, LoopOptions options, Live& live)
      : door_(door), options_(std::move(options)), live_(live), signals_(door) {}

  /// Runs until the user, a key or a signal ends it, or no more input can arrive. Without a terminal nothing is drawn.
  /// Fails if waiting or the session fails.
  [[nodiscard]] std::optional<Diagnostic> run(view::Terminal* terminal);

 private:
  [[nodiscard]] bool ends() const;
  [[nodiscard]] Time due() const;
  [[nodiscard]] bool wait();
  void process();
  void handle_signal(int number);
  void stop();
  void handle_keys();
  [[nodiscard]] bool is_meant(char key);
  void press(char key);
  void step(Time now);
  void draw_when_due();
  [[nodiscard]] view::Page page() const;

  os::Door& door_;
  LoopOptions options_;
  Live& live_;
  os::Signals signals_;
  view::Terminal* terminal_ = nullptr;
  view::Size size_;
  std::optional<Pace> pace_;
  Time began_{};
  Time drawn_{};
  bool dirty_ = true;
  bool ended_ = false;
  bool is_typed_ = false;
  std::string hint_;
  char last_control_ = 0;
  Time last_control_at_{};
};

/// "4.017 s"
[[nodiscard]] std::string seconds_words(Time time);

}  // namespace omnipar::cli
