// A game's area on its screen: from text to numbers and back.
#include "omnipar/screen.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <vector>

#include <fmt/format.h>

namespace omnipar::inline abi_0 {
namespace {

constexpr std::array<std::string_view, 4> turn_words{"none", "right", "upside down", "left"};
constexpr double most_cut = 0.25;
constexpr std::string_view what_may_stand =
    "write an aspect ratio (4:3) or 'full', and optionally, separated by commas: 'whole multiples of 320x240', 'cut "
    "3%', 'within 10% 5% 90% 95%' (left, top, right, bottom), 'turned right'";

std::string_view trimmed(std::string_view text) noexcept {
  while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
  while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
  return text;
}

bool skip_word(std::string_view& text, std::string_view word) noexcept {
  if (!text.starts_with(word)) return false;
  text = trimmed(text.substr(word.size()));
  return true;
}

/// A number at the start, and the text that must follow it directly.
std::optional<double> parse_number(std::string_view& text, std::string_view behind) noexcept {
  double number = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (error != std::errc{} || !std::isfinite(number)) return std::nullopt;
  text.remove_prefix(static_cast<std::size_t>(end - text.data()));
  if (!text.starts_with(behind)) return std::nullopt;
  text = trimmed(text.substr(behind.size()));
  return number;
}

/// Reads one item between commas.
class AreaReader {
 public:
  bool parse(std::string_view part) {
    if (part == "full" || part == "stretched") return is_first("the aspect ratio");
    if (skip_word(part, "whole multiples of ")) return is_first("the multiples") && parse_multiples(part);
    if (skip_word(part, "cut ")) return is_first("the cut") && parse_cut(part);
    if (skip_word(part, "within ")) return is_first("the free part of the screen") && parse_bezel(part);
    if (skip_word(part, "turned ")) {
      const auto turn = quarter_turn(part);
      words.turned = turn.value_or(QuarterTurn::none);
      return is_first("the rotation") && turn.has_value();
    }
    return is_first("the aspect ratio") && parse_shape(part);
  }

  AreaSpec words;
  std::string_view twice;  ///< settings given more than once

 private:
  bool is_first(std::string_view what) {
    const bool is_new = std::ranges::find(given_, what) == given_.end();
    if (!is_new) twice = what;
    given_.push_back(what);
    return is_new;
  }

  bool parse_shape(std::string_view part) {
    constexpr double most = 10'000;
    const auto across = parse_number(part, ":"), down = parse_number(part, "");
    if (!across || !down || !part.empty() || !(*across > 0 && *down > 0 && *across <= most && *down <= most))
      return false;
    constexpr double flattest = 20;
    words.across = *across;
    words.down = *down;
    return *across / *down < flattest && *down / *across < flattest;
  }

  bool parse_multiples(std::string_view part) {
    constexpr double most = 100'000;
    const auto across = parse_number(part, "x"), down = parse_number(part, "");
    const auto fits = [](double lines) { return lines >= 1 && lines <= most && lines == std::floor(lines); };
    if (!across || !down || !part.empty() || !fits(*across) || !fits(*down)) return false;
    words.lines_across = static_cast<int>(*across);
    words.lines_down = static_cast<int>(*down);
    return true;
  }

  bool parse_cut(std::string_view part) {
    const auto cut = parse_number(part, "%");
    if (!cut || !part.empty() || !(*cut >= 0 && *cut < most_cut * 100)) return false;
    words.cut = *cut / 100;
    return true;
  }

  bool parse_bezel(std::string_view part) {
    std::array<double, 4> sides{};
    for (double& side : sides) {
      const auto number = parse_number(part, "%");
      if (!number || !(*number >= 0 && *number <= 100)) return false;
      side = *number / 100;
    }
    words.within = {sides[0], sides[1], sides[2] - sides[0], sides[3] - sides[1]};
    constexpr double least = 0.01;
    return part.empty() && words.within.width >= least && words.within.height >= least;
  }

