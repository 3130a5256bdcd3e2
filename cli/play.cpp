// omnipar play PROFILE
#include <algorithm>
#include <memory>
#include <sstream>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/list.hpp"
#include "changes.hpp"
#include "command.hpp"
#include "evening/evening.hpp"
#include "evening/program.hpp"
#include "files/write.hpp"
#include "game_shots.hpp"
#include "learn_arguments.hpp"
#include "omnipar/calibrating.hpp"
#include "omnipar/sheets.hpp"
#include "play/record.hpp"
#include "sources.hpp"
#include "trace_file.hpp"
#include "views.hpp"

namespace omnipar::cli {
namespace {

struct PlayArguments {
  Sources sources;
  std::string keep;
  std::string learn;     ///< --learn: the form of an unknown unit
  std::string learn_as;  ///< and the name of its model
  std::string game_shots;
  bool keeps = false;  ///< --keep is given
  bool ranges_by_use = false;
  bool keep_ranges = false;
  bool with_virtual = false;
  bool show_plan = false;
  bool json = false;
  std::vector<std::string> command;
  double longest_wait = -1;
  double insist_after = 5;
  bool alone = false;
  bool urgent = false;
  double rumble = 100;
  bool feel = false;
  bool leds = false;
  bool notify = false;
  std::string record;
  bool stats = false;
};

/// Exit statuses of `play PROFILE -- COMMAND` that are not the command's own; shells use the same.
enum CommandStatus : int { could_not_go_on = 125, no_program = 126, no_such_program = 127 };

/// Plays a room and prints what the ports receive. Returns the final rig.
tl::expected<Rig, Diagnostics> play_room(const PlayArguments& arguments, const FoundProfile& given, Rig rig,
                                         std::vector<Calibration>& ranges) {
  SessionOptions options{*given.profile, given.catalogue, std::move(rig)};
  options.ranges_by_use = arguments.ranges_by_use || arguments.keep_ranges;
  return play_through(std::move(options),
                      {arguments.sources.host, trace_lines(os::real_door(), arguments.sources.host)}, arguments.json,
                      print, {}, &ranges);
}

/// Saves the profile and the seats under a name, for the next session.
int keep(const PlayArguments& arguments, const Profile& profile, const Rig& before, const Rig& after) {
  os::Door& door = os::real_door();
  Profile kept = profile;
  kept.name = files::profile_name(arguments.keep);
  const std::string profile_file = files::profile_path(door, arguments.keep);
  const std::string rig_file = rig_path(door, arguments.sources);
  // An existing profile is the one that was played.
  const auto map = [&](const std::string& old) -> files::Text { return old.empty() ? to_toml(kept) : old; };
  auto written = files::change_file(door, profile_file, files::versions_of(door, profile_file), map);
  if (written)
    written = files::change_rig(door, household_of(arguments.sources), [&](Rig& rig) -> std::optional<Diagnostic> {
      rig = files::with_changes(std::move(rig), before, after);
      return std::nullopt;
    });
  if (!written) return refuse_file(written.error());
  talk(fmt::format("Saved to {} and {}.\nNext time: omnipar play {}", profile_file, rig_file,
                   shell_word(arguments.keep)));
  return good;
}

/// Saves learned ranges, each unit's in its own file; calibrations are kept.
int keep_ranges(const PlayArguments& arguments, const Rig& rig, const std::vector<Calibration>& ranges) {
  int status = good;
  for (const Calibration& found : ranges) {
    const auto unit = std::ranges::find(rig.units, found.unit, &RigUnit::name);
    if (unit == rig.units.end()) {
      talk(fmt::format("The ranges of \"{}\" were not saved because it is not in the rig: omnipar rig add SEAT",
                       found.unit));
      continue;
    }
    const auto kept =
        change_calibration(arguments.sources, *unit, [&](Calibration& all) { all = merged(std::move(all), found); });
    if (!kept) {
      status = refuse_file(kept.error());
    } else {
      talk(fmt::format("Saved the range of {} of \"{}\" to {}.", quantity(found.axes.size(), "axis", "axes"),
                       found.unit, kept->file));
    }
  }
  if (ranges.empty()) talk("No axis went beyond its initial range on every side, so no range was saved.");
  return status;
}

/// --keep overwrites no other profile, which is checked before the session.
std::optional<Diagnostic> keeps_badly(const PlayArguments& arguments, const Catalogue& catalogue) {
  if (!arguments.keeps) return std::nullopt;
  os::Door& door = os::real_door();
  const auto path = profile_to_write(door, arguments.sources, arguments.keep);
  if (!path) return path.error();
  if (const auto rig = rig_to_write(door, arguments.sources); !rig) return rig.error();
  if (catalogue.system(arguments.keep) != nullptr)
    return Diagnostic{"name-twice", Severity::error, fmt::format("'{}' is the name of a machine", arguments.keep), "",
                      "choose another name for --keep"};
  const std::string there = door.real_path(*path);
  if (!there.empty() && there != door.real_path(files::profile_path(door, arguments.sources.profile)))
    return Diagnostic{"name-twice", Severity::error, "a profile of this name already exists", *path,
                      "choose another name for --keep"};
  for (const std::string& file : {*path, rig_path(door, arguments.sources)})
    if (auto problem = files::refuses_change(door, file, files::versions_of(door, file))) return problem;
  return std::nullopt;
}

/// Plays with the connected units. Returns how it ended, with the final rig.
evening::Played play_here(const PlayArguments& arguments, const FoundProfile& given, const Rig& rig, LineFile* file) {
  constexpr double percent = 0.01;
  evening::Options run_options;
  play::RecordOptions recording;
  recording.listen.catalogue = &given.catalogue;
  recording.say = talk;
  recording.put = [file](const std::string& line) { return file->put(line); };
  std::optional<play::SessionRecording> recorder;
  if (file != nullptr) recorder.emplace(std::move(recording)).listen_to(run_options.session);
  run_options.session.catalogue = given.catalogue;
  run_options.session.rig = rig;
  run_options.session.profile = *given.profile;
  run_options.session.with_virtual = arguments.with_virtual;
  run_options.session.ranges_by_use = arguments.ranges_by_use || arguments.keep_ranges;
  run_options.session.measures = arguments.stats;
  run_options.session.rumble = arguments.rumble * percent;
  run_options.say = talk;
  run_options.command = arguments.command;
  if (arguments.longest_wait >= 0) run_options.longest_wait = seconds(arguments.longest_wait);
  run_options.insist_after = seconds(arguments.insist_after);
  run_options.alone = arguments.alone;
  run_options.urgent = arguments.urgent;
  run_options.feedback.feel = arguments.feel;
  run_options.feedback.leds = arguments.leds;
  run_options.feedback.notify = arguments.notify;
  evening::Played played = evening::play(os::real_door(), run_options);
  if (arguments.stats)
    for (const std::string& line : evening::lines_of(played.stats)) talk(line);
  if (recorder && file->failure() < 0) {
    tell_full(arguments.record, file->failure());
  } else if (recorder) {
    talk(fmt::format("Recorded {} to {}. To replay it: omnipar trace replay {} --profile {}",
                     quantity(recorder->recorded().reports, "report"), arguments.record, shell_word(arguments.record),
                     shell_word(arguments.sources.profile)));
  }
  return played;
}

/// Errors in the arguments themselves.
std::optional<Diagnostic> refused_words(const PlayArguments& arguments) {
  const bool here = arguments.sources.host.empty();
  if (!here && !arguments.command.empty())
    return Diagnostic{"no-room-for-a-program", Severity::error, "a program cannot be started with a room", "",
                      "remove --host or the program"};
  if (!here && !arguments.record.empty())
    return Diagnostic{"recording-of-a-recording", Severity::error, "a room cannot be recorded again",
                      arguments.sources.host, "remove --record; 'omnipar trace cut' copies a trace"};
  if (arguments.alone && arguments.command.empty())
    return Diagnostic{"alone-without-a-program", Severity::error,
                      "--alone hides units from a program, but no program is given", "",
                      "add the program at the end: omnipar play pad-2b --alone -- my-emulator"};
  return std::nullopt;
}

nlohmann::ordered_json to_json(const Plan& plan, const std::string& listing) {
  auto ports = nlohmann::ordered_json::array();
  for (const PortInfo& port : plan.ports()) {
    auto targets = nlohmann::ordered_json::array();
    for (std::size_t t = 0; t < port.target_count; ++t) targets.push_back(plan.targets()[port.first_target + t].name);
    ports.push_back(
        {{"port", port.number}, {"seat", port.seat}, {"controller", port.controller}, {"targets", targets}});
  }
  auto lines = nlohmann::ordered_json::array();
  std::istringstream text{listing};
  for (std::string line; std::getline(text, line);) lines.push_back(line);
  return {{"name", plan.name()},
          {"system", plan.system()},
          {"frame_us", plan.frame().count()},
          {"state_bytes", plan.state_size()},
          {"ports", ports},
          {"listing", lines}};
}

/// Learns the sheet of an unknown unit, then plays with it.
int learn_first(const PlayArguments& arguments, Sources& sources) {
  LearnArguments learn;
  learn.sources = arguments.sources;
  learn.form = arguments.learn;
  learn.as = arguments.learn_as;
  learn.with_virtual = arguments.with_virtual;
  std::string kept;
  const int status = learn_unit(learn, &kept);
  if (status == good && !arguments.sources.host.empty()) sources.data.push_back(kept);
  return status;
}

/// Reminds users of a profile that they made for this machine.
void name_own_map(const PlayArguments& arguments, const FoundProfile& given) {
  os::Door& door = os::real_door();
  const std::string own = "own-" + arguments.sources.profile;
  const bool is_machine = given.catalogue.system(arguments.sources.profile) != nullptr && given.profile->place.empty();
  if (is_machine && arguments.sources.host.empty() && !door.real_path(files::profile_path(door, own)).empty())
    talk(fmt::format("These are the default bindings. For your own: omnipar play {}", shell_word(own)));
}

/// Offers to learn if no connected unit is playable.
void offer_to_learn(const PlayArguments& arguments, const Catalogue& catalogue) {
  const std::vector<std::string> unknown = only_unknown_units(arguments.sources, catalogue);
  if (unknown.empty()) return;
  talk(
      fmt::format("No sheet describes the controls of \"{}\".\nTo learn them by pressing, then play: omnipar play {} "
                  "--learn panel{} (or pad, gun, wheel, yoke, mat, ball, spinner)",
                  unknown.front(), shell_word(arguments.sources.profile), same_host(arguments.sources.host)));
}

/// Command-line options override the profile's own settings.
Diagnostics with_game_shots(const PlayArguments& arguments, FoundProfile& given) {
  if (auto problem = add_game_shots(given.catalogue, arguments.game_shots, *given.profile))
    return {std::move(*problem)};
  auto plan = compile(given.catalogue, *given.profile);
  if (!plan) return plan.error();
  given.plan = std::move(*plan);
  talk(
      "When the game asks for its calibration shots, hold start for 1.5 s (or use the profile's binding). Each pull of "
      "the trigger then gives the next position exactly.");
  return {};
}

int show_plan(const PlayArguments& arguments, const Plan& plan) {
  std::string listing = plan.listing();
  listing.pop_back();
  if (arguments.json)
    print_json(to_json(plan, listing), 2);
  else
    print(listing);
  return good;
}

int run(const PlayArguments& arguments) {
  os::Door& door = os::real_door();
  // With a command, every failure on our side has one status, which other programs hardly use.
  const auto ours = [&arguments](int status) { return arguments.command.empty() ? status : int{could_not_go_on}; };
  if (const auto problem = refused_words(arguments)) {
    tell({*problem});
    return ours(bad_input);
  }
  if (!arguments.command.empty()) {
    const auto found = evening::Program::find(door, arguments.command.front());
    if (!found) tell({found.error()});
    if (!found) return found.error().id == "no-program" ? no_program : no_such_program;
  }
  Sources sources = arguments.sources;
  if (!arguments.learn.empty())
    if (const int status = learn_first(arguments, sources); status != good) return ours(status);
  FoundProfile given = load(door, sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan) return ours(bad_input);
  if (!arguments.game_shots.empty())
    if (const Diagnostics problems = with_game_shots(arguments, given); !problems.empty()) {
      tell(problems);
      return ours(bad_input);
    }
  if (const auto problem = keeps_badly(arguments, given.catalogue)) {
    tell({*problem});
    return ours(problem->id == "cannot-write" ? machine_refuses : bad_input);
  }
  auto rig = load_rig(door, arguments.sources);
  if (!rig && arguments.keeps && rig.error().front().id == "no-file") rig = Rig{};  // it will be a new one
  if (!rig) {
    tell(rig.error());
    return ours(bad_input);
  }
  if (arguments.show_plan) return show_plan(arguments, *given.plan);
  name_own_map(arguments, given);
  offer_to_learn(arguments, given.catalogue);
  Rig after = *rig;
  std::vector<Calibration> ranges;
  int status = good;
  if (!arguments.sources.host.empty()) {
    auto played = play_room(arguments, given, *rig, ranges);
    if (!played) {
      tell(played.error());
      return ours(bad_input);
    }
    after = std::move(*played);
  } else {
    std::optional<os::Descriptor> file;
    if (!arguments.record.empty() && !(file = new_file(arguments.record, status))) return ours(status);
    std::optional<LineFile> lines;
    if (file) lines.emplace(door, file->get());
    const evening::Played played = play_here(arguments, given, *rig, lines ? &*lines : nullptr);
    if (played.how == evening::End::failed) return ours(machine_refuses);
    after = played.rig;
    ranges = played.ranges;
    status = played.program_status.value_or(ours(good));
  }
  if (arguments.keep_ranges)
    if (const int kept = keep_ranges(arguments, after, ranges); kept != good && arguments.command.empty())
      status = kept;
  if (arguments.keeps) {
    const int kept = keep(arguments, *given.profile, *rig, after);
    return kept == good || !arguments.command.empty() ? status : kept;
  }
  if (after.units.size() > rig->units.size())
    talk("Nothing was saved. To save the bindings and seats for next time, use --keep NAME.");
  return status;
}

}  // namespace

void add_play(CLI::App& app, int& status, const std::vector<std::string>& program) {
  CLI::App* command = app.add_subcommand("play", "Play: each player presses a button to get a seat");
  const auto arguments = std::make_shared<PlayArguments>();
  command
      ->add_option("PROFILE", arguments->sources.profile,
                   "a machine such as pad-2b, one of your profiles, or a file such as cabinet.toml")
      ->required();
  add_data_option(*command, arguments->sources);
  add_rig_option(*command, arguments->sources);
  add_host_option(*command, arguments->sources);
  command->add_option("--learn", arguments->learn,
                      "learn an unknown unit first: pad, panel, gun, wheel, yoke, mat, ball or spinner");
  command->add_option("--learn-as", arguments->learn_as, "with --learn: the model's name, or the sheet's file");
  CLI::Option* keep =
      command->add_option("--keep", arguments->keep, "save the bindings and the seats under this name on exit");
  command->add_flag("--ranges-by-use", arguments->ranges_by_use,
                    "learn the ranges of uncalibrated sticks and triggers while playing");
  command->add_flag("--keep-ranges", arguments->keep_ranges,
                    "like --ranges-by-use, and save the learned ranges on exit");
  command->add_option("--game-shots", arguments->game_shots,
                      "where the game asks for calibration shots, as fractions of its picture: \"0.1,0.1 0.9,0.9\"");
  command->add_option("COMMAND", arguments->command,
                      "after '--': the program to start once everyone is seated, and its arguments");
  command
      ->add_option("--wait-at-most", arguments->longest_wait,
                   "with a command: seconds to wait for disconnected units (0 starts at once)")
      ->check(number_between(0, 86'400));
  command
      ->add_option("--insist-after", arguments->insist_after,
                   "with a command: seconds from asking it to quit until it is killed")
      ->check(number_between(0, 3600))
      ->capture_default_str();
  command->add_flag("--alone", arguments->alone,
                    "hide the units from the program, so that it uses only the virtual controllers");
  command->add_option("--rumble", arguments->rumble, "rumble strength in percent (0 turns it off)")
      ->check(number_between(0, 100))
      ->capture_default_str();
  command->add_flag("--feel", arguments->feel,
                    "signal changes by rumble pulses: 1 resumed or unit back, 2 frozen, 3 swapped, 4 unit lost");
  command->add_flag("--leds", arguments->leds,
                    "show ports on the units' player LEDs: none while frozen, all when a unit is lost");
  command->add_flag("--notify", arguments->notify, "show changes as desktop notifications");
  command->add_option("--record", arguments->record, "record all input to this file, for 'omnipar trace replay'");
  command->add_flag("--urgent", arguments->urgent, "ask for real-time priority");
  command->add_flag("--stats", arguments->stats, "print latency and lost events on exit");
  command->add_flag("--json", arguments->json,
                    "with --host: print what the ports receive as JSON Lines (with --show-plan: the plan as JSON)");
  command->add_flag("--with-virtual", arguments->with_virtual, "include virtual controllers made by other programs");
  command->add_flag("--show-plan", arguments->show_plan, "print the plan without playing");
  command->footer(
      "Example: the two pads from Marrowby's shelf, on any machine with two-button pads:\n"
      "  omnipar play pad-2b\n"
      "Start a program once everyone is seated, and exit with it:\n  omnipar play pad-2b --alone -- "
      "/usr/games/marrowby-emulator --fullscreen\n"
      "To end, press Ctrl-C, or hold start and select on one controller for 2 s.\nExit status: 0 ended, 2 unknown "
      "machine or invalid profile, 3 access was denied (see 'omnipar doctor').\nWith a command: the command's own "
      "status, 128 + the signal that killed it, 125 if it was not started or\nOmnipar failed, 126 if it is not "
      "executable, 127 if it was not found.");
  command->callback([arguments, keep, program, &status] {
    arguments->command.insert(arguments->command.end(), program.begin(), program.end());
    arguments->keeps = keep->count() > 0;
    status = run(*arguments);
  });
}

}  // namespace omnipar::cli
