// omnipar demo: a short session in the Marrowby room, with each input and what each port receives.
#include <cstdio>
#include <memory>
#include <optional>

#include <fmt/format.h>

#include "command.hpp"
#include "marrowby.hpp"
#include "omnipar/sheets.hpp"
#include "sources.hpp"
#include "views.hpp"

namespace omnipar::cli {
namespace {

struct DemoArguments {
  bool slow = false;
  bool json = false;
};

int run(const DemoArguments& arguments) {
  Sheets sheets = read_sheets("marrowby.toml", marrowby::sheets_text());
  const Catalogue catalogue{std::move(sheets.systems), std::move(sheets.units)};
  os::Door& door = os::real_door();
  const Time start = door.now();
  std::function<void(Time)> pace;
  if (arguments.slow)
    pace = [&](Time time) {
      const Time moment = start + time.time_since_epoch();
      std::fflush(stdout);
      (void)door.wait({}, &moment);
    };
  if (!arguments.json) {
    print("An evening in the game room of Marrowby's library. Four players, four different controllers, one");
    print("machine with four ports. Each player presses a button to get a port. (. means that nothing is held)\n");
  }
  static_cast<void>(play_through({sheets.profiles.at(0), catalogue},
                                 {"marrowby.trace", lines_of(std::string{marrowby::trace_text()})}, arguments.json,
                                 print, pace));
  talk("Next, with your own controllers: omnipar play pad-2b");
  return good;
}

}  // namespace

void add_demo(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("demo", "Play a scripted session without any device");
  const auto arguments = std::make_shared<DemoArguments>();
  command->add_flag("--slow", arguments->slow, "play in real time, about 15 seconds");
  command->add_flag("--json", arguments->json, "print what the ports receive as JSON Lines");
  command->footer(
      "Example: a minute at Marrowby's cabinet:\n"
      "  omnipar demo --slow\n"
      "Exit status: 0.");
  command->callback([arguments, &status] { status = run(*arguments); });
}

}  // namespace omnipar::cli
