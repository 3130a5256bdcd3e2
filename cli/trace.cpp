// omnipar trace record|replay|cut
#include <algorithm>
#include <memory>
#include <set>

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "files/read.hpp"
#include "omnipar/identity.hpp"
#include "play/record.hpp"
#include "sources.hpp"
#include "trace_file.hpp"
#include "views.hpp"
#include "base/list.hpp"

namespace omnipar::cli {
namespace {

struct TraceArguments {
  Sources sources;
  std::string file;
  std::string against;
  std::string about;
  double seconds = 0;
  bool json = false;
  bool with_virtual = false;
  bool with_keys = false;
  bool raw = false;
  std::string piece;
  double from = 0;
  double to = -1;
  std::vector<std::string> units;
};

Duration seconds(double count) { return Duration{static_cast<std::int64_t>(count * 1e6)}; }

int record(const TraceArguments& arguments) {
  os::Door& door = os::real_door();
  int status = good;
  const auto file = new_file(arguments.file, status);
  if (!file) return status;
  LineFile lines{door, file->get()};
  play::RecordOptions options;
  options.about = arguments.about;
  const FoundSheets shelf = load_shelf(door, arguments.sources);
  tell(shelf.problems);
  options.listen.catalogue = &shelf.catalogue;
  options.listen.with_virtual = arguments.with_virtual;
  if (arguments.seconds > 0) options.listen.longest = seconds(arguments.seconds);
  options.put = [&](const std::string& line) { return lines.put(line); };
  options.say = talk;
  options.listen.say = talk;
  options.with_keys = arguments.with_keys;
  options.listen.raw = arguments.raw;
  talk("Recording. Press Ctrl-C to end.");
  const auto recorded = play::record(door, options);
  if (!recorded) {
    tell({recorded.error()});
    return machine_refuses;
  }
  if (lines.failure() < 0) {
    tell_full(arguments.file, lines.failure());
    return machine_refuses;
  }
  if (arguments.json)
    print_json(nlohmann::ordered_json{{"file", arguments.file},
                                      {"reports", recorded->reports},
                                      {"raw-reports", recorded->raw},
                                      {"keys-left-out", recorded->left_out},
                                      {"units-with-gaps", recorded->gaps}});
  else
    print(fmt::format("{}: {}{}", arguments.file, quantity(recorded->reports, "report"),
                      arguments.raw || recorded->raw > 0 ? fmt::format(" and {} raw ones", recorded->raw) : ""));
  if (!recorded->gaps.empty())
    talk(
        fmt::format("It has gaps because another program grabbed {} for a while. A grabbed unit cannot be recorded; to "
                    "record while playing, use 'omnipar play --record'.",
                    some_listed(recorded->gaps)));
  if (recorded->left_out > 0)
    talk(fmt::format("Omitted {} press{} of keyboard keys, which may be typed text. To record them, use --with-keys.",
                     recorded->left_out, recorded->left_out == 1 ? "" : "es"));
  talk(fmt::format("Next: omnipar trace replay {} --profile pad-2b", shell_word(arguments.file)));
  return good;
}

/// Compares each line with a file of stored samples.
class Comparison {
 public:
  Comparison(os::Door& door, const std::string& path) : stored_(door, path) {}

  void add(const std::string& line) {
    ++number_;
    if (done()) return;
    const auto wanted = next();
    if (!problem_ && wanted != line) differ(wanted, line);
  }

  void end() {
    if (done()) return;
    const auto more = next();
    ++number_;
    if (!problem_ && more) differ(more, std::nullopt);
  }

  [[nodiscard]] const std::optional<Diagnostic>& problem() const noexcept { return problem_; }
  [[nodiscard]] bool differs() const noexcept { return differs_; }
  [[nodiscard]] std::size_t lines() const noexcept { return number_; }

 private:
  [[nodiscard]] bool done() const noexcept { return problem_ || differs_; }

  std::optional<std::string> next() {
    auto line = stored_.next();
    if (!line) {
      problem_ = line.error();
      return std::nullopt;
    }
    return *line ? std::optional<std::string>{**line} : std::nullopt;
  }

  void differ(const std::optional<std::string>& wanted, const std::optional<std::string>& got) {
    differs_ = true;
    print(fmt::format("line {} differs\n  stored: {}\n  now:    {}", number_, wanted.value_or("(the end)"),
                      got.value_or("(the end)")));
  }

