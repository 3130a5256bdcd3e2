// Traces: writes long ones of the scripted session, and measures reading and the engine separately.
//   trace-bench write EVENTS FILE
//   trace-bench read FILE     prints JSON; scripts/bench also runs it under callgrind, which counts the instructions of
//                             read_lines and feed_events
#include <sys/resource.h>

#include <array>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "../demo/evening.hpp"

using namespace omnipar;

namespace {

constexpr std::size_t piece = 1000;

int write(std::size_t events, const char* path) {
  std::ofstream file{path};
  file << to_line(TraceHead{"the scripted evening, again and again", true}) << '\n';
  const auto units = marrowby::evening_units();
  for (std::size_t i = 0; i < units.size(); ++i) file << to_line(static_cast<int>(i) + 1, units[i]) << '\n';
  for (std::size_t i = 0; i < units.size(); ++i)
    file << to_line({at_us(0), static_cast<int>(i) + 1, TraceAction::plug_in, {}}) << '\n';
  for (std::size_t i = 0; i < units.size(); ++i)
    for (const int down : {1, 0})
      file << to_line({at_us(static_cast<std::int64_t>(i * 2000) + 1000 - down),
                       static_cast<int>(i) + 1,
                       TraceAction::report,
                       {{code::btn_start, down}}})
           << '\n';
  const auto evening = marrowby::make_evening(events / 2);  // a report has two events
  std::size_t written = 0;
  for (const marrowby::EveningReport& report : evening.reports) {
    if (written >= events) break;
    const Report said = evening.report(report);
    written += said.changes.size();
    file << to_line({said.time,
                     static_cast<int>(report.unit) + 1,
                     TraceAction::report,
                     {said.changes.begin(), said.changes.end()}})
         << '\n';
  }
  return file.flush() ? EXIT_SUCCESS : EXIT_FAILURE;
}

}  // namespace

// Outside the unnamed namespace and never inlined: callgrind finds them by name.
[[gnu::noinline]] void read_lines(TraceReader& reader, const std::vector<std::string>& lines,
                                  std::vector<TraceEvent>& events) {
  for (const std::string& line : lines) {
    auto event = reader.read_line(line);
    if (!event) std::exit(EXIT_FAILURE);
    if (*event) events.push_back(std::move(**event));
  }
}

[[gnu::noinline]] void feed_events(Engine& engine, const std::map<int, UnitId>& units,
                                   const std::vector<TraceEvent>& events) {
  for (const TraceEvent& event : events)
    if (event.action == TraceAction::report) engine.feed(units.at(event.node), {event.time, event.changes});
}

namespace {

int read(const char* path) {
  using Clock = std::chrono::steady_clock;
  std::ifstream file{path};
  TraceReader reader{path};
  Engine engine{compile(marrowby::evening_catalogue(), marrowby::evening_profile()).value()};
  std::map<int, UnitId> units;
  std::chrono::duration<double, std::nano> reading{0};
  std::chrono::duration<double, std::nano> feeding{0};
  std::size_t count = 0;
  while (file) {
    std::vector<std::string> lines;
    for (std::string line; lines.size() < piece && std::getline(file, line);) lines.push_back(std::move(line));
    std::vector<TraceEvent> events;
    const auto start = Clock::now();
    read_lines(reader, lines, events);
    const auto middle = Clock::now();
    for (const auto& [number, unit] : reader.nodes()) {
      if (units.contains(number)) continue;
      Attachment attachment = recognise({}, {}, unit).value();
      attachment.seat = "seat-" + std::to_string(number);
      units.emplace(number, engine.attach(attachment).value());
    }
    const auto attached = Clock::now();
    feed_events(engine, units, events);
    feeding += Clock::now() - attached;
    reading += middle - start;
    for (const TraceEvent& event : events) count += event.changes.size();
  }
  rusage usage{};
  ::getrusage(RUSAGE_SELF, &usage);
  const auto each = static_cast<double>(count);
  std::printf("{\"events\": %zu, \"reading_ns\": %.1f, \"engine_ns\": %.2f, \"peak_kib\": %ld}\n", count,
              reading.count() / each, feeding.count() / each, usage.ru_maxrss);
  return EXIT_SUCCESS;
}

}  // namespace

int main(int count, char** words) {
  const std::string_view verb = count > 1 ? words[1] : "";
  if (verb == "write" && count == 4) return write(std::stoul(words[2]), words[3]);
  if (verb == "read" && count == 3) return read(words[2]);
  std::fputs("usage: trace-bench write EVENTS FILE | read FILE\n", stderr);
  return EXIT_FAILURE;
}
