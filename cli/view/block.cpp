#include "view/block.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include <fmt/format.h>

#include "inspect/arrange.hpp"

namespace omnipar::view {
namespace {

using inspect::Oddity, inspect::Placed, inspect::SeenControl, inspect::SeenTarget;

constexpr int area_rows = 4;
constexpr int area_columns = 20;
constexpr int gauge_columns = 9;
constexpr int short_gauge_columns = 5;
constexpr int number_columns = 11;  // "+0.50 -1.00"

std::string two_numbers(bool pair, bool raw, const SeenControl& c) {
  if (raw) return pair ? fmt::format("{} {}", c.raw_x, c.raw_y) : fmt::format("{}", c.raw_x);
  return pair ? fmt::format("{:+.2f} {:+.2f}", c.x, c.y) : fmt::format("{:+.2f}", c.x);
}

/// For role kinds and target kinds, which use the same names.
template <typename Kind>
Gauge::Kind gauge_kind(Kind kind) {
  switch (kind) {
    case Kind::one_sided:
      return Gauge::Kind::one_sided;
    case Kind::stick:
      return Gauge::Kind::stick;
    case Kind::pointer:
      return Gauge::Kind::area;
    case Kind::turns:
    case Kind::movement:
      return Gauge::Kind::counts;
    default:
      return Gauge::Kind::two_sided;
  }
}

Gauge gauge_of(const SeenControl& control, bool raw) {
  Gauge gauge;
  gauge.name = control.role;
  gauge.kind = gauge_kind(control.kind);
  gauge.x = control.x;
  gauge.y = control.y;
  gauge.lit = control.is_lit();
  gauge.mark = control.odd == Oddity::none ? Mark::none : Mark::odd;
  const bool pair =
      control.kind == RoleKind::stick || control.kind == RoleKind::movement || control.kind == RoleKind::pointer;
  if (control.kind == RoleKind::movement || control.kind == RoleKind::turns)
    gauge.numbers =
        pair ? fmt::format("{:+} {:+}", static_cast<std::int64_t>(control.x), static_cast<std::int64_t>(control.y))
             : fmt::format("{:+}", static_cast<std::int64_t>(control.x));
  else
    gauge.numbers = two_numbers(pair, raw, control);
  if (control.odd != Oddity::none) gauge.numbers = fmt::format("{} {}", word_of(control.odd), gauge.numbers);
  if (control.odd == Oddity::unknown) {
    gauge.shown = false;
    gauge.numbers = "not moved yet";
  }
  return gauge;
}

Gauge gauge_of(const SeenTarget& target) {
  Gauge gauge;
  gauge.name = target.name;
  gauge.kind = gauge_kind(target.kind);
  gauge.x = target.value[0];
  gauge.y = target.value.size() > 1 ? target.value[1] : 0;
  gauge.lit = target.lit;
  const bool is_area = gauge.kind == Gauge::Kind::area;
  gauge.shown = !is_area || target.lit;
  for (const inspect::SeenPoint& shot : target.shots) gauge.shots.push_back({shot.x, shot.y, shot.on});
  gauge.numbers = is_area && !target.lit     ? "off the game area"
                  : target.native.size() > 1 ? fmt::format("{} {}", target.native[0], target.native[1])
                                             : fmt::format("{}", target.native[0]);
  return gauge;
}

/// Positions in millimetres, as fractions of the whole.
void set_places(Block& block, const std::vector<Placed>& placed) {
  double left = 1e9, right = -1e9, top = 1e9, bottom = -1e9;
  for (const Placed& one : placed) {
    left = std::min(left, one.x);
    right = std::max(right, one.x);
    top = std::min(top, one.y);
    bottom = std::max(bottom, one.y);
  }
  for (std::size_t i = 0; i < placed.size(); ++i) {
    block.items[i].x = right > left ? (placed[i].x - left) / (right - left) : 0.5;
    block.items[i].y = bottom > top ? (placed[i].y - top) / (bottom - top) : 0.5;
  }
}

bool is_pressed(RoleKind kind) { return kind == RoleKind::button || kind == RoleKind::dpad; }

/// Some units have many codes without a role: only those that were used are shown.
bool is_hidden(const SeenControl& control) { return !control.is_known && !control.has_reported; }

Item item_of(const SeenControl& control, int direction) {
  Item item;
  item.text = control.role;
  item.lit = control.is_lit();
  if (direction >= 0) {
    item.text += fmt::format("-{}", direction_names.at(static_cast<std::size_t>(direction)));
    const std::array<bool, 4> lit{control.y<0, control.y> 0, control.x<0, control.x> 0};
    item.lit = lit.at(static_cast<std::size_t>(direction));
  }
  if (control.odd != Oddity::none) {
    item.mark = Mark::odd;
    if (is_pressed(control.kind)) item.text += fmt::format(" {}", word_of(control.odd));
  }
  return item;
}

Mark mark_of(const inspect::TickedPort* ticks, std::size_t target) {
  if (ticks == nullptr || !ticks->targets[target].bound) return Mark::none;
  return ticks->targets[target].is_open() ? Mark::open : Mark::ticked;
}

// -- rows -----------------------------------------------------------------------------------------------------

using Row = std::vector<Spread>;

int columns_of_item(const Item& item) { return columns_of(item.text) + 2; }

/// The positions of a row's items: each as near to its place as the others allow.
void settle(Row& row, const std::vector<Item>& items, int width) {
  int free = 0;
  for (Spread& one : row) {
    const int preferred = static_cast<int>(std::lround(items[one.item].x * (width - one.columns)));
    one.column = std::max(free, preferred);
    free = one.column + one.columns;
  }
  int end = width;
  for (auto one = row.rbegin(); one != row.rend(); ++one) {
    one->column = std::max(0, std::min(one->column, end - one->columns));
    end = one->column;
  }
}

/// Rows of items that are side by side, from the top. A full row continues in the next.
std::vector<Row> rows_of_items(const Block& block, int width) {
  const std::vector<Item>& items = block.items;
  Row all;
  all.reserve(items.size());
  for (std::size_t i = 0; i < items.size(); ++i) all.push_back({i, 0, std::min(width, columns_of_item(items[i]))});
  constexpr double as_high = 0.07;  // of the whole block: items that differ by less are in one row
  if (block.is_placed) std::ranges::stable_sort(all, {}, [&items](const Spread& one) { return items[one.item].y; });
  std::vector<Row> rows;
  double top = -1;
  int taken = 0;
  for (const Spread& one : all) {
    const bool is_new = block.is_placed && items[one.item].y - top > as_high;
    if (rows.empty() || is_new || taken + one.columns > width) {
      rows.emplace_back();
      top = items[one.item].y;
      taken = 0;
    }
    rows.back().push_back(one);
    taken += one.columns;
  }
  for (Row& row : rows) {
    if (block.is_placed) {
      std::ranges::stable_sort(row, {}, [&items](const Spread& one) { return items[one.item].x; });
      settle(row, items, width);
      continue;
    }
    int free = 0;
    for (Spread& one : row) one.column = std::exchange(free, free + one.columns);
  }
  return rows;
}

int rows_of_picture(const Block& block) {
  return block.picture.empty() ? 0 : static_cast<int>(block.picture.size()) + 2;  // including its frame
}

int rows_of_gauge(const Gauge& gauge) { return gauge.kind == Gauge::Kind::area ? 1 + area_rows : 1; }

/// A name with its markers on both sides: a highlighted one is in [brackets], which needs no colours.
void draw_name(Canvas& canvas, int x, int y, const std::string& text, bool lit, Mark mark, int columns) {
  const Signs& signs = canvas.signs();
  const std::string_view before = lit                    ? "["
                                  : mark == Mark::ticked ? signs.tick
                                  : mark == Mark::open   ? signs.open
                                  : mark == Mark::odd    ? signs.odd
                                                         : std::string_view{" "};
  const Look look = lit ? Look::lit : mark == Mark::ticked ? Look::good : mark == Mark::odd ? Look::odd : Look::plain;
  canvas.put(x, y, before, look);
  const int taken = canvas.put(x + 1, y, text, look, columns - 2);
  if (lit) canvas.put(x + 1 + taken, y, "]", look);
}

void draw_name(Canvas& canvas, int x, int y, const Item& item, int columns) {
  draw_name(canvas, x, y, item.text, item.lit, item.mark, columns);
}

/// A line with its centre, or its left end, and a bar from there to the value.
void draw_line(Canvas& canvas, int x, int y, int columns, double value, bool one_sided) {
  const Signs& signs = canvas.signs();
  const int middle = one_sided ? 0 : columns / 2;
  const int reach = one_sided ? columns - 1 : columns / 2;
  const int end = middle + static_cast<int>(std::lround(value * reach));
  for (int i = 0; i < columns; ++i) {
    const bool filled = end != middle && i >= std::min(middle, end) && i <= std::max(middle, end);
    canvas.put(x + i, y,
               filled        ? signs.fill
               : i == middle ? (one_sided ? signs.stem : signs.middle)
                             : signs.line,
               filled ? Look::title : Look::faint);
  }
}

/// An empty frame.
void draw_frame(Canvas& canvas, int x, int y, int columns, int rows) {
  const Signs& signs = canvas.signs();
  for (int row = 0; row < rows; ++row)
    for (int column = 0; column < columns; ++column) {
      const bool left = column == 0, right = column + 1 == columns;
      std::string_view sign = left || right ? signs.stem : " ";
      if (row == 0)
        sign = left ? signs.top_left : right ? signs.top_right : signs.line;
      else if (row + 1 == rows)
        sign = left ? signs.bottom_left : right ? signs.bottom_right : signs.line;
      canvas.put(x + column, y + row, sign, Look::faint);
    }
}

void draw_area(Canvas& canvas, int x, int y, const Gauge& gauge, int columns, int rows) {
  if (columns < 3) return;
  const Signs& signs = canvas.signs();
  draw_frame(canvas, x, y, columns, rows);
  const auto at = [](double part, int cells) {
    return std::clamp(static_cast<int>(std::floor(part * cells)), 0, cells - 1);
  };
  for (std::size_t i = 0; i < gauge.shots.size(); ++i) {
    const Gauge::Shot& shot = gauge.shots[i];
    const bool is_last = i + 1 == gauge.shots.size();
    canvas.put(x + 1 + at(shot.x, columns - 2), y + at(shot.y, rows),
               !shot.on  ? "-"
               : is_last ? "X"
                         : "x",
               is_last ? Look::odd : Look::plain);
  }
  if (!gauge.shown) return;
  canvas.put(x + 1 + at(gauge.x, columns - 2), y + at(gauge.y, rows), signs.dot, Look::title);
}

/// Without `whole`, an area shows only its numbers.
void draw_gauge(Canvas& canvas, const Gauge& gauge, int x, int y, int width, int name_columns, bool whole) {
  draw_name(canvas, x, y, gauge.name, gauge.lit, gauge.mark, std::min(width, name_columns));
  int at = x + name_columns;
  const int end = x + width;
  const bool stick = gauge.kind == Gauge::Kind::stick;
  const bool line = stick || gauge.kind == Gauge::Kind::one_sided || gauge.kind == Gauge::Kind::two_sided;
  const int both = stick ? 2 : 1;
  const int letter = stick ? 1 : 0;  // x and y
  const int long_lines = both * (gauge_columns + 1 + letter);
  const int columns = end - at >= long_lines + number_columns ? gauge_columns : short_gauge_columns;
  if (line && gauge.shown && end - at >= both * (columns + 1 + letter)) {
    if (stick) canvas.put(at, y, "x", Look::faint);
    draw_line(canvas, at + letter, y, columns, gauge.x, gauge.kind == Gauge::Kind::one_sided);
    at += columns + 1 + letter;
    if (stick) canvas.put(at, y, "y", Look::faint);
    if (stick) draw_line(canvas, at + 1, y, columns, gauge.y, false);
    if (stick) at += columns + 2;
  }
  // A truncated number is misleading.
  const bool fits = columns_of(gauge.numbers) <= end - at || gauge.mark == Mark::odd || !gauge.shown;
  if (at < end && fits) canvas.put(at, y, gauge.numbers, gauge.mark == Mark::odd ? Look::odd : Look::plain, end - at);
  if (gauge.kind == Gauge::Kind::area && whole)
    draw_area(canvas, x + 1, y + 1, gauge, std::min(width - 1, area_columns), area_rows);
}

}  // namespace

Block block_of(const inspect::SeenUnit& unit, const BlockOptions& words) {
  Block block;
  block.title = unit.name;
  if (words.seats) block.aside = unit.seat.empty() ? "no seat" : unit.seat;
  block.rank = unit.spoke;
  if (!unit.grabbed_by.empty())
    block.note = fmt::format("grabbed by {}: no input arrives", unit.grabbed_by);
  else if (unit.empty)
    block.note = "this socket is empty";
  else if (unit.silent)
    block.note = "no input yet";
  const std::vector<Placed> placed = arranged(unit);
  block.is_placed = !placed.empty() && !words.raw;
  if (block.is_placed) {
    std::vector<Placed> shown;
    for (const Placed& one : placed) {
      const SeenControl& control = unit.controls[one.index];
      if (!is_pressed(control.kind) || is_hidden(control)) continue;
      block.items.push_back(item_of(control, one.direction));
      shown.push_back(one);
    }
    set_places(block, shown);
  } else {
    for (const SeenControl& control : unit.controls) {
      if (!is_pressed(control.kind) || is_hidden(control)) continue;
      for (int direction = 0; direction < 4; ++direction) {
        const bool cross = control.kind == RoleKind::dpad;
        if (!cross && direction > 0) break;
        Item& item = block.items.emplace_back(item_of(control, cross ? direction : -1));
        if (words.raw && control.is_known) item.text += "=" + (cross && direction < 2 ? control.code_y : control.code);
      }
    }
  }
  for (const SeenControl& control : unit.controls)
    if (!is_pressed(control.kind) && !is_hidden(control)) block.gauges.push_back(gauge_of(control, words.raw));
  return block;
}

Block block_of(const inspect::SeenPort& port, const inspect::TickedPort* ticks) {
  Block block;
  block.rank = port.moved;
  block.title = fmt::format("port {}: {}", port.number, port.controller);
  block.aside = port.is_played || port.seat.empty() ? port.seat : port.seat + ", free";
  if (ticks != nullptr) {
    block.aside_good = ticks->ticked() == ticks->expected();
    block.aside = block.aside_good ? "complete" : fmt::format("{} of {}", ticks->ticked(), ticks->expected());
  }
  std::vector<Placed> shown;
  for (const Placed& one : arranged(port)) {
    const SeenTarget& target = port.targets[one.index];
    if (target.kind != TargetKind::button) continue;
    Item& item = block.items.emplace_back();
    item.text = target.name;
    item.lit = target.lit;
    item.mark = mark_of(ticks, one.index);
    shown.push_back(one);
  }
  set_places(block, shown);
  for (std::size_t t = 0; t < port.targets.size(); ++t) {
    if (port.targets[t].kind == TargetKind::button) continue;
    Gauge& gauge = block.gauges.emplace_back(gauge_of(port.targets[t]));
    gauge.mark = mark_of(ticks, t);
  }
  return block;
}

Block as_list(Block block) {
  std::ranges::stable_sort(block.items, {}, [](const Item& item) { return std::pair{item.y, item.x}; });
  block.is_placed = false;
  return block;
}

Layout lay_out(const Block& block, int width) {
  Layout layout;
  layout.rows = rows_of_items(block, width);
  layout.least = 1 + (block.note.empty() ? 0 : 1) + static_cast<int>(layout.rows.size());
  layout.all = layout.least + static_cast<int>(block.lines.size()) + rows_of_picture(block);
  for (const Gauge& gauge : block.gauges) layout.all += rows_of_gauge(gauge);
  return layout;
}

void draw(Canvas& canvas, const Block& block, const Layout& layout, int x, int y, int width, int rows) {
  const int end = y + rows;
  if (rows < 1) return;
  const int aside = std::min(columns_of(block.aside), std::max(0, width / 2));
  canvas.put(x, y, block.title, Look::title, width - aside - 1);
  canvas.put(x + width - aside, y, block.aside, block.aside_good ? Look::good : Look::faint, aside);
  int at = y + 1;
  if (!block.note.empty() && at < end) canvas.put(x + 1, at++, block.note, Look::odd, width - 1);
  for (const Row& row : layout.rows) {
    if (at >= end) return;
    for (const Spread& one : row) draw_name(canvas, x + one.column, at, block.items[one.item], one.columns);
    ++at;
  }
  for (const std::string& line : block.lines) {
    if (at >= end) return;
    canvas.put(x + 1, at++, line, Look::plain, width - 1);
  }
  if (const int rows = rows_of_picture(block); rows > 0 && at < end) {
    draw_frame(canvas, x + 1, at, std::min(width - 1, columns_of(block.picture.front()) + 2), std::min(rows, end - at));
    for (std::size_t row = 0; row < block.picture.size() && at + static_cast<int>(row) + 2 < end; ++row)
      canvas.put(x + 2, at + 1 + static_cast<int>(row), block.picture[row], Look::plain, width - 3);
    at += rows;
  }
  int names = 0;
  for (const Gauge& gauge : block.gauges) names = std::max(names, columns_of(gauge.name) + 3);
  for (const Gauge& gauge : block.gauges) {
    if (at >= end) return;
    const bool whole = at + rows_of_gauge(gauge) <= end;
    draw_gauge(canvas, gauge, x, at, width, std::min(names, std::max(8, width / 2)), whole);
    at += whole ? rows_of_gauge(gauge) : 1;
  }
}

}  // namespace omnipar::view
