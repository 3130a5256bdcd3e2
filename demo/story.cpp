#include "story.hpp"

#include "evening.hpp"

namespace marrowby {

using namespace omnipar;

std::vector<Description> story_units() {
  std::vector<Description> units = evening_units();
  std::swap(units[0], units[2]);  // the pad is first at the table, then the right panel
  return units;
}

std::vector<Act> story() {
  constexpr int pad = 0;
  constexpr int panel = 1;
  constexpr int latecomer = 3;
  return {
      {0, "a pad is plugged in", Deed::plug_in, pad, {}},
      {500, "the cabinet's right panel is switched on", Deed::plug_in, panel, {}},
      {1000, "pad: presses start, to sit down", Deed::report, pad, {{code::btn_start, 1}}},
      {1100, "pad: lets start go", Deed::report, pad, {{code::btn_start, 0}}},
      {2000, "panel: presses a button, to join", Deed::report, panel, {{code::btn_south, 1}}},
      {2100,
       "panel: lets it go",
       Deed::report,
       panel,
       {{code::btn_south, 0}},
       "the press that takes a seat is not passed on to the game"},
      {3000,
       "pad: d-pad right and a face button at once",
       Deed::report,
       pad,
       {{code::abs_hat0x, 1}, {code::btn_east, 1}}},
      {3200, "pad: lets both go", Deed::report, pad, {{code::abs_hat0x, 0}, {code::btn_east, 0}}},
      {4000, "pad: stick pushed up", Deed::report, pad, {{code::abs_y, -32768}}},
      {4100, "pad: d-pad up as well", Deed::report, pad, {{code::abs_hat0y, -1}}},
      {4200,
       "pad: stick back in the middle",
       Deed::report,
       pad,
       {{code::abs_y, 0}},
       "stick or d-pad, whichever is held: the other letting go changes nothing"},
      {4300, "pad: d-pad let go", Deed::report, pad, {{code::abs_hat0y, 0}}},
      {5000, "panel: taps a button", Deed::report, panel, {{code::btn_south, 1}}},
      {5001,
       "panel: the tap is over already",
       Deed::report,
       panel,
       {{code::btn_south, 0}},
       "down and up within one picture; the game sees it all the same"},
      {6000, "panel: holds left", Deed::report, panel, {{code::abs_hat0x, -1}}},
      {6500, "pad: holds a face button", Deed::report, pad, {{code::btn_south, 1}}},
      {7000, "the pad's plug is pulled, button held", Deed::pull_out, pad, {}},
      {8000, "the pad is plugged in again", Deed::plug_in, pad, {}},
      {8500, "pad: presses the face button", Deed::report, pad, {{code::btn_south, 1}}},
      {8600, "pad: lets it go", Deed::report, pad, {{code::btn_south, 0}}},
      {9000, "another pad is plugged in", Deed::plug_in, latecomer, {}},
      {9200, "other pad: presses a button", Deed::report, latecomer, {{code::btn_south, 1}}},
      {9500, "panel: lets left go", Deed::report, panel, {{code::abs_hat0x, 0}}},
  };
}

}  // namespace marrowby
