// The program of the README.
#include <array>
#include <cstdio>

#include <omnipar/omnipar.hpp>

int main() {
  const omnipar::Catalogue catalogue = omnipar::built_in_catalogue();
  const auto plan = omnipar::compile(catalogue, omnipar::propose(catalogue, "pad-2b").value());
  omnipar::Engine engine{*plan};

  omnipar::Description description;  // a host's description of a connected pad
  description.name = "Marrowby Pad";
  description.codes = {{omnipar::code::btn_south}, {omnipar::code::btn_east}};
  auto pad = omnipar::recognise(catalogue, omnipar::Rig{}, description).value();
  pad.seat = "seat-1";  // the seat whose port it plays
  const auto unit = engine.attach(pad).value();

  omnipar::Reader game{engine};                        // one for each consumer
  const auto fire = plan->target(1, "inner").value();  // looked up once
  const std::array<omnipar::Change, 1> press{{{omnipar::code::btn_south, 1}}};
  for (int frame = 0; frame < 3; ++frame) {
    const omnipar::Time now = omnipar::at_us(frame * plan->frame().count());
    if (frame == 1) engine.feed(unit, {now, press});  // as reports come in; allocates, locks and throws nothing
    engine.advance(now);
    game.next_frame();
    std::printf("frame %d: %s\n", frame, game.port(1).pressed(fire) ? "fire!" : "-");
  }
}
