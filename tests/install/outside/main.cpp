// One frame of a machine, using only the public headers.
#include <array>
#include <cstdio>
#include <string>

#include <omnipar/omnipar.hpp>

static_assert(OMNIPAR_VERSION_MAJOR == 0);

int main() {
  const omnipar::Catalogue catalogue = omnipar::built_in_catalogue();
  const auto profile = omnipar::propose(catalogue, "pad-2b");
  const auto plan = omnipar::compile(catalogue, *profile);
  omnipar::Engine engine{*plan};
  omnipar::Description pad;
  pad.name = "Marrowby Pad";
  pad.codes = {{omnipar::code::btn_south}, {omnipar::code::btn_east}};
  auto unit = omnipar::recognise(catalogue, {}, pad);
  unit->seat = "seat-1";
  const auto id = engine.attach(*unit);
  omnipar::Reader game{engine};
  const std::array<omnipar::Change, 1> press{{{omnipar::code::btn_south, 1}}};
  engine.feed(*id, {omnipar::at_us(0), press});
  game.next_frame();
  const bool pressed = game.port(1).pressed(*plan->target(1, "inner"));
  std::printf("Omnipar %s: %s\n", std::string{omnipar::version()}.c_str(), pressed ? "pressed" : "not pressed");
  return pressed ? 0 : 1;
}
