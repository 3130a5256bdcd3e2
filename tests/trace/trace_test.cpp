// Traces: round trips, and a message for each mistake.
#include <catch2/catch.hpp>
#include <map>
#include <random>
#include <set>

#include "base/code_names.hpp"
#include "marrowby.hpp"
#include "omnipar/omnipar.hpp"

using namespace omnipar;

namespace {

/// The text of a trace's first problem; "" if there is none.
std::string problem_of(const std::string& text) {
  TraceReader reader{"evening.trace"};
  for (std::string_view rest = text; !rest.empty();) {
    const std::string_view line = rest.substr(0, rest.find('\n'));
    rest.remove_prefix(std::min(rest.size(), line.size() + 1));
    if (const auto event = reader.read_line(line); !event) return to_text(event.error());
  }
  return "";
}

const std::string head = "{\"omnipar\":1,\"kind\":\"trace\"}\n{\"node\":1,\"name\":\"Pad\",\"keys\":[\"BTN_SOUTH\"]}\n";

std::vector<std::uint8_t> random_bytes(std::mt19937& dice, unsigned most) {
  std::vector<std::uint8_t> bytes(1 + dice() % most);
  for (std::uint8_t& byte : bytes) byte = static_cast<std::uint8_t>(dice());
  return bytes;
}

Description random_unit(std::mt19937& dice) {
  Description unit;
  const std::vector<std::string> names{"", "Fenwick Pad", "Größe \"x\" \\ \t", "\x01\x7f…"};
  unit.name = names[dice() % names.size()];
  unit.bus = static_cast<std::uint16_t>(dice());
  unit.vendor = static_cast<std::uint16_t>(dice());
  unit.product = static_cast<std::uint16_t>(dice());
  unit.version = static_cast<std::uint16_t>(dice());
  unit.serial = dice() % 2 == 0 ? "" : "No 7";
  unit.socket = dice() % 2 == 0 ? "" : "hall:1";
  unit.device = dice() % 2 == 0 ? "" : "hall:1";
  unit.interface = static_cast<int>(dice() % 4) - 1;
  if (dice() % 3 == 0) unit.half = "1.2";
  unit.made_by_program = dice() % 2 == 0;
  if (dice() % 4 == 0) {
    unit.descriptor = random_bytes(dice, 80);
    return unit;
  }
  for (std::uint16_t number = 0; number < 0x2ff; number = static_cast<std::uint16_t>(number + 1 + dice() % 40))
    unit.codes.push_back({key(number), 0, 1, 0});
  for (std::uint16_t number = 0; number < 0x3f; number = static_cast<std::uint16_t>(number + 1 + dice() % 8)) {
    const auto end = static_cast<std::int32_t>(dice() >> 1);
    unit.codes.push_back({absolute(number), -static_cast<std::int32_t>(dice() >> 1), end, 0});
  }
  return unit;
}

bool same(const Description& a, const Description& b) {
  const auto fields = [](const Description& d) {
    return std::tie(d.name, d.bus, d.vendor, d.product, d.version, d.serial, d.socket, d.device, d.interface, d.half,
                    d.made_by_program, d.descriptor);
  };
  return fields(a) == fields(b) && std::ranges::equal(a.codes, b.codes, [](const CodeRange& x, const CodeRange& y) {
           return x.code == y.code && x.minimum == y.minimum && x.maximum == y.maximum;
         });
}

}  // namespace

