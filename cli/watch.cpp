// omnipar watch [PROFILE]
#include <algorithm>
#include <cstdio>
#include <memory>
#include <optional>

#include <fmt/format.h>

#include "base/list.hpp"
#include "command.hpp"
#include "omnipar/sheets.hpp"
#include "picture_file.hpp"
#include "sources.hpp"
#include "style.hpp"
#include "view/terminal.hpp"
#include "watch_loop.hpp"
#include "watching.hpp"

namespace omnipar::cli {
namespace {

struct WatchArguments {
  Sources sources;
  bool once = false;
  bool tick_off = false;
  bool raw = false;
  bool json = false;
  bool grab = false;
  bool with_virtual = false;
  bool step = false;
  std::string size;
  std::string picture;
  double from = -1;
  double speed = 1;
  double at_most = -1;
  std::vector<int> players;
};

std::optional<view::Size> parsed_size(const std::string& word) {
  view::Size size;
  int used = 0;
  if (std::sscanf(word.c_str(), "%4dx%4d%n", &size.width, &size.height, &used) != 2 ||
      static_cast<std::size_t>(used) != word.size())
    return std::nullopt;
  if (size.width < view::smallest_width || size.height < view::smallest_height || size.width > 1000 ||
      size.height > 1000)
    return std::nullopt;
  return size;
}

/// Errors in the arguments themselves.
std::optional<Diagnostic> refused_words(const WatchArguments& arguments) {
  const auto refuse = [](std::string id, std::string message, std::string hint) {
    return Diagnostic{std::move(id), Severity::error, std::move(message), "", std::move(hint)};
  };
  if (arguments.tick_off && arguments.sources.profile.empty())
    return refuse("no-profile-to-tick-off", "--tick-off requires a profile",
                  "for example: omnipar watch pad-2b --tick-off");
  if (!arguments.tick_off && !arguments.players.empty())
    return refuse("players-of-nothing", "--players requires --tick-off", "add --tick-off");
  if (arguments.sources.host.empty() && (arguments.from >= 0 || arguments.step || arguments.speed != 1))
    return refuse("no-room", "--from, --speed and --step require a room", "name a room with --host");
  if (!arguments.size.empty() && !parsed_size(arguments.size))
    return refuse("bad-size", fmt::format("invalid size '{}'", arguments.size),
                  "expected COLUMNSxROWS from 20x5 to 1000x1000, for example 120x36");
  return std::nullopt;
}

/// The place of the session's own failures: a room is a file.
Status refusal(const WatchArguments& arguments) { return arguments.sources.host.empty() ? machine_refuses : bad_input; }

int show_once(const WatchArguments& arguments, Watching& watching) {
  os::Door& door = os::real_door();
  if (arguments.sources.host.empty()) {
    // Until sockets and streaming pads have been recognised.
    constexpr Duration a_moment{400'000};
    const Time end = door.now() + a_moment;
    while (door.now() < end) {
      watching.session().wait(end);
      watching.process(door.now());
    }
  } else {
    watching.run(arguments.from < 0 ? latest_time : at_us(0) + seconds(arguments.from));
    watching.run(watching.session().now() + watching.session().plan().frame());  // the machine sees it one frame later
  }
  if (const auto& failure = watching.session().failure()) {
    tell({*failure});
    return refusal(arguments);
  }
  if (arguments.json) {
    print_json(watching.seen_json(), 2);
    return good;
  }
  const auto asked = arguments.size.empty() ? view::terminal_size(door, 1) : parsed_size(arguments.size);
  const view::Size size = asked.value_or(view::Size{});
  view::Canvas canvas{size.width, size.height, view::locale_is_utf8()};
  view::Page page = watching.page();
  page.words.raw = arguments.raw;
  if (!arguments.sources.host.empty()) page.aside = seconds_words(watching.session().now());
  view::draw(canvas, watching.seen(), page);
  std::vector<std::string> lines = canvas.lines();
  while (!lines.empty() && lines.back().empty()) lines.pop_back();
  for (const std::string& line : lines) print(line);
  return good;
}

int end_of_ticks(const WatchArguments& arguments, const Watching& watching, bool all_players) {
  if (arguments.json)
    print_json(watching.ticks_json(), 2);
  else
    for (const std::string& line : watching.ticks()->result()) print(line);
  const bool whole = all_players ? watching.ticks()->complete() : watching.ticks()->complete_for_those_there();
  return whole ? good : found_something;
}

/// Loads profile, catalogue and rig. Returns false after printing the problems.
bool find_files(const WatchArguments& arguments, SessionOptions& session) {
  os::Door& door = os::real_door();
  if (arguments.sources.profile.empty()) {
    FoundSheets shelf = load_shelf(door, arguments.sources);
    tell(shelf.problems);
    session.catalogue = std::move(shelf.catalogue);
    watch_units_only(session);
  } else {
    FoundProfile given = load(door, arguments.sources);
    tell(given.elsewhere);
    tell(given.problems);
    if (!given.plan) return false;
    session.catalogue = std::move(given.catalogue);
    session.profile = std::move(*given.profile);
  }
  auto rig = load_rig(door, arguments.sources);
  if (!rig) tell(rig.error());
  if (rig) session.rig = std::move(*rig);
  return rig.has_value();
}

LoopOptions loop_options(const WatchArguments& arguments) {
  LoopOptions options;
  options.is_room = !arguments.sources.host.empty();
  options.prints = arguments.json && !arguments.tick_off;
  options.raw = arguments.raw;
  options.step = arguments.step;
  options.speed = arguments.speed;
  if (arguments.from > 0) options.from = seconds(arguments.from);
  if (arguments.at_most >= 0) options.at_most = seconds(arguments.at_most);
  return options;
}

/// The paths of all pointers that have moved.
int draw_paths(const WatchArguments& arguments, Watching& watching) {
  const Plan& plan = watching.session().plan();
  return draw_picture(
      arguments.picture, "no pointer has moved", [&](const draw::Pictures& pictures, draw::Format format) {
        std::vector<draw::PointerPath> paths;
        constexpr std::size_t most = 4;
        for (const inspect::SeenPort& port : watching.seen().ports())
          for (const inspect::SeenTarget& target : port.targets) {
            if (target.path.empty() || paths.size() == most) continue;
            draw::PointerPath& path = paths.emplace_back();
            path.title = fmt::format("Port {}, {}", port.number, target.name);
            if (const auto& area = plan.area())
              path.shape = area->box.width * plan.screen_size().width / (area->box.height * plan.screen_size().height);
            for (const inspect::SeenPoint& at : target.path) path.places.push_back({{at.x, at.y}, at.on});
            for (const inspect::SeenPoint& at : target.shots) path.shots.push_back({{at.x, at.y}, at.on});
          }
        return paths.empty() ? std::string{} : pictures.path(std::string{plan.name()}, paths, format);
      });
}

/// A requested player that the profile does not have, or none.
std::optional<Diagnostic> missing_player(const WatchArguments& arguments, const Watching& watching) {
  std::vector<std::string> there;
  for (const inspect::SeenPort& port : watching.seen().ports()) there.push_back(std::to_string(port.number));
  for (const int player : arguments.players)
    if (std::ranges::find(there, std::to_string(player)) == there.end())
      return Diagnostic{"unknown-port", Severity::error, fmt::format("this profile has no port {}", player),
                        "--players", "its ports are: " + some_listed(there, 16)};
  return std::nullopt;
}

/// Draws, ticks off or prints samples until it ends.
int watch_on(const WatchArguments& arguments, Watching& watching, bool all_players) {
  os::Door& door = os::real_door();
  // A JSON result may go to a file while the terminal of the messages is drawn on.
  const int stream = arguments.json ? 2 : 1;
  const bool can_do_without = arguments.tick_off || arguments.json;
  std::unique_ptr<view::Terminal> terminal;
  if (!arguments.json || arguments.tick_off) {
    auto opened = view::Terminal::open(door, stream, has_colours(stream));
    if (!opened && !can_do_without) {
      tell({opened.error()});
      return machine_refuses;
    }
    if (opened) terminal = std::move(*opened);
  }
  if (!terminal) watching.say_to(talk);
  if (!terminal && arguments.tick_off)
    talk("Press every control of every player. To end, use the exit combination or Ctrl-C.");
  WatchLoop loop{door, loop_options(arguments), watching};
  const auto failure = loop.run(terminal.get());
  terminal.reset();
  if (failure) tell({*failure});
  if (failure) return refusal(arguments);
  return arguments.tick_off ? end_of_ticks(arguments, watching, all_players) : good;
}

int run(const WatchArguments& arguments) {
  const auto problem_of_picture = refuses_picture(arguments.picture);
  if (const auto problem = problem_of_picture ? problem_of_picture : refused_words(arguments)) {
    tell({*problem});
    return bad_input;
  }
  WatchingOptions options;
  options.ticks = arguments.tick_off;
  options.players = arguments.players;
  options.session.with_virtual = arguments.with_virtual;
  options.session.grab = arguments.grab;
  if (!find_files(arguments, options.session)) return bad_input;
  // A machine may have more ports than players; a user's profile has those that are needed.
  const bool all_players = !arguments.players.empty() || !options.session.profile.place.empty();
  const std::string& host = arguments.sources.host;
  if (!host.empty()) options.room = Room{host, trace_lines(os::real_door(), host), {}};
  if (arguments.json && !arguments.once && !arguments.tick_off) {
    results_are_lines();
    options.samples = print;
  }
  auto watching = Watching::open(std::move(options));
  if (!watching) tell(watching.error());
  if (!watching) return refusal(arguments);
  if (const auto problem = missing_player(arguments, **watching)) {
    tell({*problem});
    return bad_input;
  }
  const int status = arguments.once ? show_once(arguments, **watching) : watch_on(arguments, **watching, all_players);
  if (arguments.picture.empty() || status == bad_input || status == machine_refuses) return status;
  const int drawn = draw_paths(arguments, **watching);
  return drawn == good ? status : drawn;
}

}  // namespace

void add_watch(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("watch", "Show live input and what each port receives");
  const auto arguments = std::make_shared<WatchArguments>();
  command->add_option("PROFILE", arguments->sources.profile,
                      "a machine such as pad-2b, or a profile (default: show only the units)");
  add_data_option(*command, arguments->sources);
  add_rig_option(*command, arguments->sources);
  add_host_option(*command, arguments->sources);
  command->add_flag("--tick-off", arguments->tick_off,
                    "tick off each control that the machine receives, and end when all players are complete");
  command
      ->add_option("--players", arguments->players,
                   "with --tick-off: the players to complete, such as 1,2 (default: all ports of a profile; of a "
                   "machine, all seated players)")
      ->delimiter(',');
  command->add_option("--at-most", arguments->at_most, "end after this many seconds")->check(number_between(0, 86'400));
  command->add_flag("--raw", arguments->raw, "show the units' raw values and codes");
  command->add_flag("--once", arguments->once, "print one picture and exit");
  command->add_option("--size", arguments->size, "with --once: columns and rows, such as 120x36");
  command->add_option("--from", arguments->from, "with --host: start at this second (with --once: show this second)")
      ->check(number_between(0, 1e6));
  command->add_option("--speed", arguments->speed, "with --host: speed, such as 2 for twice as fast")
      ->check(number_between(0.01, 1000))
      ->capture_default_str();
  command->add_flag("--step", arguments->step, "with --host: start paused");
  command->add_option("--picture", arguments->picture,
                      "draw all pointer paths and the last shots to this .svg or .png file on exit");
  command->add_flag("--grab", arguments->grab, "grab the units, so that no other program receives their input");
  command->add_flag("--with-virtual", arguments->with_virtual, "include virtual controllers made by other programs");
  command->add_flag("--json", arguments->json,
                    "print samples as JSON Lines (with --once, the whole state, with --tick-off, the result)");
  command->footer(
      "Example: check the wiring of Marrowby's cabinet:\n  omnipar watch cabinet.toml --tick-off\n"
      "Find out which control is which on any unit:\n  omnipar watch\n"
      "[name] means pressed; with --tick-off, a tick means that the machine received it. Keys: q quits, r shows "
      "raw\nvalues; with --host, space pauses and n steps to the next event. These keys do not work on a keyboard that "
      "is\nbeing watched; there, press Ctrl-C twice to quit.\nExit status: 0 ended, or all ticked off, 1 some controls "
      "are not ticked off, 2 invalid profile or room, 3 no\nterminal, or access was denied (see 'omnipar doctor').");
  command->callback([arguments, &status] { status = run(*arguments); });
}

}  // namespace omnipar::cli
