#include "sources.hpp"

#include <algorithm>
#include <iterator>

#include <fmt/format.h>

#include "base/list.hpp"
#include "command.hpp"
#include "files/keeping.hpp"
#include "files/read.hpp"
#include "omnipar/sheets.hpp"
#include "play/trace_host.hpp"

namespace omnipar::cli {

void add_data_option(CLI::App& command, Sources& sources) {
  command.add_option("--data", sources.data, "read more sheets from a file or folder (repeatable)")
      ->allow_extra_args(false);
}
void add_rig_option(CLI::App& command, Sources& sources) {
  command.add_option("--rig", sources.rig, "use this rig file instead of your own");
}
void add_host_option(CLI::App& command, Sources& sources) {
  command.add_option("--host", sources.host, "use a trace or a simulated room instead of the connected units");
}

tl::expected<std::string, Diagnostic> profile_to_write(os::Door& door, const Sources& sources,
                                                       const std::string& word) {
  return files::profile_file(door, word, household_of(sources));
}

tl::expected<std::string, Diagnostic> rig_to_write(os::Door& door, const Sources& sources) {
  return files::rig_file(door, household_of(sources));
}

HouseholdFiles household_of(const Sources& sources) { return {sources.rig, sources.data, sources.host.empty()}; }

FoundSheets load_shelf(os::Door& door, const Sources& sources) {
  return files::find_sheets(door, household_of(sources));
}

std::string rig_path(os::Door& door, const Sources& sources) { return files::rig_path(door, household_of(sources)); }

std::string calibrations_folder(os::Door& door, const Sources& sources) {
  return files::calibrations_folder(door, household_of(sources));
}

tl::expected<Rig, Diagnostics> load_rig(os::Door& door, const Sources& sources) {
  auto found = files::find_rig(door, household_of(sources));
  if (!found) return tl::unexpected(found.error());
  tell(found->problems);
  return std::move(found->rig);
}

FoundProfile load(os::Door& door, const Sources& sources) {
  return files::find_profile(door, sources.profile, household_of(sources));
}

std::string seated_elsewhere(const Rig& rig, const Plan& plan) {
  const auto seats = plan.seats();
  std::vector<std::string> words;
  for (const RigUnit& unit : rig.units)
    if (!unit.seat.empty() && std::ranges::find(seats, unit.seat) == seats.end())
      words.push_back(fmt::format("\"{}\" (seat {})", printable(unit.name), unit.seat));
  return some_listed(words);
}

Lines trace_lines(os::Door& door, const std::string& path) {
  const auto reader = std::make_shared<files::LineReader>(door, path);
  return [reader]() -> tl::expected<std::optional<std::string>, Diagnostic> {
    const auto line = reader->next();
    if (!line) return tl::unexpected(line.error());
    return *line ? std::optional<std::string>{**line} : std::nullopt;
  };
}

std::optional<Diagnostic> read_trace(os::Door& door, const std::string& path,
                                     const std::function<bool(const TraceEvent&, const Description&)>& on_event) {
  files::LineReader lines{door, path};
  TraceReader reader{path};
  for (;;) {
    const auto line = lines.next();
    if (!line) return line.error();
    if (!*line) return reader.finish();
    const auto event = reader.read_line(**line);
    if (!event) return event.error();
    if (*event && !on_event(**event, reader.nodes().at((*event)->node))) return std::nullopt;
  }
}

std::optional<Diagnostic> hear_trace(os::Door& door, const std::string& path, const Catalogue& catalogue,
                                     const std::function<bool(const TraceEvent&, const Description&)>& on_event) {
  bool continues = true;
  play::TraceHost host{
      catalogue,
      [&](const TraceEvent& event, const Description& node) { continues = continues && on_event(event, node); },
      [](const Diagnostic& why) { tell({why}); }};
  auto problem = read_trace(door, path, [&](const TraceEvent& event, const Description& node) {
    host.process(event, node);
    return continues;
  });
  host.settle();
  return problem;
}

tl::expected<TraceHead, Diagnostic> read_head(os::Door& door, const std::string& path) {
  files::LineReader lines{door, path};
  TraceReader reader{path};
  const auto line = lines.next();
  if (!line) return tl::unexpected(line.error());
  const auto event = reader.read_line(line->value_or(""));
  if (!event) return tl::unexpected(event.error());
  return reader.head();
}

std::string room_node_name(int number) { return fmt::format("node {}", number); }

tl::expected<std::vector<Description>, Diagnostic> read_room(os::Door& door, const std::string& path,
                                                             const Catalogue& catalogue) {
  std::map<int, std::vector<Change>> found;  // the state at its first connection
  files::LineReader lines{door, path};
  TraceReader reader{path};
  for (;;) {
    const auto line = lines.next();
    if (!line) return tl::unexpected(line.error());
    if (!*line) break;
    const auto event = reader.read_line(**line);
    if (!event) return tl::unexpected(event.error());
    if (*event && (*event)->action == TraceAction::plug_in) found.try_emplace((*event)->node, (*event)->changes);
  }
  if (auto problem = reader.finish()) return tl::unexpected(std::move(*problem));
  std::vector<Description> units;
  for (const auto& [number, unit] : reader.nodes()) {
    if (const auto why = play::unreadable_descriptor(unit)) tell({*why});
    units.push_back(unit);
    for (const Change& change : found[number])
      for (CodeRange& range : units.back().codes)
        if (range.code == change.code) range.value = change.value;
    units.back().node = room_node_name(number);
  }
  return play::used_nodes(catalogue, std::move(units));
}

std::vector<Description> all_nodes(const inspect::Facts& facts, bool shut) {
  std::vector<Description> nodes;
  for (const inspect::NodeFact& fact : facts.nodes) {
    if (!fact.readable) continue;
    nodes.push_back(fact.description);
    if (fact.raw_path.empty() && !shut) continue;
    Description raw = fact.description;
    raw.descriptor = fact.descriptor;
    raw.node = fact.raw_path;
    const bool is_known = std::ranges::any_of(nodes, [&raw](const Description& other) {
      return other.descriptor == raw.descriptor && other.device == raw.device && other.interface == raw.interface;
    });
    if (!is_known) nodes.push_back(std::move(raw));
  }
  return nodes;
}

std::string same_sources(const Sources& sources) {
  std::string all;
  for (const std::string& data : sources.data) all += " --data " + shell_word(data);
  return all + same_rig(sources) + same_host(sources.host);
}

std::string same_rig(const Sources& sources) { return sources.rig.empty() ? "" : " --rig " + shell_word(sources.rig); }

std::string same_host(const std::string& host) { return host.empty() ? "" : " --host " + shell_word(host); }

}  // namespace omnipar::cli