  std::vector<std::string_view> given_;
};

/// The largest rectangle of this aspect ratio that fits; everything without a ratio.
PixelSize shaped_to_fit(PixelSize room, const AreaSpec& words) noexcept {
  if (words.across == 0) return room;
  const double shape = words.across / words.down;
  return room.width / room.height > shape ? PixelSize{room.height * shape, room.height}
                                          : PixelSize{room.width, room.width / shape};
}

/// The number of whole screen pixels per pixel of the machine: for the whole picture, of which only the part left by
/// the overscan has to fit. 0: not even one fits.
double times_that_fit(PixelSize room, const AreaSpec& words) noexcept {
  const bool on_side = words.turned == QuarterTurn::left || words.turned == QuarterTurn::right;
  const double across = on_side ? words.lines_down : words.lines_across;
  const double down = on_side ? words.lines_across : words.lines_down;
  const double seen = 1 - 2 * words.cut;
  constexpr double nearly = 1e-9;  // a picture that fits exactly
  const PixelSize fitting = shaped_to_fit(room, words);
  const double by_height = fitting.height / (down * seen);
  // with a fixed aspect ratio its width follows from its height
  return std::floor((words.across > 0 ? by_height : std::min(fitting.width / (across * seen), by_height)) + nearly);
}

/// The size of the visible picture at the largest scale. A multiple of zero keeps its
/// aspect ratio.
PixelSize fitting(PixelSize room, const AreaSpec& words) noexcept {
  if (words.lines_down == 0) return shaped_to_fit(room, words);
  const bool on_side = words.turned == QuarterTurn::left || words.turned == QuarterTurn::right;
  AreaSpec shape = words;
  if (words.across == 0) {
    shape.across = on_side ? words.lines_down : words.lines_across;
    shape.down = on_side ? words.lines_across : words.lines_down;
  }
  const double times = times_that_fit(room, words);
  if (times < 1) return shaped_to_fit(room, shape);
  const double height = times * (1 - 2 * words.cut) * (on_side ? words.lines_across : words.lines_down);
  return {height * shape.across / shape.down, height};
}

}  // namespace

std::string_view word_of(QuarterTurn turn) noexcept { return turn_words.at(static_cast<std::size_t>(turn)); }

std::optional<QuarterTurn> quarter_turn(std::string_view word) noexcept {
  const auto* const at = std::ranges::find(turn_words, word);
  if (at == turn_words.end()) return std::nullopt;
  return static_cast<QuarterTurn>(at - turn_words.begin());
}

PixelSize seen_size(const Screen& screen) noexcept {
  const bool on_side = screen.turned == QuarterTurn::left || screen.turned == QuarterTurn::right;
  const double width = screen.width, height = screen.height;
  return on_side ? PixelSize{height, width} : PixelSize{width, height};
}

AreaBox on_desktop(const Screen& screen, const std::vector<Screen>& all) noexcept {
  const auto box_of = [](const Screen& one) {
    const PixelSize size = seen_size(one);
    return AreaBox{static_cast<double>(one.left), static_cast<double>(one.top), size.width / one.scale,
                   size.height / one.scale};
  };
  const AreaBox own = box_of(screen);
  double left = own.left, top = own.top, right = own.left + own.width, bottom = own.top + own.height;
  for (const Screen& one : all) {
    const AreaBox box = box_of(one);
    left = std::min(left, box.left);
    top = std::min(top, box.top);
    right = std::max(right, box.left + box.width);
    bottom = std::max(bottom, box.top + box.height);
  }
  const double width = right - left, height = bottom - top;
  return {(own.left - left) / width, (own.top - top) / height, own.width / width, own.height / height};
}

tl::expected<AreaSpec, Diagnostic> parse_area(std::string_view text) {
  AreaReader reader;
  std::string_view left = text;
  for (;;) {
    const std::size_t comma = left.find(',');
    if (!reader.parse(trimmed(left.substr(0, comma)))) {
      std::string message = reader.twice.empty() ? fmt::format("invalid area '{}'", text)
                                                 : fmt::format("'{}' contains {} twice", text, reader.twice);
      return tl::unexpected(
          Diagnostic{"bad-area", Severity::error, std::move(message), "", std::string{what_may_stand}});
    }
    if (comma == std::string_view::npos) return reader.words;
    left.remove_prefix(comma + 1);
  }
}

namespace {

/// In per cent, with the fewest digits that read back to the same value.
template <typename IsSame>
std::string percent(double part, IsSame is_same) {
  constexpr int most_digits = 17;
  for (int digits = 0; digits <= most_digits; ++digits) {
    const std::string text = fmt::format("{:.{}f}", part * 100, digits);
    double read = 0;
    std::from_chars(text.data(), text.data() + text.size(), read);
    if (is_same(read / 100)) return text + "%";
  }
  // A number that no text yields: its neighbour.
  for (double near = part * 100, other = near; near < part * 100 + 1; near = std::nextafter(near, 1e3)) {
    for (const double one : {near, other})
      if (is_same(one / 100)) return fmt::format("{}%", one);
    other = std::nextafter(other, -1e3);
    if (near - other > 1e-12) break;
  }
  return fmt::format("{}%", part * 100);
}

}  // namespace

std::string to_text(const AreaSpec& words) {
  std::string text = words.across > 0        ? fmt::format("{}:{}", words.across, words.down)
                     : words.lines_down == 0 ? "full"
                                             : "";
  const auto add = [&text](const std::string& part) { text += (text.empty() ? "" : ", ") + part; };
  if (words.lines_down > 0) add(fmt::format("whole multiples of {}x{}", words.lines_across, words.lines_down));
  if (words.cut > 0) add("cut " + percent(words.cut, [&](double read) { return read == words.cut; }));
  const AreaBox& within = words.within;
  if (within != AreaBox{})
    add(fmt::format(
        "within {} {} {} {}", percent(within.left, [&](double read) { return read == within.left; }),
        percent(within.top, [&](double read) { return read == within.top; }),
        percent(within.left + within.width, [&](double read) { return read - within.left == within.width; }),
        percent(within.top + within.height, [&](double read) { return read - within.top == within.height; })));
  if (words.turned != QuarterTurn::none) add(fmt::format("turned {}", word_of(words.turned)));
  return text;
}

GameArea area_on(PixelSize screen, const AreaSpec& words) noexcept {
  const PixelSize room{screen.width * words.within.width, screen.height * words.within.height};
  const PixelSize seen = fitting(room, words);
  const double width = seen.width / screen.width, height = seen.height / screen.height;
  const double left = words.within.left + (words.within.width - width) / 2;
  const double top = words.within.top + (words.within.height - height) / 2;
  // The visible part is the picture without the overscan at its edges.
  const double whole = 1 / (1 - 2 * words.cut);
  const double beyond = words.cut * whole;
  return {{left - beyond * width, top - beyond * height, width * whole, height * whole}, words.cut, words.turned};
}

std::optional<Diagnostic> area_problem(PixelSize screen, const AreaSpec& words) {
  const PixelSize room{screen.width * words.within.width, screen.height * words.within.height};
  if (words.lines_down == 0 || times_that_fit(room, words) >= 1) return std::nullopt;
  return Diagnostic{"area-too-large", Severity::warning,
                    fmt::format("a picture of {}x{} does not fit into {:.0f} x {:.0f} pixels, so it is scaled down",
                                words.lines_across, words.lines_down, room.width, room.height),
                    "", "remove 'whole multiples of …', or use more of the screen"};
}

AreaBox seen_part(const GameArea& area) noexcept {
  const double width = area.box.width * (1 - 2 * area.cut), height = area.box.height * (1 - 2 * area.cut);
  return {area.box.left + area.cut * area.box.width, area.box.top + area.cut * area.box.height, width, height};
}

AreaSpec spec_for(PixelSize screen, const AreaBox& seen) noexcept {
  constexpr std::array<std::array<int, 2>, 12> shapes{
      {{4, 3}, {3, 4}, {16, 9}, {9, 16}, {16, 10}, {10, 16}, {5, 4}, {4, 5}, {3, 2}, {2, 3}, {1, 1}, {8, 7}}};
  const auto is_same = [&](const AreaBox& box) {  // within half a pixel
    const auto near = [](double one, double other, double pixels) { return std::fabs(one - other) * pixels <= 0.5; };
    return near(box.left, seen.left, screen.width) && near(box.top, seen.top, screen.height) &&
           near(box.left + box.width, seen.left + seen.width, screen.width) &&
           near(box.top + box.height, seen.top + seen.height, screen.height);
  };
  if (is_same({})) return {};
  for (const auto& [across, down] : shapes) {
    AreaSpec words;
    words.across = across;
    words.down = down;
    if (is_same(area_on(screen, words).box)) return words;
  }
  AreaSpec words;
  words.within = seen;
  return words;
}

namespace {

/// From the picture as shown on the screen to the game's own orientation, and back.
AreaPoint turned(AreaPoint p, QuarterTurn turn) noexcept {
  switch (turn) {
    case QuarterTurn::right:
      return {p.y, 1 - p.x};
    case QuarterTurn::upside_down:
      return {1 - p.x, 1 - p.y};
    case QuarterTurn::left:
      return {1 - p.y, p.x};
    default:
      return p;
  }
}

QuarterTurn opposite(QuarterTurn turn) noexcept {
  if (turn == QuarterTurn::right) return QuarterTurn::left;
  return turn == QuarterTurn::left ? QuarterTurn::right : turn;
}

}  // namespace

AreaPoint to_area(const GameArea& area, AreaPoint on_screen) noexcept {
  return turned({(on_screen.x - area.box.left) / area.box.width, (on_screen.y - area.box.top) / area.box.height},
                area.turned);
}

AreaPoint to_screen(const GameArea& area, AreaPoint on_area) noexcept {
  const AreaPoint lies = turned(on_area, opposite(area.turned));
  return {area.box.left + lies.x * area.box.width, area.box.top + lies.y * area.box.height};
}

bool is_on(const GameArea& area, AreaPoint on_area) noexcept {
  constexpr double rounding = 1e-9;  // smaller than any screen can show, and the same on all sides
  const auto is_in = [least = area.cut - rounding](double side) { return side >= least && 1 - side >= least; };
  return is_in(on_area.x) && is_in(on_area.y);
}

}  // namespace omnipar::inline abi_0
