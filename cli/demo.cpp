// omnipar demo: a short evening in the Marrowby room, what each hand does and what each port sees.
#include <memory>

#include <fmt/format.h>

#include "command.hpp"
#include "omnipar/omnipar.hpp"
#include "play/table.hpp"
#include "story.hpp"

namespace omnipar::cli {
namespace {

/// The table's own words, told as lines between the acts.
class Teller final : public play::Listener {
 public:
  void seated(const std::string& seat, const std::string& unit, bool again) override {
    tell(fmt::format("{} {} \"{}\"", player(seat), again ? "has it back:" : "sits down with", unit));
  }
  void left(const std::string& seat, const std::string& unit) override {
    tell(fmt::format("{} lost \"{}\": all that it held is let go, its port is kept", player(seat), unit));
  }
  void waiting(const std::string&) override {}
  void no_seat(const std::string& unit) override { tell(fmt::format("\"{}\" finds every seat taken", unit)); }
  void cannot_attach(const Diagnostic& why) override { tell(to_text(why)); }

  std::vector<std::string> lines;

 private:
  static std::string player(const std::string& seat) { return "player " + seat.substr(seat.rfind('-') + 1); }
  void tell(std::string line) { lines.push_back(std::move(line)); }
};

/// What is down on a port, by name; "-" if nothing is.
std::string down_on(const Engine& engine, const Reader& reader, int port) {
  std::string names;
  const PortInfo& info = *engine.plan().port(port);
  for (std::uint16_t t = 0; t < info.target_count; ++t)
    if (reader.port(port).pressed({t})) {
      names += names.empty() ? "" : " ";
      names += engine.plan().targets()[std::size_t{info.first_target} + t].name;
    }
  return names.empty() ? "-" : names;
}

int run() {
  const Catalogue catalogue = built_in_catalogue();
  const Plan plan = compile(catalogue, propose(catalogue, "pad-2b").value()).value();
  Engine engine{plan};
  Teller teller;
  play::Table table{engine, teller};
  Reader game{engine};
  const auto units = marrowby::story_units();
  print("An evening in the Marrowby game room: two players, a machine with two-button pads.\n");
  print(fmt::format("{:>8}  {:<46}{:<14}{}", "time", "what a hand does", "port 1 sees", "port 2 sees"));
  for (const marrowby::Act& act : marrowby::story()) {
    const Time now = at_us(act.at_ms * 1000);
    engine.advance(now);
    const int unit = act.unit;
    if (act.deed == marrowby::Deed::plug_in) table.arrive(unit, units.at(static_cast<std::size_t>(unit)));
    if (act.deed == marrowby::Deed::pull_out) table.leave(unit);
    if (act.deed == marrowby::Deed::report) table.report(unit, {now, act.changes});
    game.next_frame();
    print(fmt::format("{:>6} ms  {:<46}{:<14}{}", act.at_ms, act.told, down_on(engine, game, 1), down_on(engine, game, 2)));
    for (const std::string& line : teller.lines) print(fmt::format("{:>11}-> {}", "", line));
    teller.lines.clear();
  }
  game.next_frame();
  print(fmt::format("\nAt the end port 1 sees {} and port 2 sees {}. Presses counted: b on port 2, the tap included: {}.",
                    down_on(engine, game, 1), down_on(engine, game, 2),
                    game.port(2).presses(*plan.target(2, "b"))));
  talk("Next, with your own pads: omnipar play pad-2b");
  return good;
}

}  // namespace

void add_demo(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("demo", "Show the idea on a scripted evening, without any device");
  command->footer("Example:\n  omnipar demo\nExit status: 0.");
  command->callback([&status] { status = run(); });
}

}  // namespace omnipar::cli