TEST_CASE("Lines survive a round trip unchanged", "[trace]") {
  std::mt19937 dice{7};
  for (int round = 0; round < 300; ++round) {
    TraceReader reader{"t"};
    const TraceHead trace_head{round % 2 == 0 ? "" : "an evening", round % 3 == 0};
    REQUIRE(reader.read_line(to_line(trace_head)));
    REQUIRE(reader.head() == trace_head);
    const Description unit = random_unit(dice);
    REQUIRE(reader.read_line(to_line(4, unit)));
    REQUIRE(same(reader.nodes().at(4), unit));
    REQUIRE(to_line(4, reader.nodes().at(4)) == to_line(4, unit));
    Time time;
    for (int i = 0; i < 10; ++i) {
      time += Duration{dice() % 100'000};
      TraceEvent event{time, 4, TraceAction{static_cast<int>(dice() % 4)}, {}};
      if (event.action == TraceAction::report && !unit.descriptor.empty())
        event.raw = random_bytes(dice, 70);
      else if (event.action != TraceAction::pull_out && event.action != TraceAction::gap && unit.descriptor.empty())
        for (auto n = dice() % 5; n > 0; --n)
          event.changes.push_back({unit.codes[dice() % unit.codes.size()].code, static_cast<std::int32_t>(dice())});
      if (dice() % 3 == 0) event.note = "says \"…\"";
      if (dice() % 3 == 0) event.lesson = "so it is";
      const auto read = reader.read_line(to_line(event));
      REQUIRE(read);
      REQUIRE(**read == event);
      REQUIRE(to_line(**read) == to_line(event));
    }
  }
}

TEST_CASE("An excerpt begins and ends in the states that the whole trace has there", "[trace]") {
  // The state of a trace at some moment: what is plugged in, held and pushed.
  using State = std::map<int, std::map<Code, std::int32_t>>;
  const auto follow = [](State& state, const TraceEvent& event) {
    if (event.action == TraceAction::pull_out) {
      state.erase(event.node);
      return;
    }
    if (event.action == TraceAction::plug_in) state[event.node].clear();
    for (const Change& change : event.changes) state[event.node][change.code] = change.value;
  };
  const auto without_rest = [](State state) {
    for (auto& [node, values] : state) std::erase_if(values, [](const auto& value) { return value.second == 0; });
    return state;
  };
  std::mt19937 dice{17};
  for (int round = 0; round < 200; ++round) {
    std::map<int, Description> units;
    for (int node = 1; node <= 3; ++node) units[node] = random_unit(dice);
    std::vector<TraceEvent> events;
    std::set<int> plugged;
    std::int64_t now = 0;
    for (int i = 0; i < 60; ++i) {
      now += static_cast<std::int64_t>(dice() % 4) * 1000;
      const int node = 1 + static_cast<int>(dice() % 3);
      TraceEvent event{at_us(now), node, TraceAction::report, {}};
      if (!plugged.contains(node))
        event.action = TraceAction::plug_in;
      else if (dice() % 8 == 0)
        event.action = TraceAction::pull_out;
      else if (dice() % 8 == 0)
        event.action = TraceAction::gap;
      if (event.action == TraceAction::plug_in) plugged.insert(node);
      if (event.action == TraceAction::pull_out) plugged.erase(node);
      if (!units[node].descriptor.empty()) {
        if (event.action == TraceAction::report) event.raw = random_bytes(dice, 3);
      } else if (event.action != TraceAction::pull_out && event.action != TraceAction::gap) {
        event.changes.push_back({code::btn_south, static_cast<std::int32_t>(dice() % 2)});
        event.changes.push_back({code::abs_x, static_cast<std::int32_t>(dice() % 3) - 1});
      }
      events.push_back(event);
    }
    const Time from = at_us(static_cast<std::int64_t>(dice() % 120) * 1000);
    const Time to = from + Duration{static_cast<std::int64_t>(1 + dice() % 60) * 1000};
    TraceCutter cutter{from, to};
    State whole;
    std::vector<std::string> lines{to_line(TraceHead{"", false})};
    for (const TraceEvent& event : events) {
      if (event.time < to) follow(whole, event);
      for (std::string& line : cutter.feed(event, units[event.node])) lines.push_back(std::move(line));
    }
    for (std::string& line : cutter.finish()) lines.push_back(std::move(line));
    State piece;
    TraceReader reader{"piece"};
    Time last{};
    for (const std::string& line : lines) {
      const auto event = reader.read_line(line);  // each unit is described before its first report
      REQUIRE(event.has_value());
      if (!*event) continue;
      follow(piece, **event);
      last = (**event).time;
    }
    CAPTURE(round, from.time_since_epoch().count(), to.time_since_epoch().count());
    REQUIRE(without_rest(piece) == without_rest(whole));
    REQUIRE(last < Time{to - from});
  }
}

TEST_CASE("An excerpt of a trace whose nodes report before they are plugged in can be read", "[trace]") {
  Description pad;
  pad.name = "Pad";
  pad.codes = {{key(0x130)}};
  for (const std::int64_t from : {0, 10}) {
    TraceCutter cutter{at_us(from), std::nullopt};
    TraceReader reader{"piece"};
    REQUIRE(reader.read_line(to_line(TraceHead{})));
    const auto append = [&](const std::vector<std::string>& lines) {
      for (const std::string& line : lines) REQUIRE(reader.read_line(line));
    };
    for (const std::int64_t us : {5, 15})
      append(cutter.feed({at_us(us), 1, TraceAction::report, {{key(0x130), 1}}}, pad));
    append(cutter.finish());
    REQUIRE(reader.nodes().at(1).name == "Pad");
    REQUIRE(cutter.events() == (from == 0 ? 2U : 1U));
  }
}

TEST_CASE("The sample room's trace is formatted exactly as Omnipar writes it", "[trace]") {
  TraceReader reader{"marrowby.trace"};
  std::size_t units = 0;
  for (std::string_view rest = marrowby::trace_text(); !rest.empty();) {
    const std::string_view line = rest.substr(0, rest.find('\n'));
    rest.remove_prefix(line.size() + 1);
    const auto event = reader.read_line(line);
    REQUIRE(event);
    if (*event)
      REQUIRE(to_line(**event) == line);
    else if (reader.nodes().size() == units)
      REQUIRE(to_line(reader.head()) == line);
    else
      REQUIRE(to_line(reader.nodes().rbegin()->first, reader.nodes().rbegin()->second) == line);
    units = reader.nodes().size();
  }
  REQUIRE(units == 4);
}

TEST_CASE("The trace documentation is correct: its example is a trace, and every field is described", "[trace]") {
  const std::string page = sheet_reference();
  const std::string fence = "```json\n";
  const std::size_t from = page.find(fence, page.find("## Traces and rooms")) + fence.size();
  const std::string example = page.substr(from, page.find("```", from) - from);
  TraceReader reader{"example"};
  std::size_t events = 0;
  for (std::size_t at = 0; at < example.size();) {
    const std::size_t end = example.find('\n', at);
    const auto taken = reader.read_line(example.substr(at, end - at));
    REQUIRE(taken);
    events += *taken ? 1 : 0;
    at = end + 1;
  }
  CHECK(events == 4);
  CHECK(reader.head().made_up);
  Description node;
  node.name = "a";
  node.serial = node.socket = node.device = node.half = "b";
  node.interface = 1;
  node.made_by_program = true;
  node.codes = {{code::btn_south}, {code::abs_x, 0, 255}};
  Description raw;
  raw.descriptor = {5, 1};
  TraceEvent in{at_us(0), 1, TraceAction::plug_in, {{code::btn_south, 1}}, {}, {}, "note", "lesson"};
  TraceEvent bytes{at_us(0), 1, TraceAction::report, {}};
  bytes.raw = {1};
  const std::string all =
      to_line(TraceHead{"about", true}) + to_line(1, node) + to_line(1, raw) + to_line(in) + to_line(bytes);
  for (std::size_t at = 0; (at = all.find("\":", at)) != std::string::npos; ++at) {
    const std::size_t begin = all.rfind('"', at - 1) + 1;
    const std::string field = all.substr(begin, at - begin);
    INFO(field);
    if (field != "ABS_X") CHECK(page.find("| `" + field + "`", from) != std::string::npos);
  }
}

TEST_CASE("Numbers that are too large are reported as mistakes", "[trace]") {
  for (const char* line :
       {R"({"node":1e400})", R"({"t":1e999,"node":1,"report":[]})",
        R"({"node":1,"name":"a","axes":{"ABS_X":[0,1e400]}})", R"({"node":99999999999999999999999})"}) {
    TraceReader reader{"large"};
    REQUIRE(reader.read_line(R"({"omnipar":1,"kind":"trace"})"));
    CHECK_FALSE(reader.read_line(line));
  }
}

TEST_CASE("Each mistake in a trace is reported with its line", "[trace]") {
  const std::string at_3 = "evening.trace:3:1: ";
  struct Case {
    std::string line, message;
  };
  const std::vector<Case> cases{
      {"{\"t\":1,\"node\":1,\"report\":[\"BTN_SOUTH\",1]", "evening.trace:3:41: invalid JSON from here [bad-line]"},
      {"[1]", at_3 + "not a JSON object [bad-line]"},
      {"{\"tt\":1,\"node\":1}", at_3 + "duplicate node 1 [bad-entry]"},
      {"{\"t\":1,\"node\":1,\"repot\":[]}", at_3 + "unknown field 'repot' [bad-entry]"},
      {"{\"t\":1,\"node\":1}", at_3 + "'report' is missing [bad-entry]"},
      {"{\"t\":1,\"node\":2,\"report\":[]}", at_3 + "node 2 is not described in a line above [bad-entry]"},
      {"{\"t\":1.5,\"node\":1,\"report\":[]}", at_3 + "'t' must be a whole number [bad-entry]"},
      {"{\"t\":-1,\"node\":1,\"report\":[]}", at_3 + "'t' is out of range [bad-entry]"},
      {"{\"t\":99999999999999999999,\"node\":1,\"report\":[]}", at_3 + "'t' must be a whole number [bad-entry]"},
      {"{\"t\":18446744073709551615,\"node\":1,\"report\":[]}", at_3 + "'t' is out of range [bad-entry]"},
      {"{\"t\":1,\"node\":1,\"report\":[\"BTN_SOUTH\"]}",
       at_3 + "'report' must be a list of codes and values [bad-entry]"},
      {"{\"t\":1,\"node\":1,\"report\":[\"BTN_SOUT\",1]}", at_3 + "unknown code 'BTN_SOUT' [unknown-code]"},
      {"{\"t\":1,\"node\":1,\"report\":[7,1]}", at_3 + "a code must be text, such as \"BTN_SOUTH\" [bad-entry]"},
      {"{\"t\":1,\"node\":1,\"report\":[\"BTN_SOUTH\",5000000000]}", at_3 + "a value is out of range [bad-entry]"},
      {R"({"t":1,"node":1,"raw":"00"})", at_3 + "only nodes with a report descriptor have raw bytes [bad-entry]"},
      {R"({"t":1,"node":1,"raw":"0"})", at_3 + "'raw' must be bytes [bad-entry]"},
      {R"({"t":1,"node":1,"raw":"00 0g"})", at_3 + "'raw' must be bytes [bad-entry]"},
      {R"({"t":1,"node":1,"raw":"00,00"})", at_3 + "'raw' must be bytes [bad-entry]"},
      {R"({"t":1,"node":1,"raw":"00 "})", at_3 + "'raw' must be bytes [bad-entry]"},
      {R"({"t":1,"node":1,"raw":""})", at_3 + "'raw' is empty [bad-entry]"},
      {R"({"t":1,"node":1,"raw":"00","report":[]})", at_3 + "raw bytes must be a separate report [bad-entry]"},
      {R"({"node":2,"descriptor":"05","keys":[]})",
       at_3 + "a node with a report descriptor cannot list codes [bad-entry]"},
      {"{\"t\":1,\"node\":1,\"plug\":\"on\"}", at_3 + "'plug' must be \"in\" or \"out\" [bad-entry]"},
      {"{\"t\":1,\"node\":1,\"gap\":false}", at_3 + "'gap' must be true and the only field [bad-entry]"},
      {"{\"t\":1,\"node\":1,\"gap\":true,\"report\":[]}", at_3 + "'gap' must be true and the only field [bad-entry]"},
      {"{\"t\":1,\"node\":1,\"note\":7,\"report\":[]}", at_3 + "'note' must be text [bad-entry]"},
      {"{\"node\":2,\"id\":\"1209\"}", at_3 + "'id' must be bus, vendor, product and version [bad-entry]"},
      {"{\"node\":2,\"axes\":{\"ABS_X\":[1]}}", at_3 + "'ABS_X' must be as in [0,255] [bad-entry]"},
      {"{\"node\":2,\"axes\":{\"ABS_X\":[9,1]}}", at_3 + "the range of 'ABS_X' ends before it starts [bad-entry]"},
      {"{\"node\":2,\"virtual\":1}", at_3 + "'virtual' must be true or false [bad-entry]"},
      {"\xff", "evening.trace:3:1: invalid JSON from here [bad-line]"},
  };
  for (const Case& c : cases) {
    CAPTURE(c.line);
    const std::string got = problem_of(head + c.line);
    REQUIRE(got.substr(0, got.find('\n')) == c.message);
  }
  REQUIRE(problem_of(head + "{\"t\":9,\"node\":1,\"plug\":\"in\"}\n{\"t\":8,\"node\":1,\"plug\":\"out\"}") ==
          "evening.trace:4:1: this event is earlier than the one above [bad-entry]\n"
          "    4 | {\"t\":8,\"node\":1,\"plug\":\"out\"}\n      | ^\n  sort events by time");
  REQUIRE(problem_of("").empty());
  REQUIRE(problem_of("{\"omnipar\":2,\"kind\":\"trace\"}").find("[too-new]") != std::string::npos);
  REQUIRE(problem_of("omnipar = 1").find("[bad-line]") != std::string::npos);
  REQUIRE(problem_of("{}").find("[not-a-trace]") != std::string::npos);
}

TEST_CASE("Deeply nested and truncated lines are errors, never crashes", "[trace]") {
  REQUIRE(problem_of(head + std::string(60'000, '[')).find("[bad-line]") != std::string::npos);
  const std::string line = "{\"t\":1,\"node\":1,\"report\":[\"BTN_SOUTH\",1],\"note\":\"ü\"}";
  for (std::size_t cut = 1; cut < line.size(); ++cut) REQUIRE_FALSE(problem_of(head + line.substr(0, cut)).empty());
}
