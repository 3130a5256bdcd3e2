// omnipar trace record|replay
#include <fcntl.h>

#include <cstring>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "files/read.hpp"
#include "play/record.hpp"
#include "sources.hpp"
#include "views.hpp"

namespace omnipar::cli {
namespace {

struct TraceWords {
  Sources sources;
  std::string file;
  std::string against;
  std::string about;
  double seconds = 0;
  bool json = false;
  bool with_virtual = false;
};

int record(const TraceWords& words) {
  os::Door& door = os::real_door();
  const os::Descriptor file{door, door.open(words.file, O_WRONLY | O_CREAT | O_EXCL)};
  if (!file) {
    const bool there = file.get() == -EEXIST;
    tell({{"cannot-write", Severity::error,
           there ? "there is a file of that name already"
                 : fmt::format("it cannot be written: {}", std::strerror(-file.get())),
           words.file, there ? "choose another name; nothing was changed" : "nothing was recorded"}});
    return there ? bad_input : machine_refuses;
  }
  int failure = 0;
  play::RecordOptions options;
  options.about = words.about;
  const Shelf shelf = load_shelf(door, words.sources);
  tell(shelf.problems);
  options.listen.catalogue = &shelf.catalogue;
  options.listen.with_virtual = words.with_virtual;
  if (words.seconds > 0) options.listen.longest = Duration{static_cast<std::int64_t>(words.seconds * 1e6)};
  options.put = [&](const std::string& line) {
    const std::string whole = line + "\n";
    failure = os::write_all(door, file.get(), std::as_bytes(std::span{whole}));
    return failure == 0;
  };
  options.say = talk;
  talk("Recording; Ctrl-C ends it.");
  const auto reports = play::record(door, options);
  if (!reports) {
    tell({reports.error()});
    return machine_refuses;
  }
  if (failure < 0) {
    tell({{"cannot-write", Severity::error, fmt::format("it cannot be written on: {}", std::strerror(-failure)),
           words.file, "what was written before is whole"}});
    return machine_refuses;
  }
  if (words.json)
    print(nlohmann::ordered_json{{"file", words.file}, {"reports", *reports}}.dump());
  else
    print(fmt::format("{}: {} reports", words.file, *reports));
  talk(fmt::format("Next: omnipar trace replay {} --profile pad-2b", words.file));
  return good;
}

/// Compares line after line with a file of stored samples.
class Comparison {
 public:
  Comparison(os::Door& door, const std::string& path) : stored_(door, path) {}

  void take(const std::string& line) {
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

int compared(const TraceWords& words, Comparison& comparison) {
  comparison.end();
  if (comparison.problem()) {
    tell({*comparison.problem()});
    return bad_input;
  }
  if (comparison.differs()) return found_something;
  print(fmt::format("{} samples, all as in {}", comparison.lines(), words.against));
  return good;
}

int replay(const TraceWords& words) {
  os::Door& door = os::real_door();
  const Given given = load(door, words.sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan) return bad_input;
  const auto rig = load_rig(door, words.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  std::optional<Comparison> comparison;
  LineSink sink = print;
  if (!words.against.empty()) {
    comparison.emplace(door, words.against);
    sink = [&comparison](const std::string& line) { comparison->take(line); };
  }
  const bool samples = words.json || comparison.has_value();
  const auto view = samples ? sample_view(*given.plan, sink) : table_view(*given.plan, sink);
  play::Script script{*given.plan, given.catalogue, *rig, *view, *given.profile};
  const auto take = [&script](const TraceEvent& event, const Description& unit) {
    script.take(event, unit);
    return !script.ended();
  };
  const auto problem = read_trace(door, words.file, take);
  if (!problem) script.finish();
  view->end();
  if (problem) {
    tell({*problem});
    return bad_input;
  }
  return comparison ? compared(words, *comparison) : good;
}

}  // namespace

void add_trace(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("trace", "Record what the units say, and play it again");
  const auto words = std::make_shared<TraceWords>();
  CLI::App* record_verb = command->add_subcommand("record", "write what the controllers say into a file");
  record_verb->add_option("FILE", words->file, "the new file")->required();
  record_verb->add_option("--about", words->about, "what it is a trace of, for people");
  record_verb->add_option("--seconds", words->seconds, "end by itself after so long")->check(CLI::Range(0.001, 1e6));
  add_data_option(*record_verb, words->sources);
  record_verb->add_flag("--with-virtual", words->with_virtual, "record controllers that other programs made, too");
  record_verb->add_flag("--json", words->json, "print the result as JSON");
  record_verb->footer(
      "Example: half a minute with the pad whose stick creeps:\n"
      "  omnipar trace record creeping.trace --seconds 30\n"
      "Exit status: 0 recorded, 2 the file is there already, 3 it cannot be written or the computer refuses.");
  record_verb->callback([words, &status] { status = record(*words); });

  CLI::App* replay_verb = command->add_subcommand("replay", "play a trace, and show what the ports saw");
  replay_verb->add_option("FILE", words->file, "a trace, or a room")->required();
  replay_verb->add_option("--profile", words->sources.profile, "a profile, or a machine")->required();
  add_data_option(*replay_verb, words->sources);
  add_rig_option(*replay_verb, words->sources);
  replay_verb->add_flag("--json", words->json, "print samples as JSON Lines");
  replay_verb->add_option("--against", words->against, "compare with samples that --json once printed");
  replay_verb->footer(
      "Example: the evening of the demo, once more:\n"
      "  omnipar trace replay demo/marrowby.trace --profile demo/marrowby.toml\n"
      "Exit status: 0 good, 1 the samples differ, 2 a file is bad.");
  replay_verb->callback([words, &status] { status = replay(*words); });
  command->require_subcommand(1);
  command->footer(
      "Example: the evening of the demo, once more:\n"
      "  omnipar trace replay demo/marrowby.trace --profile demo/marrowby.toml");
}

}  // namespace omnipar::cli
