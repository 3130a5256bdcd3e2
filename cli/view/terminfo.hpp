// The capabilities of a terminal type, from the terminfo database (ncurses).
#pragma once

#include <array>
#include <string>
#include <string_view>

#include "view/canvas.hpp"

namespace omnipar::view {

class Terminfo {
 public:
  /// Loads the description of the terminal type in TERM. `is_known` returns whether it can be used.
  Terminfo(int descriptor, bool colours);
  [[nodiscard]] bool is_known() const noexcept { return !cursor_.empty(); }

  /// Sequences that enter and leave the alternate screen with a hidden cursor.
  [[nodiscard]] std::string enter() const { return enter_ + hide_ + clear_; }
  [[nodiscard]] std::string leave() const { return plain_ + show_ + leave_; }
  [[nodiscard]] std::string clear() const { return plain_ + clear_; }
  [[nodiscard]] std::string to(int x, int y) const;
  [[nodiscard]] const std::string& look(Look look) const { return looks_.at(static_cast<std::size_t>(look)); }

 private:
  [[nodiscard]] std::string written_look(Look look) const;

  bool colours_ = false;
  std::string enter_, leave_, hide_, show_, clear_, cursor_, plain_, bold_, reverse_, dim_, colour_;
  std::array<std::string, 6> looks_;
};

/// The output that turns one drawing into the other: only cells that differ are written, and styles are reset. Both
/// have the same size; without `before` the screen is empty.
[[nodiscard]] std::string difference(const Canvas* before, const Canvas& after, const Terminfo& terminal);

}  // namespace omnipar::view
