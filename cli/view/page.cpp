#include "view/page.hpp"

#include <algorithm>
#include <numeric>

#include <fmt/format.h>

#include "base/list.hpp"
#include "text/utf8.hpp"

namespace omnipar::view {
namespace {

constexpr int narrowest_column = 38;

struct Column {
  int x = 0;
  int width = 0;
  std::vector<Block> blocks;
  std::vector<Layout> layouts{};  ///< of each block; `measure` sets them
  int gap = 1;                    ///< rows between two of them

  void measure() {
    layouts.clear();
    for (const Block& block : blocks) layouts.push_back(lay_out(block, width));
  }
  [[nodiscard]] int least() const {
    int all = -gap;
    for (const Layout& one : layouts) all += one.least + gap;
    return all;
  }
};

/// The visible blocks, each with its rows: all of them, or, if there is too little room, those moved last.
std::vector<std::pair<std::size_t, int>> shown_in(const Column& column, int height) {
  std::vector<std::size_t> by_rank(column.blocks.size());
  std::iota(by_rank.begin(), by_rank.end(), std::size_t{0});
  std::ranges::stable_sort(by_rank, std::ranges::greater{}, [&](std::size_t b) { return column.blocks[b].rank; });
  int free = column.least() > height ? height - 1 : height;  // one row lists the hidden ones
  std::vector<std::pair<std::size_t, int>> chosen;
  for (const std::size_t block : by_rank) {
    const int least = column.layouts[block].least;
    const int gap = chosen.empty() ? 0 : column.gap;
    if (chosen.empty() || least + gap <= free) {
      chosen.emplace_back(block, std::min(least, free));
      free -= chosen.back().second + gap;
    }
  }
  for (auto& [block, rows] : chosen) {
    const int more = std::min(free, column.layouts[block].all - rows);
    rows += std::max(0, more);
    free -= std::max(0, more);
  }
  std::ranges::sort(chosen);
  return chosen;
}

void draw_column(Canvas& canvas, Column& column, int top, int height) {
  // Prefers lists to nothing, and narrow gaps to leaving blocks out.
  column.measure();
  if (column.least() > height) {
    for (Block& block : column.blocks) block = as_list(std::move(block));
    column.measure();
  }
  if (column.least() > height) column.gap = 0;
  const auto shown = shown_in(column, height);
  int y = top;
  for (const auto& [block, rows] : shown) {
    draw(canvas, column.blocks[block], column.layouts[block], column.x, y, column.width, rows);
    y += rows + column.gap;
  }
  if (shown.size() == column.blocks.size()) return;
  std::vector<std::string> names;
  for (std::size_t b = 0; b < column.blocks.size(); ++b)
    if (std::ranges::find(shown, b, &std::pair<std::size_t, int>::first) == shown.end())
      names.push_back(column.blocks[b].title);
  canvas.put(column.x, top + height - 1, "no room for " + some_listed(names), Look::odd, column.width);
}

/// Each block goes into the shortest column so far.
void spread(const std::vector<Block>& blocks, std::vector<Column>& columns) {
  std::vector<int> heights(columns.size());
  for (const Block& block : blocks) {
    const auto lowest = static_cast<std::size_t>(std::ranges::min_element(heights) - heights.begin());
    columns[lowest].blocks.push_back(block);
    heights[lowest] += lay_out(block, columns[lowest].width).all + 1;
  }
}

/// Wraps at links or between words; continuation lines are indented. The width must exceed the indent.
void wrap(std::vector<std::string>& into, std::string line, int width) {
  constexpr std::string_view further = "      ";
  while (columns_of(line) > width) {
    std::size_t end = static_cast<std::size_t>(width);
    if (columns_of(line) != static_cast<int>(line.size())) {
      int columns = 0;
      for (std::string_view rest = line; columns < width && !rest.empty(); end = line.size() - rest.size())
        columns += columns_of(text::next_character(rest));
    }
    std::size_t cut = line.rfind(" -> ", end);
    if (cut == std::string::npos || cut < further.size() + 2) cut = line.rfind(' ', end);
    if (cut == std::string::npos || cut <= further.size()) cut = end;
    into.push_back(line.substr(0, cut));
    line.erase(0, std::min(line.find_first_not_of(' ', cut), line.size()));
    line.insert(0, further);
  }
  into.push_back(std::move(line));
}

/// The newest notes that fit, each complete, except the very last one.
std::vector<std::string> newest(const std::vector<std::string>& notes, int width, std::size_t most) {
  std::vector<std::string> shown;
  for (auto note = notes.rbegin(); note != notes.rend(); ++note) {
    std::vector<std::string> lines;
    wrap(lines, *note, width);
    if (shown.empty() && lines.size() > most) lines.resize(most);
    if (shown.size() + lines.size() > most) break;
    shown.insert(shown.begin(), lines.begin(), lines.end());
  }
  return shown;
}

/// From the bottom upwards: keys, notes, the last press, what is not ticked off yet. Returns the first row used.
int draw_below(Canvas& canvas, const Page& page) {
  int y = canvas.height();
  const int width = canvas.width();
  if (!page.keys.empty()) canvas.put(0, --y, page.keys, Look::faint);
  const bool is_high = canvas.height() >= 30;
  const std::vector<std::string> notes = newest(page.notes, width, is_high ? 4 : 2);
  std::vector<std::string> press, open;
  for (const std::string& line : page.press) wrap(press, line, width);
  if (page.ticks != nullptr)
    for (const std::string& line : page.ticks->result()) wrap(open, line, width);
  const std::size_t most_open = is_high ? 6 : 3;
  if (open.size() > most_open) open.resize(most_open);
  const std::size_t most_press = is_high ? 7 : 4;
  if (press.size() > most_press) press.resize(most_press);
  y -= static_cast<int>(notes.size());
  for (std::size_t i = 0; i < notes.size(); ++i) canvas.put(0, y + static_cast<int>(i), notes[i], Look::plain, width);
  y -= static_cast<int>(press.size());
  for (std::size_t i = 0; i < press.size(); ++i)
    canvas.put(0, y + static_cast<int>(i), press[i], i == 0 ? Look::title : Look::plain, width);
  y -= static_cast<int>(open.size());
  for (std::size_t i = 0; i < open.size(); ++i) canvas.put(0, y + static_cast<int>(i), open[i], Look::plain, width);
  if (press.empty() && notes.empty() && open.empty()) return y;
  --y;
  for (int x = 0; x < width; ++x) canvas.put(x, y, canvas.signs().line, Look::faint);
  return y;
}

}  // namespace

void draw(Canvas& canvas, const inspect::Seen& seen, const Page& page) {
  canvas.clear();
  const int width = canvas.width();
  if (width < smallest_width || canvas.height() < smallest_height)
    return static_cast<void>(canvas.put(0, 0, "too small"));
  const int aside = columns_of(page.aside);
  canvas.put(0, 0, page.title, Look::title, width - aside - 1);
  canvas.put(std::max(0, width - aside), 0, page.aside, Look::faint);
  const int bottom = draw_below(canvas, page);
  constexpr int top = 2;
  const int height = bottom - top;
  std::vector<Block> units, ports;
  BlockOptions words = page.words;
  words.seats = !seen.ports().empty();
  for (const inspect::SeenUnit& unit : seen.units()) units.push_back(block_of(unit, words));
  for (std::size_t p = 0; p < seen.ports().size(); ++p)
    ports.push_back(block_of(seen.ports()[p], page.ticks == nullptr ? nullptr : &page.ticks->ports()[p]));
  if (!page.machine.empty()) ports = page.machine;
  if (height < 1) return;
  std::vector<Column> columns;
  if (ports.empty()) {
    const int number = std::clamp(width / (narrowest_column + 2), 1, 4);
    for (int i = 0; i < number; ++i) columns.push_back({i * width / number, width / number - 2, {}, {}});
    spread(units, columns);
  } else {
    const int half = width / 2;
    columns.push_back({0, half - 1, {}, {}});
    columns.push_back({half + 1, width - half - 1, {}, {}});
    columns[0].blocks = std::move(units);
    columns[1].blocks = std::move(ports);
    for (int y = top; y < bottom; ++y) canvas.put(half - 1, y, canvas.signs().stem, Look::faint);
  }
  for (Column& column : columns) draw_column(canvas, column, top, height);
  if (seen.units().empty()) canvas.put(0, top, "No controller is connected.", Look::odd, columns[0].width);
}

std::vector<std::string> press_words(const inspect::SeenPress& press, std::span<const inspect::Link> links,
                                     const std::function<std::vector<inspect::Stop>()>& stops) {
  const std::string more = press.label.empty() ? press.code : press.label + "; " + press.code;
  std::vector<std::string> lines{press.role == press.code
                                     ? fmt::format("{}, {}, which has no role", press.unit, press.code)
                                     : fmt::format("{}, {} ({})", press.unit, press.role, more)};
  if (!stops) return lines;
  for (const inspect::Link& link : links) {
    if (link.source.empty() || link.seat != press.seat || !inspect::concerns(link.source, press.role)) continue;
    if (link.port == 0) {
      lines.push_back(
          fmt::format("  {} -> {}action {}", link.source, link.shape.empty() ? "" : link.shape + " -> ", link.target));
      continue;
    }
    std::string chain;
    for (const inspect::StageValue& value : inspect::stage_values(link, press.x, press.y))
      chain += fmt::format("{}{} {}", chain.empty() ? "" : " -> ", value.stage, value.value);
    lines.push_back(fmt::format("  {} -> port {}: {}", chain, link.port, link.target));
  }
  if (lines.size() > 1) return lines;
  for (const inspect::Stop& stop : stops())
    if (stop.seat == press.seat)
      lines.push_back(fmt::format("  is not bound: port {}'s {} has other sources (written at {})", stop.port,
                                  stop.target, stop.place));
  if (lines.size() == 1)
    lines.emplace_back(press.seat.empty() ? "  is not assigned to a seat, so its input is ignored"
                                          : "  is not bound: nothing at " + press.seat + " uses it");
  return lines;
}

}  // namespace omnipar::view
