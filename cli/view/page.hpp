// The whole drawing: units on the left, the machine's ports beside them, and the effect of the last press below.
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

/// Texts around units and ports.
struct Page {
  std::string title;
  std::string aside;               ///< at the right end of the first line
  std::vector<std::string> press;  ///< the last press: its control, then one line for each link
  std::vector<std::string> notes;  ///< recent messages, newest last
  std::string keys;                ///< the last line
  const inspect::TickOff* ticks = nullptr;
  BlockOptions words;
  std::vector<Block> machine{};  ///< shown instead of the ports
};

/// The smallest usable size.
inline constexpr int smallest_width = 20, smallest_height = 5;

/// Draws the whole page, or a message if there is too little room.
void draw(Canvas& canvas, const inspect::Seen& seen, const Page& page);

/// Explains a press like `why`, with the value after each stage: a line for the control, then one for each link.
/// `stops` is called if no link uses the press's role; null without a profile.
[[nodiscard]] std::vector<std::string> press_words(const inspect::SeenPress& press,
                                                   std::span<const inspect::Link> links,
                                                   const std::function<std::vector<inspect::Stop>()>& stops);

}  // namespace omnipar::view
