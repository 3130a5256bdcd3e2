// A live view that can be drawn. The loop that waits and reads keys is independent of its content.
#pragma once

#include <optional>
#include <string>

#include "inspect/seen.hpp"
#include "omnipar/session.hpp"
#include "view/page.hpp"
#include "views.hpp"

namespace omnipar::cli {

class Live {
 public:
  virtual ~Live() = default;
  /// Messages for people go there as they occur.
  virtual void say_to(LineSink say) = 0;
  [[nodiscard]] virtual Session& session() noexcept = 0;
  /// Processes everything until now, which is the session's time.
  virtual void process(Time now) = 0;
  /// The same up to a moment of a room.
  virtual void run(Time until) = 0;
  /// When `process` has something to do without an event.
  [[nodiscard]] virtual std::optional<Time> next_due() const = 0;
  /// True once for each change of the drawing.
  [[nodiscard]] virtual bool has_changed() noexcept = 0;
  /// The user asked to end, or everything is done.
  [[nodiscard]] virtual bool wants_end() const = 0;
  /// The same, or no more input can arrive.
  [[nodiscard]] virtual bool is_over() const = 0;
  /// True if a key was pressed on a watched unit within that time: the terminal's input is then ignored.
  [[nodiscard]] virtual bool is_typed_on(Duration within) const = 0;
  [[nodiscard]] virtual const inspect::Seen& seen() const noexcept = 0;
  /// Sets title, status and notes; the rest is the caller's.
  [[nodiscard]] virtual view::Page page() const = 0;
  /// Handles a typed key; true if it was meant for this view.
  virtual bool press(char key) {
    static_cast<void>(key);
    return false;
  }
  /// The keys and their effects, for the last line; empty: only those of the loop.
  [[nodiscard]] virtual std::string keys() const { return ""; }
  /// Without a drawing: prints new messages.
  virtual void print_messages() {}
  /// Runs to the end of a room at full speed, and beyond it by this time, for the last effects.
  void run_through(Duration behind) {
    while (!is_over()) {
      const Time before = session().now();
      run(next_due().value_or(latest_time));
      if (session().now() == before && !session().next_due()) break;
    }
    wait_behind(session().now() + behind);
  }

 protected:
  /// Advances time after the end of the room.
  virtual void wait_behind(Time until) { static_cast<void>(until); }
};

}  // namespace omnipar::cli
