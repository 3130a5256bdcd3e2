// One unit or one port as a block of cells: a title, its buttons in their places, and below them the positions of its
// axes.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "inspect/seen.hpp"
#include "inspect/tick_off.hpp"
#include "view/canvas.hpp"

namespace omnipar::view {

/// A marker before a name.
enum class Mark : std::uint8_t { none, ticked, open, odd };

/// A button and its place in the block, 0..1 in both directions.
struct Item {
  std::string text;
  double x = 0;
  double y = 0;
  bool lit = false;
  Mark mark = Mark::none;
};

/// One or two axes, a position, or counts.
struct Gauge {
  enum class Kind : std::uint8_t { one_sided, two_sided, stick, area, counts };
  std::string name;
  Kind kind = Kind::two_sided;
  double x = 0;
  double y = 0;
  bool shown = true;    ///< of an area: a source points at it; otherwise: its position is known
  std::string numbers;  ///< after it
  bool lit = false;
  Mark mark = Mark::none;
  struct Shot {
    double x = 0;
    double y = 0;
    bool on = true;  ///< it was on the area
  };
  std::vector<Shot> shots{};  ///< of an area: its shots, the last one last
};

struct Block {
  std::string title;
  std::string aside;  ///< at the right end of the title
  bool aside_good = false;
  std::string note;       ///< below the title; may be empty
  bool is_placed = true;  ///< otherwise the items are a list
  std::vector<Item> items;
  std::vector<Gauge> gauges;
  std::vector<std::string> lines{};    ///< text above the picture
  std::vector<std::string> picture{};  ///< rows of ASCII characters of equal length, drawn in a frame above the gauges
  std::uint64_t rank = 0;              ///< greatest for the most recently used block
};

struct BlockOptions {
  bool raw = false;   ///< raw and native numbers, and codes
  bool seats = true;  ///< show the seats of units
};

[[nodiscard]] Block block_of(const inspect::SeenUnit& unit, const BlockOptions& words);
/// With `ticks`, ticked and open targets are marked.
[[nodiscard]] Block block_of(const inspect::SeenPort& port, const inspect::TickedPort* ticks);

/// An item's columns, from the block's left edge.
struct Spread {
  std::size_t item = 0;
  int column = 0;
  int columns = 0;
};

/// The layout of a block for a number of columns: its items, and the rows it needs without and with all gauges.
struct Layout {
  std::vector<std::vector<Spread>> rows;
  int least = 0;
  int all = 0;
};
[[nodiscard]] Layout lay_out(const Block& block, int width);
/// The same block with its items as a list, if there is no room for their places.
[[nodiscard]] Block as_list(Block block);
/// Draws it with its layout for this width; what does not fit into the rows is left out, starting from the end.
void draw(Canvas& canvas, const Block& block, const Layout& layout, int x, int y, int width, int rows);

}  // namespace omnipar::view
