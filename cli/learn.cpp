// omnipar learn profile
#include <algorithm>
#include <cctype>
#include <memory>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/list.hpp"
#include "catalogue/lookup.hpp"
#include "changes.hpp"
#include "command.hpp"
#include "files/write.hpp"
#include "inspect/why.hpp"
#include "learn_arguments.hpp"
#include "learning_draft.hpp"
#include "omnipar/unit_learning.hpp"
#include "sources.hpp"
#include "watch_loop.hpp"

namespace omnipar::cli {

LearnOptions options_of(const LearnArguments& arguments) {
  constexpr std::pair<std::string_view, WhenUsed> uses[] = {
      {"ask", WhenUsed::ask}, {"both", WhenUsed::both}, {"move", WhenUsed::moved}, {"leave", WhenUsed::left}};
  LearnOptions options;
  options.all_units = arguments.all_units;
  for (const auto& [word, used] : uses)
    if (word == arguments.used) options.used = used;
  if (arguments.skip_after > 0) options.skip_after = seconds(arguments.skip_after);
  return options;
}

int learn_on(const LearnArguments& arguments, LearningRun& run) {
  const bool is_room = !arguments.sources.host.empty();
  LoopOptions run_options;
  run_options.is_room = is_room;
  run_options.from = seconds(arguments.from);
  run_options.speed = arguments.speed;
  run_options.step = arguments.step;
  const std::string ask = is_room ? "Press any button on the controller to learn." : run.who_is_there();
  run_options.begin = run.learning().unit().empty() ? ask : "";
  auto failure = go_live(run_options, arguments.json, run);
  if (!failure) failure = run.in_use();
  if (!failure) return good;
  tell({*failure});
  return is_room ? bad_input : machine_refuses;
}

namespace {

/// What is learned, and where it will be saved.
struct Goal {
  FoundProfile given;
  std::string path;
  bool is_new = false;  ///< a machine's proposal, or a copy under another name
  std::string name;     ///< its name in suggested commands
};

/// A machine's proposal is copied automatically, under a name of its own.
tl::expected<Goal, Diagnostics> goal_of(const LearnArguments& arguments) {
  os::Door& door = os::real_door();
  Goal goal;
  goal.given = load(door, arguments.sources);
  tell(goal.given.elsewhere);
  if (!goal.given.plan) return tl::unexpected(goal.given.problems);
  tell(goal.given.problems);
  const bool is_own = !goal.given.profile->place.empty();
  goal.name = !arguments.as.empty() ? arguments.as
              : is_own              ? arguments.sources.profile
                                    : "own-" + arguments.sources.profile;
  goal.is_new = !is_own || !arguments.as.empty();
  const auto path = profile_to_write(door, arguments.sources, goal.name);
  if (!path) return tl::unexpected(Diagnostics{path.error()});
  goal.path = *path;
  const bool is_there = !door.real_path(goal.path).empty();
  if (goal.is_new && is_there)
    return tl::unexpected(Diagnostics{
        learn_error("name-twice", "a profile of this name already exists",
                    fmt::format("to change it: omnipar learn profile {}; or choose another name with --as NAME",
                                shell_word(goal.name)),
                    goal.path)});
  if (goal.given.catalogue.system(goal.name) != nullptr)
    return tl::unexpected(Diagnostics{
        learn_error("name-twice", fmt::format("'{}' is the name of a machine", goal.name), "choose another name")});
  if (auto problem = files::refuses_change(door, goal.path, files::versions_of(door, goal.path)))
    return tl::unexpected(Diagnostics{std::move(*problem)});
  return goal;
}

/// The requested questions.
tl::expected<std::vector<Question>, Diagnostics> wanted_of(const LearnArguments& arguments, const FoundProfile& given) {
  std::vector<Question> questions = questions_for(given.catalogue, *given.profile, arguments.port, arguments.second);
  if (questions.empty())
    return tl::unexpected(
        Diagnostics{learn_error("unknown-port",
                                fmt::format("port {} of this profile has no controls{} to learn", arguments.port,
                                            arguments.second ? " for a second player" : ""),
                                "'omnipar profile show' lists the ports", arguments.sources.profile)});
  std::vector<std::string_view> names;
  for (const Question& question : questions) names.emplace_back(question.name);
  for (const std::string& name : arguments.only)
    if (std::ranges::find(names, name) == names.end())
      return tl::unexpected(Diagnostics{
          learn_error("unknown-target", fmt::format("port {} has no control '{}'", arguments.port, printable(name)),
                      catalogue::suggestion(name, names), "--only")});
  const auto port = std::ranges::find(given.profile->ports, arguments.port, &PortProfile::port);
  const auto is_own = [&](const std::string& target) {
    const bool is_direction = std::ranges::find(direction_names, target) != direction_names.end();
    return std::ranges::any_of(port->bind, [&](const Binding& binding) {
      return binding.target == target || (is_direction && binding.target == "directions");
    });
  };
  std::erase_if(questions, [&](const Question& question) {
    const bool is_wanted =
        arguments.only.empty() || std::ranges::find(arguments.only, question.name) != arguments.only.end();
    return !is_wanted || (arguments.missing && is_own(question.name));
  });
  return questions;
}

std::string seat_of(const LearnArguments& arguments, const Profile& profile) {
  const auto port = std::ranges::find(profile.ports, arguments.port, &PortProfile::port);
  if (port == profile.ports.end()) return "";
  return arguments.second ? port->second_seat : port->seat;
}

LearningRunOptions options_of(const LearnArguments& arguments, const FoundProfile& given,
                              const std::vector<Question>& questions) {
  LearningRunOptions run_options;
  run_options.session.catalogue = given.catalogue;
  run_options.session.profile = *given.profile;
  run_options.session.with_virtual = arguments.with_virtual;
  run_options.questions = questions;
  run_options.learning = options_of(arguments);
  run_options.learning.in_use = roles_in_use(given.catalogue, *given.profile, arguments.port, questions);
  run_options.port = arguments.port;
  run_options.seat = seat_of(arguments, *given.profile);
  run_options.unit = arguments.unit;
  run_options.feel = arguments.feel;
  run_options.leds = arguments.leds;
  run_options.title = fmt::format("{}, port {}, from seat {}", given.profile->name, arguments.port, run_options.seat);
  run_options.learning.adds = arguments.adds;
  return run_options;
}

// -- what is offered before anything is asked -----------------------------------------------------------------------

constexpr const char* map_offer = "map";
constexpr const char *by_place = "by place", *by_letter = "by letter";
constexpr const char *as_proposed = "use them", *change_some = "change some of them",
                     *ask_for_all = "learn every control";

/// The controls whose letter is also on the unit, but at another place.
std::vector<std::pair<std::string, Answer>> answers_by_letter(const LearningRun& run) {
  std::vector<std::pair<std::string, Answer>> all;
  for (const Question& question : run.learning().questions()) {
    if (question.name.size() != 1 || question.kind != TargetKind::button) continue;
    const auto letter = static_cast<char>(std::toupper(static_cast<unsigned char>(question.name[0])));
    const std::string role = run.role_labelled(std::string{letter});
    if (role.empty() || (question.now.size() == 1 && question.now[0] == role)) continue;
    Answer answer{Answer::State::given, {}};
    answer.sources.push_back({role, run.learning().unit()});
    all.emplace_back(question.name, std::move(answer));
  }
  return all;
}

void offer_map(LearningRun& run) {
  run.note("Proposed bindings:", false);
  for (const std::string& line : run.table()) run.note("  " + line, false);
  run.learning().offer({map_offer, "Current bindings:", {as_proposed, change_some, ask_for_all}});
}

/// The whole map is shown before any question; whether it goes by place or by letter is asked if it makes a difference.
void decide_map(LearningRun& run, const std::string& offer, const std::string& choice) {
  if (offer.empty()) {
    if (!answers_by_letter(run).empty()) {
      run.learning().offer(
          {map_offer, "Its letters are in other positions than the machine's. Match buttons", {by_place, by_letter}});
      return;
    }
    return offer_map(run);
  }
  if (choice == by_place || choice == by_letter) {
    if (choice == by_letter) run.learning().resume(answers_by_letter(run));
    return offer_map(run);
  }
  if (choice == as_proposed) run.learning().keep();
  if (choice == change_some) run.learning().choose(LearnChoice::keep);
}

/// The same command again.
std::string command_of(const LearnArguments& arguments) {
  std::string command = "omnipar learn profile " + shell_word(arguments.sources.profile);
  if (!arguments.as.empty()) command += " --as " + shell_word(arguments.as);
  if (arguments.port != 1) command += fmt::format(" --port {}", arguments.port);
  if (arguments.second) command += " --second";
  if (arguments.adds) command += " --add";
  if (!arguments.only.empty()) command += " --only " + shell_word(fmt::format("{}", fmt::join(arguments.only, ",")));
  if (!arguments.unit.empty()) command += " --unit " + shell_word(arguments.unit);
  if (arguments.all_units) command += " --all-units";
  if (arguments.with_virtual) command += " --with-virtual";
  return command + same_sources(arguments.sources);
}

nlohmann::ordered_json to_json(const LearningRun& run, const Goal& goal) {
  auto answers = nlohmann::ordered_json::array();
  for (std::size_t q = 0; q < run.learning().questions().size(); ++q) {
    const Answer& answer = run.learning().answers()[q];
    auto sources = nlohmann::ordered_json::array();
    for (const LearnedSource& source : answer.sources) sources.push_back(source.role);
    answers.push_back({{"target", run.learning().questions()[q].name},
                       {"state", answer.state == Answer::State::given       ? "given"
                                 : answer.state == Answer::State::skipped   ? "empty"
                                 : answer.state == Answer::State::as_before ? "as-before"
                                                                            : "open"},
                       {"sources", sources}});
  }
  return {{"kept", run.learning().kept()},
          {"file", run.learning().kept() ? goal.path : ""},
          {"unit", run.learning().unit()},
          {"answers", answers},
          {"not-asked", run.left_out()}};
}

struct Counted {
  std::size_t bound = 0;
  std::size_t empty = 0;
};

/// The source of one direction, derived from that of the group.
std::string direction_by(const std::string& source, std::string_view direction) {
  return source.empty() ? source : fmt::format("{}-{}", source, direction);
}

/// One line per target, with or without its sources; directions with different sources get a line each.
std::vector<inspect::Link> links_of(const FoundProfile& kept, int port) {
  std::vector<inspect::Link> all;
  for (inspect::Link& link : inspect::links(kept.catalogue, *kept.profile))
    if (link.port == port) all.push_back(std::move(link));
  const auto is_own = [&all](std::string_view direction) {
    return std::ranges::find(all, direction, &inspect::Link::target) != all.end();
  };
  if (std::ranges::none_of(direction_names, is_own)) return all;
  std::vector<inspect::Link> apart;
  for (const inspect::Link& link : all) {
    if (link.target != "directions") {
      apart.push_back(link);
      continue;
    }
    for (const std::string_view direction : direction_names) {
      if (is_own(direction)) continue;
      apart.push_back(link);
      apart.back().target = std::string{direction};
      apart.back().source = direction_by(link.source, direction);
    }
  }
  std::ranges::stable_sort(apart, {}, [](const inspect::Link& link) {
    return std::ranges::find(direction_names, link.target) - direction_names.begin();
  });
  return apart;
}

/// All current sources of the port, and where they are written.
Counted show_result(const FoundProfile& kept, int port) {
  Counted counted;
  std::string target;
  for (const inspect::Link& link : links_of(kept, port)) {
    const bool again = link.target == target;
    target = link.target;
    const std::size_t controls = link.target == "directions" ? direction_names.size() : 1;
    if (!again) (link.source.empty() ? counted.empty : counted.bound) += controls;
    const std::string source = link.source.empty() ? "(unassigned on purpose)" : link.source;
    print(fmt::format("  {:<20}{:<30}{}", again ? "" : link.target,
                      source + (link.shape.empty() ? "" : ", " + link.shape), link.origin));
  }
  return counted;
}

int keep(const LearnArguments& arguments, const Goal& goal, const LearningRun& run) {
  os::Door& door = os::real_door();
  const Profile& before = *goal.given.profile;
  Profile after = with_answers(goal.given.catalogue, before, arguments.port, run.learning(), arguments.adds);
  std::vector<files::Edit> edits = files::edits_between(before, after);
  if (goal.is_new) {
    after.name = files::profile_name(goal.name);
    if (const auto problems = files::write_new_profile(door, goal.path, after)) return refuse_file(*problems);
  } else if (const auto written = files::edit_profile(door, goal.path, goal.given.catalogue, edits); !written) {
    const int status = refuse_file(written.error());
    talk("Nothing was changed.");
    return status;
  }
  // The saved file is read back for certainty.
  Sources again = arguments.sources;
  again.profile = goal.path;
  const FoundProfile kept = load(door, again);
  if (!kept.plan || !files::edits_between(*kept.profile, after).empty()) {
    tell({learn_error("kept-otherwise", "the saved file differs from what was learned",
                      "'omnipar profile undo' restores the previous version", goal.path)});
    return machine_refuses;
  }
  if (arguments.json) {
    print_json(to_json(run, goal), 2);
    return good;
  }
  const auto [bound, empty] = show_result(kept, arguments.port);
  std::vector<std::string> changed;
  for (const files::Edit& edit : edits) changed.push_back(edit.keys.back());
  print(fmt::format("Saved to {}: port {}, {} of {} bound{}. Changed: {}.", goal.path, arguments.port, bound,
                    quantity(bound + empty, "control"),
                    empty == 0 ? "" : fmt::format(", {} unassigned on purpose", empty),
                    changed.empty() ? "nothing" : some_listed(changed, 16)));
  talk(fmt::format("Next: omnipar play {0}{1}, or to undo this: omnipar profile undo {0}", shell_word(goal.name),
                   same_host(arguments.sources.host)));
  return good;
}

/// Resumes an earlier session, or offers the current bindings.
std::optional<Diagnostic> begin_from(const LearnArguments& arguments, const std::string& file,
                                     LearningRunOptions& run_options) {
  os::Door& door = os::real_door();
  if (arguments.resume) {
    auto draft = read_draft(door, file);
    if (!draft) return draft.error();
    run_options.resumed = [draft = std::move(*draft)](const LearningRun& run) { return answers_of(draft, run); };
    return std::nullopt;
  }
  if (has_draft(door, file)) talk("An earlier session was not saved: --resume continues it.");
  if (arguments.asks_all || arguments.missing || arguments.adds || !arguments.only.empty()) return std::nullopt;
  run_options.learning.offers = {{map_offer, "Current bindings:", {as_proposed, change_some, ask_for_all}}};
  run_options.decided = decide_map;
  return std::nullopt;
}

int learn_profile(const LearnArguments& arguments) {
  auto goal = goal_of(arguments);
  if (!goal) return refuse_file(goal.error());
  const auto questions = wanted_of(arguments, goal->given);
  if (!questions) return refuse_file(questions.error());
  if (questions->empty()) {
    talk("All requested targets are already bound.");
    return good;
  }
  LearningRunOptions run_options = options_of(arguments, goal->given, *questions);
  const auto rig = load_rig(os::real_door(), arguments.sources);
  if (!rig) return refuse_file(rig.error());
  run_options.session.rig = *rig;
  const std::string& host = arguments.sources.host;
  if (!host.empty()) run_options.room = Room{host, trace_lines(os::real_door(), host), {}};
  if (const auto unknown = only_unknown_units(arguments.sources, goal->given.catalogue); !unknown.empty())
    talk(fmt::format("No sheet describes the controls of \"{}\". Run first: omnipar learn unit --form panel{}",
                     unknown.front(), same_host(arguments.sources.host)));
  os::Door& door = os::real_door();
  const std::string draft = draft_path(door, goal->path, arguments.port, arguments.second);
  if (const auto problem = begin_from(arguments, draft, run_options)) return refuse_file({*problem});
  auto run = LearningRun::open(std::move(run_options));
  if (!run) {
    tell(run.error());
    return host.empty() ? machine_refuses : bad_input;
  }
  const int status = learn_on(arguments, **run);
  const bool is_kept = status == good && (*run)->learning().kept();
  const int kept = is_kept ? keep(arguments, *goal, **run) : status;
  if (is_kept && kept == good) {
    static_cast<void>(door.remove(draft));
    return good;
  }
  if (arguments.json && !is_kept && status == good) print_json(to_json(**run, *goal), 2);
  put_by(door, draft, **run, command_of(arguments), draft_of(**run));
  return kept != good ? kept : found_something;
}

using SharedArguments = std::shared_ptr<LearnArguments>;

void add_common(CLI::App& verb, const SharedArguments& arguments) {
  add_data_option(verb, arguments->sources);
  add_host_option(verb, arguments->sources);
  verb.add_option("--used", arguments->used, "if another target already has the button: ask, both, move or leave")
      ->check(CLI::IsMember({"ask", "both", "move", "leave"}))
      ->capture_default_str();
  verb.add_option("--skip-after", arguments->skip_after, "skip a question after this many seconds (default: never)")
      ->check(number_between(1, 3600));
  verb.add_flag("--with-virtual", arguments->with_virtual, "include virtual controllers made by other programs");
  verb.add_option("--from", arguments->from, "with --host: start at this second")->check(number_between(0, 1e6));
  verb.add_option("--speed", arguments->speed, "with --host: speed, such as 2 for twice as fast")
      ->check(number_between(0.01, 1000))
      ->capture_default_str();
  verb.add_flag("--step", arguments->step, "with --host: start paused");
  verb.add_flag("--resume", arguments->resume, "continue an earlier session that was not saved");
  verb.add_flag("--json", arguments->json, "print the result as JSON");
}

constexpr const char* how_to =
    "An answer counts when you release it. Hold any button to open the menu (back, skip, again, save, quit): press\n"
    "for the next entry, hold to select it. Keep holding to skip to the end. Hold two buttons for 2 s to end the\n"
    "session: it is stored, and --resume continues it. Keys: b, s, e, a, o, k, q, as shown in the last line.\n";

void add_learn_profile(CLI::App& command, const SharedArguments& arguments, int& status) {
  CLI::App* verb = command.add_subcommand("profile", "bind a machine's controls by pressing your own");
  verb->add_option("PROFILE", arguments->sources.profile, "a profile, or a machine to create a profile for")
      ->required();
  add_common(*verb, arguments);
  add_rig_option(*verb, arguments->sources);
  verb->add_option("--as", arguments->as, "save under this name (default for a machine: 'own-' and its name)");
  verb->add_option("--port", arguments->port, "the port (default: 1)")->check(CLI::Range(1, 99));
  verb->add_flag("--second", arguments->second, "the second player's controls, on a plug for two");
  verb->add_option("--only", arguments->only, "only these controls, such as fire,start")->delimiter(',');
  verb->add_flag("--ask-all", arguments->asks_all, "ask for every control without showing the bindings first");
  verb->add_flag("--missing", arguments->missing, "only controls that are not bound yet");
  verb->add_flag("--add", arguments->adds, "add sources instead of replacing them");
  verb->add_option("--unit", arguments->unit, "the unit to press, by name (default: the unit at the port's seat)");
  verb->add_flag("--all-units", arguments->all_units, "accept answers from every unit");
  verb->add_flag("--feel", arguments->feel, "confirm each step with a short rumble");
  verb->add_flag("--leds", arguments->leds, "confirm each step on the unit's LEDs");
  verb->footer(fmt::format(
      "Example: player 1 of Marrowby's cabinet, using only the panel:\n  omnipar learn profile arcade-6b\n{}"
      "Exit status: 0 saved, 1 nothing was saved, 2 invalid profile or room, 3 the file cannot be written, or the unit "
      "is\nin use.",
      how_to));
  verb->callback([arguments, &status] { status = learn_profile(*arguments); });
}

void add_learn_unit(CLI::App& command, const SharedArguments& arguments, int& status) {
  CLI::App* verb = command.add_subcommand("unit", "write the sheet of an unknown model by pressing its controls");
  add_common(*verb, arguments);
  verb->add_option("--form", arguments->form,
                   fmt::format("what it looks like: {} (default: ask)", fmt::join(model_form_names(), ", ")));
  verb->add_option("--by", arguments->by, "name the face buttons by position or by letter (default: ask)")
      ->check(CLI::IsMember({"place", "letter"}));
  verb->add_option("--parts", arguments->parts, "its parts, one for each player, such as left,right")->delimiter(',');
  verb->add_option("--base", arguments->base,
                   "start from nothing, the kernel's convention, or the sheet of another model")
      ->capture_default_str();
  verb->add_option("--only", arguments->only, "only these roles, such as south,start")->delimiter(',');
  verb->add_option("--as", arguments->as, "the model's name (default: the name the unit reports)");
  verb->add_option("--unit", arguments->unit, "the unit, by name (default: the first unit pressed)");
  verb->footer(
      fmt::format("Example: an encoder for two players that looks like a keyboard:\n"
                  "  omnipar learn unit --form panel --parts left,right\n{}"
                  "Exit status: 0 saved, 1 nothing was saved, 2 invalid options or room, 3 the file cannot be written, "
                  "or the unit is in\nuse.",
                  how_to));
  verb->callback([arguments, &status] { status = learn_unit(*arguments); });
}

}  // namespace

void add_learn(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("learn", "Map controls by pressing them, for a machine or a new unit model");
  const auto arguments = std::make_shared<LearnArguments>();
  add_learn_profile(*command, arguments, status);
  add_learn_unit(*command, arguments, status);
  command->require_subcommand(1);
  command->footer("Example: player 1 of Marrowby's cabinet, using only the panel:\n  omnipar learn profile arcade-6b");
}

}  // namespace omnipar::cli
