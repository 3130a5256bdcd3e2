// omnipar check PROFILE
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

struct CheckWords {
  Sources sources;
  bool json = false;
};

int run(const CheckWords& words) {
  Given given = load(os::real_door(), words.sources);
  // A file without a profile is good if all that it holds is.
  const bool other_sheets = given.readable && !given.profile && !given.held.empty();
  if (other_sheets) given.problems.clear();
  const std::string& name = words.sources.profile;
  if (words.json) {
    auto list = nlohmann::ordered_json::array();
    for (const Diagnostic& p : given.problems)
      list.push_back({{"id", p.id}, {"place", p.place}, {"message", p.message}, {"hint", p.hint}});
    print(list.dump(2));
  } else {
    for (const Diagnostic& problem : given.problems) print(to_text(problem));
  }
  tell(given.elsewhere);
  if (other_sheets) {
    if (!words.json) print(fmt::format("{} is good: it holds {}.", name, given.held));
    return good;
  }
  if (!given.plan) {
    talk(fmt::format("{} problem{} found; nothing was played or written.", given.problems.size(),
                     given.problems.size() == 1 ? "" : "s"));
    return given.readable ? found_something : bad_input;
  }
  if (!words.json)
    print(fmt::format("{} is good: {} seats, {} controls.", name, given.plan->seats().size(),
                      given.plan->targets().size()));
  talk(fmt::format("Next: omnipar play {}", name));
  return good;
}

}  // namespace

void add_check(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("check", "Look for mistakes in a profile before it is played");
  const auto words = std::make_shared<CheckWords>();
  command->add_option("PROFILE", words->sources.profile, "a profile, a machine, or any file of Omnipar's")->required();
  add_data_option(*command, words->sources);
  command->add_flag("--json", words->json, "print JSON");
  command->footer(
      "Example: is the map of Marrowby's cabinet right?\n"
      "  omnipar check cabinet.toml\n"
      "Exit status: 0 it is good, 1 it asks for what cannot be, 2 the file itself is bad.");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
