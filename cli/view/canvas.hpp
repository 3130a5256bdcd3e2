// A drawing in cells: characters and their styles. Independent of terminals.
#pragma once

#include <array>
#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>
#include <vector>

namespace omnipar::view {

/// Styles, if there are colours or bold letters. Drawings are readable without them.
enum class Look : std::uint8_t { plain, title, lit, good, odd, faint };

/// One column of one row. A wide character takes two: the second one is empty.
struct Cell {
  std::array<char, 14> bytes{' '};  ///< one character in UTF-8 with its combining characters
  std::uint8_t size = 1;            ///< 0: the right half of a wide character
  Look look = Look::plain;

  [[nodiscard]] std::string_view text() const noexcept { return {bytes.data(), size}; }
  friend bool operator==(const Cell& one, const Cell& other) noexcept {
    return std::memcmp(&one, &other, sizeof(Cell)) == 0;  // no padding between its members
  }
};
static_assert(sizeof(Cell) == 16);

/// The characters used in drawings.
struct Signs {
  std::string_view line, stem, middle, fill, tick, open, odd, more, dot;
  std::string_view top_left, top_right, bottom_left, bottom_right;
};
[[nodiscard]] const Signs& signs(bool utf8) noexcept;
/// A progress bar of `cells` columns; `part` is 0 to 1.
[[nodiscard]] std::string progress_bar(double part, int cells, const Signs& signs);

class Canvas {
 public:
  /// At least one cell. Without `utf8` every character beyond ASCII is a '?'.
  Canvas(int width, int height, bool utf8);

  [[nodiscard]] int width() const noexcept { return width_; }
  [[nodiscard]] int height() const noexcept { return height_; }
  [[nodiscard]] bool utf8() const noexcept { return utf8_; }
  [[nodiscard]] const Signs& signs() const noexcept { return view::signs(utf8_); }
  [[nodiscard]] const Cell& at(int x, int y) const noexcept { return cells_[index(x, y)]; }
  void clear();
  /// Writes text at a position, at most `most` columns and not beyond the edge. Text that does not fit ends with the
  /// `more` sign. Control characters are replaced by '?'. Returns the columns used.
  int put(int x, int y, std::string_view text, Look look = Look::plain, int most = 1'000'000);
  /// The rows as plain text, without blanks at their ends.
  [[nodiscard]] std::vector<std::string> lines() const;

 private:
  void put_plain(int x, int y, char character, Look look);
  void free_halves(int x, int y);
  [[nodiscard]] std::size_t index(int x, int y) const noexcept {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) + static_cast<std::size_t>(x);
  }

  int width_;
  int height_;
  bool utf8_;
  std::vector<Cell> cells_;
};

/// The number of columns of a text.
[[nodiscard]] int columns_of(std::string_view text);

}  // namespace omnipar::view
