// omnipar play SYSTEM
#include <memory>

#include "command.hpp"
#include "given.hpp"
#include "omnipar/omnipar.hpp"
#include "play/session.hpp"

namespace omnipar::cli {
namespace {

struct PlayWords {
  std::string system;
  bool with_virtual = false;
  bool show_plan = false;
};

int run(const PlayWords& words) {
  const Given given = load(os::real_door(), words.system);
  tell(given.problems);
  if (!given.plan) return bad_input;
  if (words.show_plan) {
    std::string listing = given.plan->listing();
    listing.pop_back();
    print(listing);
    return good;
  }
  play::SessionOptions options;
  options.with_virtual = words.with_virtual;
  options.say = talk;
  return play::play(os::real_door(), *given.plan, options) == play::SessionEnd::failed ? machine_refuses : good;
}

}  // namespace

void add_play(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("play", "Play: everybody presses once, and sits");
  const auto words = std::make_shared<PlayWords>();
  command
      ->add_option("SYSTEM", words->system,
                   "the emulated machine, such as pad-2b, or a profile file, such as cabinet.toml")
      ->required();
  command->add_flag("--with-virtual", words->with_virtual, "take controllers that other programs made, too");
  command->add_flag("--show-plan", words->show_plan, "print what would be played, and play nothing");
  command->footer(
      "Example: the two pads from Marrowby's shelf, on any machine with two-button pads:\n"
      "  omnipar play pad-2b\n"
      "Ctrl-C ends it; so do start and select of one controller held for 2 s.\n"
      "Exit status: 0 ended, 2 unknown machine or bad profile, 3 the computer refuses ('omnipar doctor' says why).");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
