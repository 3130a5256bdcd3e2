// One unit or one port as a block of cells: a title, what can be pressed where it lies, and below it how far the axes
// are.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "inspect/seen.hpp"
#include "inspect/tick_off.hpp"
#include "view/canvas.hpp"

namespace omnipar::view {

/// What stands before a name.
enum class Mark : std::uint8_t { none, ticked, open, odd };

/// Something that is pressed or not, and where it lies in the block, 0..1 in both directions.
struct Item {
  std::string text;
  double x = 0;
  double y = 0;
  bool lit = false;
  Mark mark = Mark::none;
};

/// An axis, two of them, a place or counts.
struct Gauge {
  enum class Kind : std::uint8_t { one_sided, two_sided, stick, area, counts };
  std::string name;
  Kind kind = Kind::two_sided;
  double x = 0;
  double y = 0;
  bool shown = true;    ///< of an area: something points at it; of the others: its position is known
  std::string numbers;  ///< behind it
  bool lit = false;
  Mark mark = Mark::none;
  struct Shot {
    double x = 0;
    double y = 0;
    bool on = true;  ///< it was on the area
  };
  std::vector<Shot> shots{};  ///< of an area: where it was shot at, the last one last
};

struct Block {
  std::string title;
  std::string aside;  ///< at the right end of the title
  bool aside_good = false;
  std::string note;       ///< below the title; may be empty
  bool is_placed = true;  ///< else the items are a list
  std::vector<Item> items;
  std::vector<Gauge> gauges;
  std::vector<std::string> lines{};    ///< text above the picture
  std::vector<std::string> picture{};  ///< rows of equally many ASCII characters, drawn in a frame above the gauges
  std::uint64_t rank = 0;              ///< the most recently used block has the greatest
};

struct BlockOptions {
  bool raw = false;   ///< numbers as the unit or the machine has them, and codes
  bool seats = true;  ///< show the seats of units
};

[[nodiscard]] Block block_of(const inspect::SeenUnit& unit, const BlockOptions& words);
/// With `ticks`, what is ticked off and what is open is marked.
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
/// The same block with its items as a list, where there is no room for their places.
[[nodiscard]] Block as_list(Block block);
/// Draws it as it was laid out for this width; what does not fit into the rows is left out, from the end.
void draw(Canvas& canvas, const Block& block, const Layout& layout, int x, int y, int width, int rows);

}  // namespace omnipar::view
