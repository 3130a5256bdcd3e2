// The whole drawing: units on the left, the ports of the machine beside them, below what became of the last press.
#pragma once

#include <functional>
#include <span>
#include <string>
#include <vector>

#include "inspect/seen.hpp"
#include "inspect/tick_off.hpp"
#include "inspect/why.hpp"
#include "view/block.hpp"
#include "view/canvas.hpp"

namespace omnipar::view {

/// What stands around the units and ports.
struct Page {
  std::string title;
  std::string aside;               ///< at the right end of the first line
  std::vector<std::string> press;  ///< of the last press: the control, then a line for each link
  std::vector<std::string> notes;  ///< what has happened, the newest last
  std::string keys;                ///< the last line
  const inspect::TickOff* ticks = nullptr;
  BlockOptions words;
  std::vector<Block> machine{};  ///< shown instead of the ports
};

/// In less nothing can be seen.
inline constexpr int smallest_width = 20, smallest_height = 5;

/// Draws the whole page, or a message if there is too little room.
void draw(Canvas& canvas, const inspect::Seen& seen, const Page& page);

/// Explains a press like `why`, with the value after each stage: a line for the control, then one for each link.
/// `stops` is called if no link uses the press's role; null without a profile.
[[nodiscard]] std::vector<std::string> press_words(const inspect::SeenPress& press,
                                                   std::span<const inspect::Link> links,
                                                   const std::function<std::vector<inspect::Stop>()>& stops);

}  // namespace omnipar::view
