// What is drawn of an evening: cells that keep their columns, and nothing lit that a sample does not say.
#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include <fmt/format.h>

#include "engine/byte_dice.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/session.hpp"
#include "support/settings.hpp"
#include "support/stories.hpp"
#include "view/page.hpp"
#include "watching.hpp"

using namespace omnipar;
using namespace omnipar::test;
using view::Canvas, view::Look;

namespace {

// -- cells ----------------------------------------------------------------------------------------------------

/// Pieces of which names may be made: plain and wide letters, what combines, what does harm, what is no UTF-8.
constexpr std::array pieces{"a",      "Z",      " ",        "é",  "漢",   "字",       "e\u0301",
                            "\u0301", "\u200b", "\x1b[31m", "\n", "\xff", "\xe6\xbc", "👾"};

/// Every row takes its columns: a wide character two, of which the second one is empty.
void check_columns(const Canvas& canvas) {
  for (int y = 0; y < canvas.height(); ++y)
    for (int x = 0; x < canvas.width(); ++x) {
      const view::Cell& cell = canvas.at(x, y);
      const int columns = cell.size == 0 ? 0 : view::columns_of(cell.text());
      const bool half_follows = x + 1 < canvas.width() && canvas.at(x + 1, y).size == 0;
      REQUIRE(columns == (cell.size == 0 ? 0 : half_follows ? 2 : 1));
      if (cell.size == 0) REQUIRE((x > 0 && canvas.at(x - 1, y).size > 1));
      for (const char byte : cell.text()) REQUIRE((static_cast<unsigned char>(byte) >= 0x20 && byte != 0x7f));
    }
}

}  // namespace

