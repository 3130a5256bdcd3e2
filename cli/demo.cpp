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

/// What is down on a port, by name; "." if nothing is.
std::string down_on(const Engine& engine, const Reader& reader, int port) {
  std::string names;
  const PortInfo& info = *engine.plan().port(port);
  for (std::uint16_t t = 0; t < info.target_count; ++t)
    if (reader.port(port).pressed({t})) {
      names += names.empty() ? "" : " ";
      names += engine.plan().targets()[std::size_t{info.first_target} + t].name;
    }
  return names.empty() ? "." : names;
}

void act_out(const marrowby::Act& act, Engine& engine, play::Table& table, const std::vector<Description>& units) {
  const Time now = at_us(act.at_ms * 1000);
  engine.advance(now);
  switch (act.deed) {
    case marrowby::Deed::plug_in:
      return table.arrive(act.unit, units.at(static_cast<std::size_t>(act.unit)));
    case marrowby::Deed::pull_out:
      return table.leave(act.unit);
    case marrowby::Deed::report:
      return table.report(act.unit, {now, act.changes});
  }
}

int run() {
  const Catalogue catalogue = built_in_catalogue();
  const Plan plan = compile(catalogue, propose(catalogue, "pad-2b").value()).value();
  Engine engine{plan};
  Teller teller;
  play::Table table{engine, teller};
  Reader game{engine};
  const auto units = marrowby::story_units();
  print("An evening in the Marrowby game room: two players, a machine with two-button pads. (. is nothing held)\n");
  print(fmt::format("{:>9}  {:<46}{:<14}{}", "time", "what a hand does", "port 1 sees", "port 2 sees"));
  const std::vector<marrowby::Act> story = marrowby::story();
  bool same_picture = false;  // the next act comes before the machine has looked
  for (std::size_t i = 0; i < story.size(); ++i) {
    const marrowby::Act& act = story[i];
    if (!same_picture) game.next_frame();  // the pictures since the last act
    act_out(act, engine, table, units);
    same_picture = i + 1 < story.size() && (story[i + 1].at_ms - act.at_ms) * 1000 < plan.frame().count();
    if (!same_picture) game.next_frame();
    print(fmt::format("{:>6} ms  {:<46}{:<14}{}", act.at_ms, act.told, same_picture ? "" : down_on(engine, game, 1),
                      same_picture ? "" : down_on(engine, game, 2)));
    for (const std::string& line : teller.lines) print(fmt::format("{:>11}-> {}", "", line));
    if (!act.lesson.empty()) print(fmt::format("{:>11}   ({})", "", act.lesson));
    teller.lines.clear();
  }
  game.next_frame();
  const std::string left_1 = down_on(engine, game, 1);
  const std::string left_2 = down_on(engine, game, 2);
  print(fmt::format("\n{} Port 2 has counted {} press of b: the tap.",
                    left_1 == "." && left_2 == "." ? "At the end nothing is held."
                                                   : fmt::format("Still held: {} {}.", left_1, left_2),
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
