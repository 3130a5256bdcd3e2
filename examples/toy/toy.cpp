// The smallest embedding: a fictional machine with a frame loop and one pad. Needs no device: it creates the pad's
// reports as a host would.
#include <array>
#include <cstdio>

#include <omnipar/omnipar.hpp>

using namespace omnipar;

int main() {
  const Catalogue catalogue = built_in_catalogue();
  const auto plan = compile(catalogue, propose(catalogue, "pad-2b").value());
  if (!plan) return 1;
  Engine engine{*plan};

  // A host would describe connected units; this pad has two buttons and a hat.
  Description pad;
  pad.name = "Marrowby Toy Pad";
  pad.codes = {{code::btn_south}, {code::btn_east}, {code::abs_hat0x, -1, 1}, {code::abs_hat0y, -1, 1}};
  auto found = recognise(catalogue, Rig{}, pad);
  if (!found) return 1;
  found->seat = "seat-1";
  const auto unit = engine.attach(*found);
  if (!unit) return 1;

  Reader game{engine};
  const TargetIndex fire = *plan->target(1, "inner");
  const TargetIndex right = *plan->target(1, "right");
  int position = 0;
  const std::array<Change, 1> press{{{code::btn_south, 1}}};
  const std::array<Change, 1> release{{{code::btn_south, 0}}};
  const std::array<Change, 1> push_right{{{code::abs_hat0x, 1}}};
  for (int frame = 0; frame < 8; ++frame) {
    const Time now = at_us(frame * plan->frame().count());
    if (frame == 2) engine.feed(*unit, {now, push_right});
    if (frame == 4) {  // a tap that is over before the frame is
      engine.feed(*unit, {now, press});
      engine.feed(*unit, {now + Duration{1000}, release});
    }
    engine.advance(now + plan->frame() - Duration{1});
    game.next_frame();
    if (game.port(1).pressed(right)) ++position;
    std::printf("frame %d: position %d%s\n", frame, position, game.port(1).pressed(fire) ? ", fire!" : "");
  }
  return 0;
}
