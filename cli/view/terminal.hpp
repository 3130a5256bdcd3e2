// A terminal during drawing, restored afterwards: also after a crash, by a small guard
// process.
//
//   restored --open, come_back--> drawn on --leave, the end, a crash, SIGKILL--> restored
#pragma once

#include <asm/termbits.h>

#include <memory>
#include <optional>
#include <string>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"
#include "view/canvas.hpp"
#include "view/terminfo.hpp"

#include <tl/expected.hpp>

namespace omnipar::view {

/// True if this locale writes UTF-8.
[[nodiscard]] bool locale_is_utf8();

struct Size {
  int width = 80;
  int height = 24;
  friend bool operator==(const Size&, const Size&) = default;
};

/// The size of this descriptor's terminal, or nothing.
[[nodiscard]] std::optional<Size> terminal_size(os::Basics& door, int descriptor);

class Terminal {
 public:
  /// Takes over the terminal of this stream (1 or 2): from now on typed keys are neither echoed nor turned into
  /// signals. Fails with `no-terminal`.
  [[nodiscard]] static tl::expected<std::unique_ptr<Terminal>, Diagnostic> open(os::Door& door, int stream,
                                                                                bool colours);
  /// Restores the terminal and discards pending input.
  ~Terminal();
  Terminal(const Terminal&) = delete;
  Terminal& operator=(const Terminal&) = delete;

  /// Readable when something was typed.
  [[nodiscard]] int descriptor() const noexcept { return tty_.get(); }
  [[nodiscard]] Size size() const;
  /// True when all output is written. Slow terminals never block the loop.
  [[nodiscard]] bool is_idle() const noexcept { return pending_.empty(); }
  /// Shows a drawing; must be called when it is idle.
  void show(const Canvas& canvas);
  /// Continues pending output without waiting.
  void write_on();
  /// The typed characters; nothing if the terminal is gone.
  [[nodiscard]] std::optional<std::string> typed();
  /// Restores the terminal while we are stopped; and takes it over again.
  void leave();
  void come_back();

 private:
  Terminal(os::Door& door, os::Descriptor tty, bool colours)
      : door_(door), tty_(std::move(tty)), terminfo_(tty_.get(), colours) {}
  [[nodiscard]] bool begin();
  void guard();
  void tell_guard(char state);

  os::Door& door_;
  os::Descriptor tty_;
  os::Descriptor guard_;  ///< our end of the socket to the guard process
  pid_t guard_process_ = -1;
  Terminfo terminfo_;
  ::termios before_{};
  ::termios ours_{};
  bool entered_ = false;
  std::optional<Canvas> shown_;
  std::string pending_;
};

}  // namespace omnipar::view
