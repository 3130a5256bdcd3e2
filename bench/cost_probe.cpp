// Feeds the same 20,000 events to one seat of a plan with one port, with twenty, or with twenty of which all others
// have more than 500 idle stages, for counting the instructions of `probed`: an event must cost what its own
// bindings cost, whatever else exists.
// usage: cost-probe small|large|resting
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

namespace {

/// All ports but the first: each button debounced twice, held and repeated. Not as its only source, so that no
/// target has less to do than before.
std::size_t add_stages(Profile& profile, const ControllerSheet& sheet) {
  std::size_t stages = 0;
  for (PortProfile& port : profile.ports) {
    if (port.port == 1) continue;
    for (const TargetSheet& target : sheet.targets) {
      if (target.kind != TargetKind::button) continue;
      Use slow{target.defaults.front()};
      slow.settings.set("debounce", std::chrono::milliseconds{10});
      slow.settings.set("long-press", std::chrono::milliseconds{300});
      slow.settings.set("autofire", 10);
      port.bind.push_back({target.name, {slow}});
      stages += 3;
    }
  }
  return stages;
}

}  // namespace

int main(int count, char** words) {
  if (count != 2) return EXIT_FAILURE;
  const std::string_view mode = words[1];
  const int ports = mode == "small" ? 1 : 20;
  Catalogue catalogue = marrowby::evening_catalogue();
  SystemSheet& system = catalogue.systems.front();
  system.ports.clear();
  for (int port = 1; port <= ports; ++port) system.ports.push_back({port, {"two-stick-pad"}});
  Profile profile = propose(catalogue, system.name).value();
  std::size_t stages = 0;
  if (mode == "resting") stages = add_stages(profile, *system.controller("two-stick-pad"));
  if (mode == "resting" && stages < 450) return EXIT_FAILURE;
  Engine engine{compile(catalogue, profile).value()};
  const Description pad = marrowby::evening_units()[2];
  Attachment attachment = recognise(catalogue, {}, pad).value();
  attachment.seat = "seat-1";
  const UnitId unit = engine.attach(attachment).value();
  for (int seat = 2; seat <= ports && seat <= 16; ++seat) {
    attachment.seat = "seat-" + std::to_string(seat);
    if (!engine.attach(attachment)) return EXIT_FAILURE;
  }
  probed(engine, unit);
  std::printf("%zu targets, %zu stages, %llu events ignored\n", engine.plan().targets().size(), stages,
              static_cast<unsigned long long>(engine.ignored()));
  return engine.ignored() == 0 ? EXIT_SUCCESS : EXIT_FAILURE;
}
