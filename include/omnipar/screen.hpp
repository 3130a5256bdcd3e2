// Screens, and where on them a game is: plain values, and the way from a place on the screen to one of the game and
// back. The formulas are in docs/aim.md.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/diagnostic.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

/// A place in parts of a screen or of a game's picture: 0..1 from the left and from the top; beyond these it lies
/// beside it.
struct AreaPoint {
  double x = 0;
  double y = 0;
  friend bool operator==(const AreaPoint&, const AreaPoint&) = default;
};

/// Which way something is turned: its own upper edge is at the top, at the right, at the bottom, at the left.
enum class QuarterTurn : std::uint8_t { none, right, upside_down, left };

/// A screen of the household.
struct Screen {
  std::string name;
  int width = 1920;  ///< pixels of the panel, before it is turned
  int height = 1080;
  int left = 0;  ///< where its upper left corner is on the desktop, in the desktop's units
  int top = 0;
  QuarterTurn turned = QuarterTurn::none;  ///< how the panel hangs
  double scale = 1;                        ///< pixels for a unit of the desktop
  friend bool operator==(const Screen&, const Screen&) = default;
};

/// Pixels across and down.
struct PixelSize {
  double width = 0;
  double height = 0;
  friend bool operator==(const PixelSize&, const PixelSize&) = default;
};
/// Of a screen as one sees it: one that hangs on its side is higher than wide.
[[nodiscard]] PixelSize seen_size(const Screen& screen) noexcept;

/// A rectangle in parts of another one.
struct AreaBox {
  double left = 0;
  double top = 0;
  double width = 1;
  double height = 1;
  friend bool operator==(const AreaBox&, const AreaBox&) = default;
};
/// Where a screen is among all: of what they fill together, 0..1.
[[nodiscard]] AreaBox on_desktop(const Screen& screen, const std::vector<Screen>& all) noexcept;

/// What people say of where the game is, such as "4:3", "4:3, within 12% 5% 88% 95%", "whole multiples of 320x240",
/// "4:3, cut 3%", "3:4, turned right", "full".
struct AreaWords {
  double across = 0;  ///< the shape of the picture as one sees it, such as 4 and 3; 0: it fills what is there
  double down = 0;
  int lines_across = 0;  ///< the machine's own pixels: each becomes a whole number of the screen's; 0: not asked
  int lines_down = 0;
  double cut = 0;                          ///< the part of the picture that is cut off at each edge, below 0.25
  AreaBox within{};                        ///< the part of the screen that is left free, such as by artwork
  QuarterTurn turned = QuarterTurn::none;  ///< where the game's own upper edge is
  friend bool operator==(const AreaWords&, const AreaWords&) = default;
};
/// Fails with `bad-area`, whose hint says what may stand there; also for what is given twice.
[[nodiscard]] tl::expected<AreaWords, Diagnostic> area_words(std::string_view text);
/// As a file has it; read again it is the same.
[[nodiscard]] std::string to_text(const AreaWords& words);

/// Where the whole picture of a game is, in parts of its screen; what is cut off may lie beyond.
struct GameArea {
  AreaBox box{};
  double cut = 0;
  QuarterTurn turned = QuarterTurn::none;
  friend bool operator==(const GameArea&, const GameArea&) = default;
};
/// On a screen of that size: as large as it goes, in the middle of what is free. Whole multiples are of the whole
/// picture, of which only what is not cut off has to fit; a picture that does not fit once is made smaller.
[[nodiscard]] GameArea area_on(PixelSize screen, const AreaWords& words) noexcept;
/// The warning `area-too-large` about whole multiples that do not fit once; nothing if they do.
[[nodiscard]] std::optional<Diagnostic> area_problem(PixelSize screen, const AreaWords& words);
/// The words for a rectangle of the screen (of what can be seen of the game): a known shape in the middle, the whole of
/// it, or else what it is within.
[[nodiscard]] AreaWords words_for(PixelSize screen, const AreaBox& seen) noexcept;
/// The part of the screen in which the game can be seen.
[[nodiscard]] AreaBox seen_part(const GameArea& area) noexcept;

[[nodiscard]] AreaPoint to_area(const GameArea& area, AreaPoint on_screen) noexcept;
[[nodiscard]] AreaPoint to_screen(const GameArea& area, AreaPoint on_area) noexcept;
/// True of a place of the game that can be seen: its edges count.
[[nodiscard]] bool is_on(const GameArea& area, AreaPoint on_area) noexcept;

/// "none" … as files have it.
[[nodiscard]] std::string_view word_of(QuarterTurn turn) noexcept;
[[nodiscard]] std::optional<QuarterTurn> quarter_turn(std::string_view word) noexcept;

}  // namespace omnipar::inline abi_0
