// omnipar check PROFILE
#include <algorithm>
#include <iterator>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "inspect/why.hpp"
#include "play/trace_host.hpp"
#include "sources.hpp"
#include "base/list.hpp"

namespace omnipar::cli {
namespace {

struct CheckArguments {
  Sources sources;
  bool json = false;
};

void print_problems(const CheckArguments& arguments, const Diagnostics& problems) {
  if (arguments.json) {
    print_json(problems_json(problems), 2);
  } else {
    for (const Diagnostic& problem : first_of(problems)) print(styled_text(problem));
  }
}

/// Recordings and rooms: every line.
int check_trace(const CheckArguments& arguments) {
  const std::string& name = arguments.sources.profile;
  std::size_t events = 0;
  Diagnostics problems;  // of units: the rest of the trace can be played
  const auto problem = read_trace(os::real_door(), name, [&](const TraceEvent& event, const Description& node) {
    ++events;
    if (event.action != TraceAction::plug_in) return true;
    if (auto why = play::unreadable_descriptor(node)) {
      why->place = name + ": " + why->place;
      problems.push_back(std::move(*why));
    }
    return true;
  });
  if (problem) problems.push_back(*problem);
  print_problems(arguments, problems);
  if (problem) return bad_input;
  if (!problems.empty()) {
    talk(fmt::format("{} found; these units are ignored.", quantity(problems.size(), "problem")));
    return found_something;
  }
  if (!arguments.json) print(fmt::format("{} is OK: a trace of {}.", name, quantity(events, "event")));
  talk(fmt::format("Next: omnipar trace replay {} --profile pad-2b", shell_word(name)));
  return good;
}

int run(const CheckArguments& arguments) {
  if (arguments.sources.profile.ends_with(".trace")) return check_trace(arguments);
  FoundProfile given = load(os::real_door(), arguments.sources);
  // A file without a profile is valid if all its contents are.
  const bool other_sheets = given.readable && !given.profile && !given.contents.empty();
  if (other_sheets) given.problems.clear();
  const std::string& name = arguments.sources.profile;
  Diagnostics said = given.problems;
  if (given.plan) std::ranges::copy(inspect::remarks(given.catalogue, *given.profile), std::back_inserter(said));
  print_problems(arguments, said);
  tell(given.elsewhere);
  // Requested sheets that do not exist, because then another file than intended was checked.
  if (std::ranges::find(given.elsewhere, "no-file", &Diagnostic::id) != given.elsewhere.end()) return bad_input;
  if (other_sheets) {
    if (!arguments.json) print(fmt::format("{} is OK: it contains {}.", name, given.contents));
    return good;
  }
  if (!given.plan) {
    talk(fmt::format("{} found.", quantity(given.problems.size(), "problem")));
    return given.readable ? found_something : bad_input;
  }
  if (const auto rig = load_rig(os::real_door(), arguments.sources); !rig)
    tell(rig.error());
  else if (const std::string elsewhere = seated_elsewhere(*rig, *given.plan); !elsewhere.empty())
    talk(fmt::format(
        "No port is played from the seat of {}. These units get a free seat when you press a button on them.",
        elsewhere));
  if (!arguments.json)
    print(fmt::format("{} is OK: {}, {}.", name, quantity(given.plan->seats().size(), "seat"),
                      quantity(given.plan->targets().size(), "target")));
  talk(fmt::format("Next: omnipar play {}", shell_word(name)));
  return good;
}

}  // namespace

void add_check(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("check", "Check a profile for mistakes before you play");
  const auto arguments = std::make_shared<CheckArguments>();
  command->add_option("PROFILE", arguments->sources.profile, "a profile, a machine, or any Omnipar file")->required();
  add_data_option(*command, arguments->sources);
  add_rig_option(*command, arguments->sources);
  command->add_flag("--json", arguments->json, "print JSON");
  command->footer(
      "Example: check the profile of Marrowby's cabinet:\n  omnipar check cabinet.toml\n"
      "Exit status: 0 OK, 1 the profile cannot be played as written, 2 the file is invalid.");
  command->callback([arguments, &status] { status = run(*arguments); });
}

}  // namespace omnipar::cli
