#include "view/terminal.hpp"

#include <asm/ioctls.h>
#include <fcntl.h>
#include <langinfo.h>
#include <locale.h>
#include <unistd.h>

#include <cstdlib>
#include <utility>

#include "os/helper.hpp"

namespace omnipar::view {
namespace {

// Messages to the guard process.
constexpr char drawn_on = 'd', as_it_was = 'w', at_the_end = 'e';

struct WindowSize {  // the kernel's struct (asm/termios.h, which conflicts with termbits.h)
  unsigned short rows, columns, x, y;
};

bool are_same(const ::termios& one, const ::termios& other) {
  return one.c_iflag == other.c_iflag && one.c_oflag == other.c_oflag && one.c_lflag == other.c_lflag;
}

void write_now(os::Basics& door, int tty, const std::string& text) {
  static_cast<void>(door.write(tty, std::as_bytes(std::span{text})));
}

/// Runs in its own process: if the other end disappears without a message, restores the terminal, unless another
/// program such as a shell already did.
[[noreturn]] void stand_guard(os::Door& door, int socket, int tty, const ::termios& before, const ::termios& ours,
                              const std::string& leave) {
  os::become_helper("omnipar-term", socket, tty);
  const std::byte ready{};
  static_cast<void>(door.write(socket, {&ready, 1}));
  char state = as_it_was;
  while (state != at_the_end) {
    std::byte word{};
    const ssize_t got = door.read(socket, {&word, 1});
    if (got < 1) break;
    state = static_cast<char>(word);
  }
  if (state == drawn_on) {
    ::termios now{};
    if (door.control(tty, TCGETS, &now) == 0 && are_same(now, ours)) {
      ::termios copy = before;
      door.control(tty, TCFLSH, std::uintptr_t{TCIFLUSH});
      door.control(tty, TCSETS, &copy);
    }
    write_now(door, tty, leave);
  }
  ::_exit(0);
}

}  // namespace

bool locale_is_utf8() {
  const locale_t locale = newlocale(LC_CTYPE_MASK, "", nullptr);
  if (locale == nullptr) return false;
  const bool is_utf8 = std::string_view{nl_langinfo_l(CODESET, locale)} == "UTF-8";
  freelocale(locale);
  return is_utf8;
}

std::optional<Size> terminal_size(os::Basics& door, int descriptor) {
  WindowSize size{};
  if (door.control(descriptor, TIOCGWINSZ, &size) < 0 || size.columns == 0 || size.rows == 0) return std::nullopt;
  return Size{size.columns, size.rows};
}

tl::expected<std::unique_ptr<Terminal>, Diagnostic> Terminal::open(os::Door& door, int stream, bool colours) {
  const auto refused = [](std::string why) {
    return tl::unexpected(Diagnostic{"no-terminal", Severity::error, std::move(why), "",
                                     "use --once to print one picture; --tick-off and --json work without a terminal"});
  };
  ::termios modes{};
  if (door.control(stream, TCGETS, &modes) < 0) return refused("the output is not a terminal");
  // Reopened, so that the non-blocking mode does not affect other users of the terminal.
  os::Descriptor tty{door, door.open("/proc/self/fd/" + std::to_string(stream), O_RDWR | O_NONBLOCK | O_NOCTTY)};
  if (!tty) tty = {door, door.open("/dev/tty", O_RDWR | O_NONBLOCK | O_NOCTTY)};
  if (!tty) return refused("cannot open the terminal");
  std::unique_ptr<Terminal> made{new Terminal{door, std::move(tty), colours}};
  if (!made->terminfo_.is_known()) {
    const std::string name = door.environment("TERM");
    return refused(name.empty() ? "TERM does not name the terminal type"
                                : "terminal type '" + name + "' cannot show this view");
  }
  if (!made->begin()) return refused("cannot set up the terminal");
  return made;
}

bool Terminal::begin() {
  if (door_.control(tty_.get(), TCGETS, &before_) < 0) return false;
  ours_ = before_;
  ours_.c_lflag &= ~static_cast<tcflag_t>(ICANON | ECHO | ISIG | IEXTEN);
  ours_.c_iflag &= ~static_cast<tcflag_t>(IXON | ICRNL);
  ours_.c_cc[VMIN] = 1;
  ours_.c_cc[VTIME] = 0;
  guard();
  come_back();
  return true;
}

void Terminal::guard() {
  int ends[2] = {-1, -1};
  if (door_.pair_of_sockets(ends) < 0) return;
  os::Descriptor ours{door_, ends[0]};
  os::Descriptor theirs{door_, ends[1]};
  guard_process_ = door_.fork();
  if (guard_process_ == 0) stand_guard(door_, theirs.get(), tty_.get(), before_, ours_, terminfo_.leave());
  theirs.reset();
  if (guard_process_ < 0) return;
  guard_ = std::move(ours);
  // Until it has a session of its own, a signal to us could end it, too.
  std::byte ready{};
  static_cast<void>(door_.read(guard_.get(), {&ready, 1}));
}

void Terminal::tell_guard(char state) {
  if (guard_) static_cast<void>(door_.send(guard_.get(), std::as_bytes(std::span{&state, 1}), -1));
}

void Terminal::come_back() {
  if (std::exchange(entered_, true)) return;
  tell_guard(drawn_on);
  door_.control(tty_.get(), TCSETSF, &ours_);
  pending_ = terminfo_.enter();
  shown_.reset();
  write_on();
}

void Terminal::leave() {
  if (!std::exchange(entered_, false)) return;
  // A line that is too slow for the rest of a drawing gets at least the end, and a moment to send it.
  pending_ = terminfo_.leave();
  constexpr Duration patience = std::chrono::seconds{1};
  const Time until = door_.now() + patience;
  for (write_on(); !pending_.empty() && door_.now() < until; write_on()) {
    pollfd tty{tty_.get(), POLLOUT, 0};
    if (door_.wait({&tty, 1}, &until) <= 0 || (tty.revents & POLLOUT) == 0) break;
  }
  pending_.clear();
  door_.control(tty_.get(), TCFLSH, std::uintptr_t{TCIFLUSH});
  ::termios copy = before_;
  door_.control(tty_.get(), TCSETS, &copy);
  tell_guard(as_it_was);
}

Terminal::~Terminal() {
  leave();
  tell_guard(at_the_end);
  guard_.reset();
  if (guard_process_ > 0) door_.wait_for(guard_process_);
}

Size Terminal::size() const { return terminal_size(door_, tty_.get()).value_or(Size{}); }

void Terminal::show(const Canvas& canvas) {
  const bool fits = shown_ && shown_->width() == canvas.width() && shown_->height() == canvas.height();
  if (shown_ && !fits) pending_ += terminfo_.clear();
  pending_ += difference(fits ? &*shown_ : nullptr, canvas, terminfo_);
  shown_ = canvas;
  write_on();
}

void Terminal::write_on() {
  while (!pending_.empty()) {
    const ssize_t written = door_.write(tty_.get(), std::as_bytes(std::span{pending_}));
    if (written <= 0) return;
    pending_.erase(0, static_cast<std::size_t>(written));
  }
}

std::optional<std::string> Terminal::typed() {
  std::string text(256, '\0');
  const ssize_t got = door_.read(tty_.get(), std::as_writable_bytes(std::span{text}));
  if (got == -EAGAIN) return "";
  if (got <= 0) return std::nullopt;
  text.resize(static_cast<std::size_t>(got));
  return text;
}

}  // namespace omnipar::view
