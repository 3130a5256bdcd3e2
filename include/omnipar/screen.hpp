// Screens and game areas: values, and conversions between positions on a screen and on a game's picture. The formulas
// are in docs/aim.md.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/diagnostic.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

/// A position as fractions of a screen or a game's picture: 0 to 1 from the left and from the top. Values outside lie
/// beside it.
struct AreaPoint {
  double x = 0;
  double y = 0;
  friend bool operator==(const AreaPoint&, const AreaPoint&) = default;
};

/// A rotation by quarter turns: the side where the object's own top edge is.
enum class QuarterTurn : std::uint8_t { none, right, upside_down, left };

/// A screen.
struct Screen {
  std::string name;
  int width = 1920;  ///< pixels of the panel before rotation
  int height = 1080;
  int left = 0;  ///< position of its top left corner on the desktop, in desktop units
  int top = 0;
  QuarterTurn turned = QuarterTurn::none;  ///< rotation of the panel
  double scale = 1;                        ///< pixels per desktop unit
  friend bool operator==(const Screen&, const Screen&) = default;
};

/// A size in pixels.
struct PixelSize {
  double width = 0;
  double height = 0;
  friend bool operator==(const PixelSize&, const PixelSize&) = default;
};
/// Returns the size of a screen after rotation.
[[nodiscard]] PixelSize seen_size(const Screen& screen) noexcept;

/// A rectangle as fractions of another one.
struct AreaBox {
  double left = 0;
  double top = 0;
  double width = 1;
  double height = 1;
  friend bool operator==(const AreaBox&, const AreaBox&) = default;
};
/// Returns the position of a screen within the rectangle that all screens cover.
[[nodiscard]] AreaBox on_desktop(const Screen& screen, const std::vector<Screen>& all) noexcept;

/// A description of a game's area on a screen, such as "4:3", "4:3, within 12% 5% 88% 95%", "whole multiples of
/// 320x240", "4:3, cut 3%", "3:4, turned right", "full".
struct AreaSpec {
  double across = 0;  ///< the aspect ratio of the visible picture, such as 4 and 3; 0: it fills the free area
  double down = 0;
  int lines_across = 0;  ///< the machine's resolution for integer scaling; 0: not used
  int lines_down = 0;
  double cut = 0;                          ///< overscan: the fraction of the picture cut off at each edge, below 0.25
  AreaBox within{};                        ///< the free part of the screen, such as inside a bezel
  QuarterTurn turned = QuarterTurn::none;  ///< the side where the game's own top edge is
  friend bool operator==(const AreaSpec&, const AreaSpec&) = default;
};
/// Parses the text of an area. Fails with `bad-area`, also for duplicates.
[[nodiscard]] tl::expected<AreaSpec, Diagnostic> parse_area(std::string_view text);
/// Returns the text of an area, which `parse_area` reads back unchanged.
[[nodiscard]] std::string to_text(const AreaSpec& spec);

/// The area of the whole picture of a game, as fractions of its screen. Parts that are cut off may lie outside.
struct GameArea {
  AreaBox box{};
  double cut = 0;
  QuarterTurn turned = QuarterTurn::none;
  friend bool operator==(const GameArea&, const GameArea&) = default;
};
/// Returns the area on a screen of that size: as large as possible and centred in the free part. Integer scaling
/// applies to the whole picture; only its visible part has to fit, and a picture that does not fit once is scaled down.
[[nodiscard]] GameArea area_on(PixelSize screen, const AreaSpec& spec) noexcept;
/// Returns the warning `area-too-large` if integer scaling does not fit once, or nothing.
[[nodiscard]] std::optional<Diagnostic> area_problem(PixelSize screen, const AreaSpec& spec);
/// Returns the description of a visible rectangle: a common aspect ratio if it is centred, "full", or the part it is
/// within.
[[nodiscard]] AreaSpec spec_for(PixelSize screen, const AreaBox& seen) noexcept;
/// Returns the part of the screen in which the game is visible.
[[nodiscard]] AreaBox seen_part(const GameArea& area) noexcept;

[[nodiscard]] AreaPoint to_area(const GameArea& area, AreaPoint on_screen) noexcept;
[[nodiscard]] AreaPoint to_screen(const GameArea& area, AreaPoint on_area) noexcept;
/// Returns true if a position of the game is visible, including its edges.
[[nodiscard]] bool is_on(const GameArea& area, AreaPoint on_area) noexcept;

/// Returns the word used in files.
[[nodiscard]] std::string_view word_of(QuarterTurn turn) noexcept;
[[nodiscard]] std::optional<QuarterTurn> quarter_turn(std::string_view word) noexcept;

}  // namespace omnipar::inline abi_0
