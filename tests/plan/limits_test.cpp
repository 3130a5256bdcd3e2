// A plan holds exactly its documented limits, and plays.
#include <catch2/catch.hpp>

#include <functional>

#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

struct Filled {
  Catalogue catalogue;
  Profile profile;
};

TargetSheet target(const std::string& name, TargetKind kind) {
  TargetSheet sheet;
  sheet.name = name;
  sheet.kind = kind;
  return sheet;
}

/// One port with these targets and bindings, and no hotkeys.
Filled one_port(std::vector<TargetSheet> targets, std::vector<Binding> bind) {
  ControllerSheet board;
  board.name = "board";
  board.title = "board";
  board.directions = false;
  board.targets = std::move(targets);
  SystemSheet system;
  system.name = "limits";
  system.title = "a machine for limits";
  system.ports = {{1, {"board"}}};
  system.controllers = {board};
  PortProfile port;
  port.port = 1;
  port.seat = "seat-1";
  port.bind = std::move(bind);
  return {Catalogue{{system}}, {"limits", "limits", {port}, {}}};
}

/// "a" has this many sources.
Filled sources(std::size_t count) {
  return one_port({target("a", TargetKind::button)}, {{"a", std::vector<Use>(count, Use{"south"})}});
}

/// "a" is the last of this many targets.
Filled targets(std::size_t count) {
  std::vector<TargetSheet> all;
  for (std::size_t t = 1; t < count; ++t) all.push_back(target("t" + std::to_string(t), TargetKind::button));
  all.push_back(target("a", TargetKind::button));
  return one_port(std::move(all), {{"a", {{"south"}}}});
}

/// Every binding but the first needs a signal of its own.
Filled signals(std::size_t count) {
  Use held{"south"};
  held.settings.set("long-press", Duration{1000});
  std::vector<Use> uses(count - 1, held);
  return one_port({target("a", TargetKind::button)}, {{"a", uses}});
}

Filled analog_uses(std::size_t count) {
  Filled sheets = one_port({target("stick", TargetKind::stick), target("a", TargetKind::button)},
                           {{"stick", std::vector<Use>(count, Use{"left-stick"})}, {"a", {{"south"}}}});
  return sheets;
}

Filled pointers(std::size_t count) {
  return one_port({target("aim", TargetKind::pointer), target("a", TargetKind::button)},
                  {{"aim", std::vector<Use>(count, Use{"right-stick"})}, {"a", {{"south"}}}});
}

}  // namespace

TEST_CASE("Each limit of a plan can be reached and not exceeded", "[plan]") {
  const auto [what, limit, made] = GENERATE(
      table<std::string, std::size_t, Filled (*)(std::size_t)>({{"targets", max_targets, targets},
                                                                {"signals", max_signals, signals},
                                                                {"sources", max_sources, sources},
                                                                {"analog uses", max_analog_uses, analog_uses},
                                                                {"uses of a pointer", max_analog_uses, pointers}}));
  CAPTURE(what);
  const Filled beyond = made(limit + 1);
  const auto refused = compile(beyond.catalogue, beyond.profile);
  REQUIRE_FALSE(refused);
  CHECK(refused.error().size() == 1);
  CHECK(refused.error()[0].id == "plan-too-large");

  const Filled full = made(limit);
  const Plan plan = plan_of(full.catalogue, full.profile);
  Engine engine{plan};
  Reader reader{engine};
  const UnitId pad = engine.attach(seated(plain_pad(), "seat-1")).value();
  const TargetIndex a = plan.target(1, "a").value();
  const auto say = [&](std::int64_t at, std::vector<Change> changes) {
    engine.feed(pad, {at_us(at), changes});
    engine.advance(at_us(at + 5'000));
    reader.next_frame();
  };
  for (std::int64_t round = 0; round < 3; ++round) {
    say(round * 20'000 + 10'000, {{code::btn_south, 1}, {code::abs_x, 32767}, {code::abs_rx, 32767}});
    CHECK(reader.port(1).pressed(a));
    CHECK(reader.port(1).presses(a) == static_cast<std::uint32_t>(round + 1));
    if (const auto stick = plan.target(1, "stick-x")) CHECK(reader.port(1).value(*stick) == 1);
    if (const auto aim = plan.target(1, "aim-x")) CHECK(reader.port(1).value(*aim) > 0.5);
    say(round * 20'000 + 20'000, {{code::btn_south, 0}, {code::abs_x, 0}, {code::abs_rx, 0}});
    CHECK_FALSE(reader.port(1).pressed(a));
    if (const auto stick = plan.target(1, "stick-x")) CHECK(reader.port(1).value(*stick) == 0);
  }
  engine.detach(pad);
  CHECK_FALSE(engine.next_due());
}
