#include "view/terminfo.hpp"

#include <bit>
#include <cstdint>

#include <curses.h>
#include <term.h>
// They are macros that conflict with our names.
#undef lines
#undef columns
#undef clear

namespace omnipar::view {
namespace {

std::string* sink = nullptr;

int append(int character) {
  sink->push_back(static_cast<char>(character));
  return character;
}

/// Ignores the padding that old terminals need.
std::string written(const char* text) {
  std::string all;
  if (text == nullptr) return all;
  sink = &all;
  tputs(text, 1, append);
  sink = nullptr;
  return all;
}

std::string capability(const char* name) {
  const char* text = tigetstr(name);
  constexpr std::intptr_t not_a_text = -1;
  return text == nullptr || std::bit_cast<std::intptr_t>(text) == not_a_text ? "" : text;
}

}  // namespace

Terminfo::Terminfo(int descriptor, bool colours) {
  int error = 0;
  if (setupterm(nullptr, descriptor, &error) != OK) return;
  enter_ = written(capability("smcup").c_str());
  leave_ = written(capability("rmcup").c_str());
  hide_ = written(capability("civis").c_str());
  show_ = written(capability("cnorm").c_str());
  clear_ = written(capability("clear").c_str());
  plain_ = written(capability("sgr0").c_str());
  bold_ = written(capability("bold").c_str());
  reverse_ = written(capability("rev").c_str());
  dim_ = written(capability("dim").c_str());
  cursor_ = capability("cup");
  colour_ = capability("setaf");
  colours_ = colours && !colour_.empty();
  for (const Look look : {Look::plain, Look::title, Look::lit, Look::good, Look::odd, Look::faint})
    looks_.at(static_cast<std::size_t>(look)) = written_look(look);
}

std::string Terminfo::to(int x, int y) const { return written(tparm(cursor_.c_str(), y, x, 0, 0, 0, 0, 0, 0, 0)); }

std::string Terminfo::written_look(Look look) const {
  constexpr int red = 1, green = 2;
  const auto colour = [this](int number) {
    return colours_ ? written(tparm(colour_.c_str(), number, 0, 0, 0, 0, 0, 0, 0, 0)) : "";
  };
  switch (look) {
    case Look::title:
      return plain_ + bold_;
    case Look::lit:
      return plain_ + reverse_ + bold_;
    case Look::good:
      return plain_ + colour(green);
    case Look::odd:
      return plain_ + bold_ + colour(red);
    case Look::faint:
      return plain_ + dim_;
    case Look::plain:
      break;
  }
  return plain_;
}

namespace {

/// True if rewriting the text between two columns of a row is as cheap as moving the cursor.
bool is_short(const Canvas& canvas, int from, int to, int y, Look look) {
  constexpr int most = 6;
  if (from < 0 || to - from > most) return false;
  for (int x = from; x < to; ++x)
    if (canvas.at(x, y).look != look || canvas.at(x, y).size == 0) return false;
  return true;
}

}  // namespace

std::string difference(const Canvas* before, const Canvas& after, const Terminfo& terminal) {
  std::string text;
  const Cell blank;
  Look look = Look::plain;
  for (int y = 0; y < after.height(); ++y)
    for (int x = 0, cursor = -1; x < after.width(); ++x) {
      // Writing the last cell of all would scroll some terminals.
      if (y + 1 == after.height() && x + 1 == after.width()) break;
      const Cell& is = after.at(x, y);
      if (is == (before == nullptr ? blank : before->at(x, y)) || is.size == 0) continue;
      if (cursor != x && is_short(after, cursor, x, y, look))
        for (; cursor < x; ++cursor) text += after.at(cursor, y).text();
      else if (cursor != x)
        text += terminal.to(x, y);
      if (is.look != look) text += terminal.look(is.look);
      look = is.look;
      text += is.text();
      const bool wide = x + 1 < after.width() && after.at(x + 1, y).size == 0;
      cursor = x + (wide ? 2 : 1);
    }
  if (look != Look::plain) text += terminal.look(Look::plain);
  return text;
}

}  // namespace omnipar::view
