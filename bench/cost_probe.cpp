// Feeds the same 20,000 events to one seat of a plan with one port or with thirty, for counting the
// instructions of `probed`: an event must cost what its own bindings cost, whatever else there is.
// usage: cost-probe small|large
#include <array>
#include <cstdio>
#include <cstdlib>
#include <string_view>

#include "evening.hpp"

using namespace omnipar;

[[gnu::noinline]] void probed(Engine& engine, UnitId unit) {
  const std::array<Change, 2> there{{{code::btn_south, 1}, {code::abs_x, 30'000}}};
  const std::array<Change, 2> back{{{code::btn_south, 0}, {code::abs_x, 0}}};
  for (std::int64_t i = 0; i < 5'000; ++i) {
    engine.feed(unit, {at_us(i * 8'000), there});
    engine.feed(unit, {at_us(i * 8'000 + 4'000), back});
  }
}

int main(int count, char** words) {
  if (count != 2) return EXIT_FAILURE;
  const int ports = std::string_view{words[1]} == "large" ? 20 : 1;
  Catalogue catalogue = marrowby::evening_catalogue();
  SystemSheet& system = catalogue.systems.front();
  system.ports.clear();
  for (int port = 1; port <= ports; ++port) system.ports.push_back({port, {"two-stick-pad"}});
  Engine engine{compile(catalogue, propose(catalogue, system.name).value()).value()};
  const Description pad = marrowby::evening_units()[2];
  Attachment attachment = recognise(catalogue, {}, pad).value();
  attachment.seat = "seat-1";
  const UnitId unit = engine.attach(attachment).value();
  for (int seat = 2; seat <= ports && seat <= 16; ++seat) {
    attachment.seat = "seat-" + std::to_string(seat);
    if (!engine.attach(attachment)) return EXIT_FAILURE;
  }
  probed(engine, unit);
  std::printf("%zu targets, %llu events ignored\n", engine.plan().targets().size(),
              static_cast<unsigned long long>(engine.ignored()));
  return engine.ignored() == 0 ? EXIT_SUCCESS : EXIT_FAILURE;
}
