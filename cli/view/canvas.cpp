#include "view/canvas.hpp"

#include <clocale>
#include <cmath>
#include <cstring>
#include <cwchar>

#include <algorithm>

#include "text/utf8.hpp"

namespace omnipar::view {
namespace {

constexpr Signs ascii{"-", "|", "+", "=", "+", ".", "!", "~", "o", "+", "+", "+", "+"};
constexpr Signs unicode{"─", "│", "┼", "━", "✓", "·", "!", "…", "●", "┌", "┐", "└", "┘"};

/// The C library's knowledge of characters, whatever the user's locale is.
class Characters {
 public:
  Characters() : locale_(newlocale(LC_CTYPE_MASK, "C.UTF-8", nullptr)) {}
  ~Characters() {
    if (locale_ != nullptr) freelocale(locale_);
  }
  Characters(const Characters&) = delete;
  Characters& operator=(const Characters&) = delete;

  /// 0 for a combining character, 2 for a wide one.
  [[nodiscard]] int columns(char32_t character) const {
    if (locale_ == nullptr) return 1;
    const locale_t before = uselocale(locale_);
    const int width = wcwidth(static_cast<wchar_t>(character));
    uselocale(before);
    return std::clamp(width, 0, 2);
  }

 private:
  locale_t locale_;
};

char32_t decoded(std::string_view character) noexcept {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(character[i]); };
  if (character.size() == 1) return byte(0);
  char32_t value = byte(0) & (0xffU >> (character.size() + 1));
  for (std::size_t i = 1; i < character.size(); ++i) value = value << 6 | (byte(i) & 0x3fU);
  return value;
}

int columns_of_character(std::string_view character) {
  static const Characters characters;
  if (character.size() == 1) return 1;
  if (character.starts_with("\xe2\x94")) return 1;  // line characters, of which drawings are full
  return characters.columns(decoded(character));
}

bool is_plain(std::string_view text) noexcept {
  return std::ranges::all_of(text, [](char character) { return character >= 0x20 && character < 0x7f; });
}

}  // namespace

const Signs& signs(bool utf8) noexcept { return utf8 ? unicode : ascii; }

std::string progress_bar(double part, int cells, const Signs& signs) {
  std::string bar;
  for (int i = 0; i < cells; ++i) bar += i < static_cast<int>(std::lround(part * cells)) ? signs.fill : signs.line;
  return bar;
}

int columns_of(std::string_view text) {
  if (is_plain(text)) return static_cast<int>(text.size());
  int columns = 0;
  while (!text.empty()) columns += columns_of_character(text::next_character(text));
  return columns;
}

Canvas::Canvas(int width, int height, bool utf8)
    : width_(std::max(1, width)),
      height_(std::max(1, height)),
      utf8_(utf8),
      cells_(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_)) {}

void Canvas::clear() { std::ranges::fill(cells_, Cell{}); }

void Canvas::put_plain(int x, int y, char character, Look look) {
  free_halves(x, y);
  Cell& cell = cells_[index(x, y)];
  cell.bytes = {character};
  cell.size = 1;
  cell.look = look;
}

/// A half-covered wide character becomes blank.
void Canvas::free_halves(int x, int y) {
  if (at(x, y).size == 0 && x > 0) cells_[index(x - 1, y)] = Cell{};
  if (x + 1 < width_ && at(x + 1, y).size == 0) cells_[index(x + 1, y)] = Cell{};
}

int Canvas::put(int x, int y, std::string_view text, Look look, int most) {
  if (y < 0 || y >= height_ || x < 0 || x >= width_) return 0;
  const int end = most < width_ - x ? x + std::max(0, most) : width_;
  int at = x;
  // Most are plain, and fit.
  if (is_plain(text) && static_cast<int>(text.size()) <= end - x) {
    for (const char character : text) put_plain(at++, y, character, look);
    return at - x;
  }
  Cell* last = nullptr;
  while (!text.empty()) {
    std::string_view character = text::next_character(text);
    if (!utf8_ && character.size() > 1) character = columns_of_character(character) == 0 ? "" : "?";
    if (character.empty()) continue;
    const int columns = columns_of_character(character);
    if (columns == 0) {
      if (last == nullptr || last->size + character.size() > last->bytes.size()) continue;
      std::memcpy(last->bytes.data() + last->size, character.data(), character.size());
      last->size = static_cast<std::uint8_t>(last->size + character.size());
      continue;
    }
    const bool more = at + columns == end && !text.empty() && columns_of(text) > 0;
    if (at + columns > end || more) {
      character = signs().more;
      if (at >= end) break;
      text = {};
    }
    free_halves(at, y);
    last = &cells_[index(at, y)];
    last->bytes.fill(0);
    std::memcpy(last->bytes.data(), character.data(), character.size());
    last->size = static_cast<std::uint8_t>(character.size());
    last->look = look;
    if (columns == 2 && character != signs().more) {
      free_halves(at + 1, y);
      Cell& right = cells_[index(at + 1, y)];
      right.bytes.fill(0);
      right.size = 0;
      right.look = look;
      ++at;
    }
    ++at;
  }
  return at - x;
}

std::vector<std::string> Canvas::lines() const {
  std::vector<std::string> lines;
  for (int y = 0; y < height_; ++y) {
    std::string& line = lines.emplace_back();
    for (int x = 0; x < width_; ++x) line += at(x, y).text();
    line.erase(line.find_last_not_of(' ') + 1);
  }
  return lines;
}

}  // namespace omnipar::view