  files::LineReader stored_;
  std::size_t number_ = 0;
  bool differs_ = false;
  std::optional<Diagnostic> problem_;
};

int compared(const TraceArguments& arguments, Comparison& comparison) {
  comparison.end();
  if (comparison.problem()) {
    tell({*comparison.problem()});
    return bad_input;
  }
  if (comparison.differs()) return found_something;
  print(fmt::format("{}, all as in {}", quantity(comparison.lines(), "sample"), arguments.against));
  return good;
}

int replay(const TraceArguments& arguments) {
  os::Door& door = os::real_door();
  const FoundProfile given = load(door, arguments.sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan) return bad_input;
  const auto rig = load_rig(door, arguments.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  std::optional<Comparison> comparison;
  LineSink sink = print;
  if (!arguments.against.empty()) {
    comparison.emplace(door, arguments.against);
    sink = [&comparison](const std::string& line) { comparison->add(line); };
  }
  const bool samples = arguments.json || comparison.has_value();
  const auto played = play_through({*given.profile, given.catalogue, *rig},
                                   {arguments.file, trace_lines(door, arguments.file)}, samples, sink);
  if (!played) {
    tell(played.error());
    return bad_input;
  }
  return comparison ? compared(arguments, *comparison) : good;
}

/// The numbers of the nodes whose units have these names; nothing after printing that a name matches none, or that the
/// part is beyond the trace's end.
std::optional<std::vector<int>> nodes_called(const TraceArguments& arguments) {
  std::vector<int> nodes;
  Time end{};
  std::set<std::string> met;
  std::set<std::string> there;
  const auto problem =
      read_trace(os::real_door(), arguments.file, [&](const TraceEvent& event, const Description& unit) {
        end = event.time;
        there.insert('"' + printable(unit.name) + '"');
        for (const std::string& name : arguments.units) {
          if (unit.name != name && printable(unit.name) != name) continue;
          met.insert(name);
          if (std::ranges::find(nodes, event.node) == nodes.end()) nodes.push_back(event.node);
        }
        return true;
      });
  if (problem) tell({*problem});
  for (const std::string& name : arguments.units)
    if (!problem && !met.contains(name))
      tell({{"no-such-unit", Severity::error, fmt::format("there is no unit '{}'", printable(name)), arguments.file,
             fmt::format("units: {}", fmt::join(there, ", "))}});
  if (!problem && Time{seconds(arguments.from)} > end) {
    tell({{"bad-piece", Severity::error,
           fmt::format("the part starts at {} s, but the trace ends at {} s", arguments.from,
                       static_cast<double>(end.time_since_epoch().count()) / 1e6),
           arguments.file, "give --from and --to in seconds of the trace; nothing was written"}});
    return std::nullopt;
  }
  if (problem || met.size() != std::set<std::string>{arguments.units.begin(), arguments.units.end()}.size())
    return std::nullopt;
  return nodes;
}

int cut(const TraceArguments& arguments) {
  os::Door& door = os::real_door();
  if (arguments.to >= 0 && arguments.to <= arguments.from) {
    tell({{"bad-piece", Severity::error, "the part ends before it starts", arguments.file,
           "--to must be after --from"}});
    return bad_input;
  }
  const auto nodes = nodes_called(arguments);
  if (!nodes) return bad_input;
  const auto head = read_head(door, arguments.file);
  if (!head) {
    tell({head.error()});
    return bad_input;
  }
  int status = good;
  const auto file = new_file(arguments.piece, status);
  if (!file) return status;
  LineFile lines{door, file->get()};
  lines.put(to_line(*head));
  TraceCutter cutter{Time{seconds(arguments.from)},
                     arguments.to >= 0 ? std::optional{Time{seconds(arguments.to)}} : std::nullopt, *nodes};
  const auto problem = read_trace(door, arguments.file, [&](const TraceEvent& event, const Description& unit) {
    for (const std::string& line : cutter.feed(event, unit)) lines.put(line);
    return !cutter.done() && lines.failure() == 0;
  });
  for (const std::string& line : cutter.finish()) lines.put(line);
  if (problem) tell({*problem});
  if (lines.failure() < 0) tell_full(arguments.piece, lines.failure());
  if (problem || lines.failure() < 0) return problem ? bad_input : machine_refuses;
  if (arguments.json)
    print_json(nlohmann::ordered_json{{"file", arguments.piece}, {"events", cutter.events()}});
  else
    print(fmt::format("{}: {}", arguments.piece, quantity(cutter.events(), "event")));
  if (cutter.events() == 0) {
    talk("There are no events in that time.");
    return found_something;
  }
  talk(fmt::format("Next: omnipar trace replay {} --profile pad-2b", shell_word(arguments.piece)));
  return good;
}

}  // namespace

void add_trace(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("trace", "Record input and replay it");
  const auto arguments = std::make_shared<TraceArguments>();
  CLI::App* record_verb = command->add_subcommand("record", "record input to a file");
  record_verb->add_option("FILE", arguments->file, "the new file")->required();
  record_verb->add_option("--about", arguments->about, "a description of the trace");
  record_verb->add_option("--seconds", arguments->seconds, "end after this many seconds")
      ->check(number_between(0.001, 1'000'000));
  add_data_option(*record_verb, arguments->sources);
  record_verb->add_flag("--with-virtual", arguments->with_virtual,
                        "include virtual controllers made by other programs");
  record_verb->add_flag("--with-keys", arguments->with_keys, "record keyboard keys as well, including anything typed");
  record_verb->add_flag("--raw", arguments->raw,
                        "record the raw HID reports of all units, not only of those read that way");
  record_verb->add_flag("--json", arguments->json, "print the result as JSON");
  record_verb->footer(
      "Example: 30 seconds with a pad whose stick drifts:\n  omnipar trace record creeping.trace --seconds 30\n"
      "Exit status: 0 recorded, 2 the file already exists, 3 it cannot be written or access was denied.");
  record_verb->callback([arguments, &status] { status = record(*arguments); });

  CLI::App* replay_verb = command->add_subcommand("replay", "replay a trace, and show what the ports receive");
  replay_verb->add_option("FILE", arguments->file, "a trace, or a room")->required();
  replay_verb->add_option("--profile", arguments->sources.profile, "a profile, or a machine")->required();
  add_data_option(*replay_verb, arguments->sources);
  add_rig_option(*replay_verb, arguments->sources);
  replay_verb->add_flag("--json", arguments->json, "print samples as JSON Lines");
  replay_verb->add_option("--against", arguments->against, "compare with samples that --json printed earlier");
  replay_verb->footer(
      "Example: replay the demo:\n  omnipar trace replay demo/marrowby.trace --profile demo/marrowby.toml\n"
      "Exit status: 0 success, 1 the samples differ, 2 a file is invalid.");
  replay_verb->callback([arguments, &status] { status = replay(*arguments); });
  CLI::App* cut_verb = command->add_subcommand("cut", "copy part of a trace to a new file");
  cut_verb->add_option("FILE", arguments->file, "the trace, which is not changed")->required();
  cut_verb->add_option("PIECE", arguments->piece, "the new file")->required();
  cut_verb->add_option("--from", arguments->from, "start of the part, in seconds")
      ->check(number_between(0, 1'000'000'000));
  cut_verb->add_option("--to", arguments->to, "end of the part, in seconds (default: the end of the trace)")
      ->check(number_between(0, 1'000'000'000));
  cut_verb->add_option("--unit", arguments->units, "only this unit, by name (repeatable)")->allow_extra_args(false);
  cut_verb->add_flag("--json", arguments->json, "print the result as JSON");
  cut_verb->footer(
      "Example: the half second in which a unit was unplugged, for a bug report:\n  omnipar trace cut "
      "demo/marrowby.trace pulled.trace --from 5 --to 5.5\n"
      "The new trace begins with the units that were connected and the buttons that were held at that time.\nExit "
      "status: 0 written, 1 no events in that time, 2 the trace is invalid, it ends before the part starts, or "
      "the\n"
      "new file already exists, 3 it cannot be written.");
  cut_verb->callback([arguments, &status] { status = cut(*arguments); });
  command->require_subcommand(1);
  command->footer("Example: replay the demo:\n  omnipar trace replay demo/marrowby.trace --profile demo/marrowby.toml");
}

}  // namespace omnipar::cli
