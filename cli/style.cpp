#include "style.hpp"

#include <sys/ioctl.h>
#include <unistd.h>

#include <optional>

#include "os/door.hpp"
#include "text/utf8.hpp"

namespace omnipar::cli {
namespace {

// Control characters. A text from outside that contains them colours itself, and nothing after it.
constexpr char begins = '\x0e';
constexpr char ends = '\x0f';

std::optional<bool> wanted;  ///< unset: only on a terminal

bool is_style(char letter) { return std::string_view{"rgyb"}.find(letter) != std::string_view::npos; }

bool has_colour(int stream) {
  if (wanted) return *wanted;
  os::Door& door = os::real_door();
  return ::isatty(stream) == 1 && door.environment("NO_COLOR").empty() && door.environment("TERM") != "dumb";
}

std::string_view colour_of(char style) {
  switch (static_cast<Style>(style)) {
    case Style::error:
      return "\x1b[1;31m";
    case Style::good:
      return "\x1b[32m";
    case Style::hint:
      return "\x1b[33m";
    case Style::bright:
      return "\x1b[1;36m";
  }
  return "";
}

}  // namespace

bool has_colours(int stream) { return has_colour(stream); }

std::string styled(Style style, std::string_view text) {
  return std::string{begins} + static_cast<char>(style) + std::string{text} + ends;
}

std::string for_terminal(std::string_view text, int stream) {
  const bool colours = has_colour(stream);
  constexpr std::string_view plain = "\x1b[0m";
  std::string clean;
  bool is_open = false;
  while (!text.empty()) {
    const char first = text.front();
    if (first == begins && text.size() > 1 && is_style(text[1])) {
      if (colours) clean += colour_of(text[1]);
      is_open = colours;
      text.remove_prefix(2);
    } else if (first == ends && is_open) {
      clean += plain;
      is_open = false;
      text.remove_prefix(1);
    } else if (first == ends && !colours) {
      text.remove_prefix(1);
    } else if (first == '\n' || first == '\t') {
      clean += first;
      text.remove_prefix(1);
    } else {
      clean += text::next_character(text);
    }
  }
  if (is_open) clean += plain;
  return clean;
}

bool choose_colour(std::string_view when) {
  if (when != "auto" && when != "always" && when != "never") return false;
  wanted.reset();
  if (when != "auto") wanted = when == "always";
  return true;
}

std::size_t terminal_width() {
  winsize size{};
  return ::isatty(STDOUT_FILENO) == 1 && ::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 ? size.ws_col : 0;
}

}  // namespace omnipar::cli