TEST_CASE("whatever a name is made of, it stays in its cells and keeps the columns", "[view]") {
  std::mt19937 dice{5};
  const auto below = [&dice](int n) { return static_cast<int>(dice() % static_cast<unsigned>(n)); };
  for (int round = 0; round < cases(2000, 50'000); ++round) {
    const bool utf8 = below(3) != 0;
    Canvas canvas{1 + below(30), 1 + below(3), utf8};
    for (int put = 0; put < 4; ++put) {
      std::string text;
      for (int i = below(12); i > 0; --i)
        text += pieces.at(static_cast<std::size_t>(below(static_cast<int>(pieces.size()))));
      const int x = below(34) - 2, y = below(4) - 1, most = below(20);
      const Canvas before = canvas;
      const int taken = canvas.put(x, y, text, Look::lit, most);
      REQUIRE(taken <= most);
      check_columns(canvas);
      for (int row = 0; row < canvas.height(); ++row)
        for (int column = 0; column < canvas.width(); ++column) {
          const bool is_its = row == y && column >= x && column < x + most;
          const bool is_beside = row == y && (column == x - 1 || column == x + most);  // half of a wide one, cut in two
          if (!is_its && !is_beside) REQUIRE(canvas.at(column, row) == before.at(column, row));
        }
      if (utf8) continue;
      for (const std::string& line : canvas.lines())
        for (const char byte : line) REQUIRE(static_cast<unsigned char>(byte) < 0x80);
    }
  }
}

namespace {

// -- evenings -------------------------------------------------------------------------------------------------

struct Unit {
  const char* line;
  std::vector<std::string> codes;  ///< with the range of each: "BTN_SOUTH 0 1"
};

const std::vector<Unit>& room_units() {
  static const std::vector<Unit> units{
      {R"("name":"Fenwick Reading-Room Pad","id":"0003:1209:0003:0100","socket":"hall:1","keys":["BTN_SOUTH","BTN_EAST","BTN_NORTH","BTN_WEST","BTN_TL","BTN_TR","BTN_SELECT","BTN_START"],"axes":{"ABS_X":[-32768,32767],"ABS_Y":[-32768,32767],"ABS_HAT0X":[-1,1],"ABS_HAT0Y":[-1,1]})",
       {"BTN_SOUTH 0 1", "BTN_EAST 0 1", "BTN_NORTH 0 1", "BTN_WEST 0 1", "BTN_TL 0 1", "BTN_START 0 1",
        "ABS_X -32768 32767", "ABS_Y -32768 32767", "ABS_HAT0X -1 1", "ABS_HAT0Y -1 1"}},
      {R"("name":"Lark Booth Gun Mouse","id":"0003:1209:000c:0100","socket":"booth:1","device":"booth:1","keys":["BTN_LEFT","BTN_RIGHT","BTN_MIDDLE"],"axes":{"ABS_X":[0,65535],"ABS_Y":[0,65535]})",
       {"BTN_LEFT 0 1", "BTN_RIGHT 0 1", "ABS_X 0 65535", "ABS_Y 0 65535"}},
      {R"("name":"Moor Tablet Pad","id":"0003:1209:0005:0100","socket":"hall:2","keys":["BTN_SOUTH","BTN_EAST","BTN_NORTH","BTN_WEST","BTN_TL","BTN_TR","BTN_SELECT","BTN_START"],"axes":{"ABS_HAT0X":[-1,1],"ABS_HAT0Y":[-1,1]})",
       {"BTN_SOUTH 0 1", "BTN_EAST 0 1", "BTN_TR 0 1", "BTN_SELECT 0 1", "ABS_HAT0X -1 1", "ABS_HAT0Y -1 1"}}};
  return units;
}

/// A room that the dice have made up: units come and go, and their controls move.
std::string room_text(ByteDice& dice, int events) {
  std::string text = R"({"omnipar":1,"kind":"trace","about":"","made-up":true})";
  const auto& units = room_units();
  for (std::size_t u = 0; u < units.size(); ++u) text += fmt::format("\n{{\"node\":{},{}}}", u + 1, units[u].line);
  std::vector<bool> plugged(units.size());
  std::int64_t time = 0;
  for (int i = 0; i < events && !dice.rest().empty(); ++i) {
    const std::size_t u = dice.below(units.size());
    time += static_cast<std::int64_t>(dice.below(40)) * 1000;
    if (!plugged[u] || dice.below(40) == 0) {
      plugged[u] = !plugged[u];
      text += fmt::format("\n{{\"t\":{},\"node\":{},\"plug\":\"{}\"}}", time, u + 1, plugged[u] ? "in" : "out");
      continue;
    }
    const std::string& code = units[u].codes[dice.below(units[u].codes.size())];
    char name[32];
    int low = 0, high = 0;
    REQUIRE(std::sscanf(code.c_str(), "%31s %d %d", name, &low, &high) == 3);
    const int value = low + static_cast<int>(std::lround(static_cast<double>(dice.below(256)) / 255.0 * (high - low)));
    text += fmt::format("\n{{\"t\":{},\"node\":{},\"report\":[\"{}\",{}]}}", time, u + 1, name, value);
  }
  return text;
}

/// The names in [brackets] that are shown as lit between two columns, each behind the title of its block.
std::set<std::string> lit_in(const Canvas& canvas, int from, int to) {
  std::set<std::string> lit;
  std::string title;
  for (int y = 2; y < canvas.height(); ++y) {
    std::string heading, name;
    for (int x = from; x < to; ++x) {
      const view::Cell& cell = canvas.at(x, y);
      if (cell.look == Look::title && y > 1) heading += cell.text();
      if (cell.look != Look::lit) name.clear();
      if (cell.look == Look::lit) name += cell.text();
      if (name.starts_with('[') && name.ends_with(']')) {
        lit.insert(title + "/" + name.substr(1, name.size() - 2));
        name.clear();
      }
    }
    if (!heading.empty()) title = heading.substr(0, heading.find(':'));
  }
  return lit;
}

/// The same from the samples, target by target.
std::set<std::string> lit_by(const Plan& plan, const Reader& reader) {
  std::set<std::string> lit;
  for (const PortInfo& port : plan.ports()) {
    if (port.number == 0) continue;
    std::set<std::string_view> names;
    for (std::size_t t = port.first_target; t < std::size_t{port.first_target} + port.target_count; ++t)
      names.insert(plan.targets()[t].name);
    for (std::size_t t = port.first_target; t < std::size_t{port.first_target} + port.target_count; ++t) {
      const TargetInfo& info = plan.targets()[t];
      std::string name{info.name};
      const std::string stem = name.substr(0, name.find_last_of('-'));
      const bool of_pair = names.contains(stem + "-x") && names.contains(stem + "-y");
      if (of_pair) name = stem;
      if (info.kind == TargetKind::coordinate) continue;
      const bool is_lit = info.kind == TargetKind::turns
                              ? reader.value(static_cast<std::uint16_t>(t)) != 0
                              : reader.native(static_cast<std::uint16_t>(t)) != info.native.rest;
      if (is_lit) lit.insert(fmt::format("port {}/{}", port.number, name));
    }
  }
  return lit;
}

constexpr std::array systems{"pad-2b",    "pad-two-stick", "gun-booth", "stick-or-mouse",
                             "arcade-6b", "paddle-pair",   "wand"};

/// Draws each frame of a made-up evening, and compares what is lit.
std::optional<std::string> judge_evening(const std::vector<std::uint8_t>& bytes) {
  ByteDice dice{bytes};
  cli::WatchWish wish;
  wish.ticks = true;
  const char* system = systems.at(dice.below(systems.size()));
  wish.session.profile = propose(wish.session.catalogue, system).value();
  wish.room = Room{"made up", lines_of(room_text(dice, 200)), {}};
  auto watching = cli::Watching::open(std::move(wish)).value();
  Session& session = watching->session();
  Reader reader{session.engine()};
  std::map<std::string, bool> ticked;
  Canvas canvas{160, 150, true};
  for (Time frame{}; !session.over();) {
    frame += session.plan().frame();
    watching->run(frame);
    reader.next_frame();
    view::Page page = watching->page();
    page.press.clear();
    page.notes.clear();
    view::draw(canvas, watching->seen(), page);
    const auto wanted = lit_by(session.plan(), reader);
    const auto got = lit_in(canvas, 80, 160);
    if (wanted != got)
      return fmt::format("{} at {}: samples say {}, drawn is {}", system, frame.time_since_epoch().count(),
                         fmt::join(wanted, " "), fmt::join(got, " "));
    for (const std::string& name : wanted) ticked[name] = true;
  }
  // A button is ticked if a sample has shown it, and no other way.
  for (const inspect::TickedPort& port : watching->ticks()->ports())
    for (const inspect::TickedTarget& target : port.targets)
      if (target.kind == TargetKind::button &&
          (target.ticked != 0) != ticked[fmt::format("port {}/{}", port.number, target.name)])
        return fmt::format("port {}'s {} is ticked: {}", port.number, target.name, target.ticked);
  return std::nullopt;
}

}  // namespace

TEST_CASE("what is drawn as lit is what the samples say, at every frame of made-up evenings", "[view]") {
  judge_stories(11, cases(80, 2000), 600, judge_evening);
}
