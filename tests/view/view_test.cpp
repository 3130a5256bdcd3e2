// Drawings of a session: cells keep their columns, and nothing is highlighted that is not in a sample.
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
#include "support/golden.hpp"
#include "support/settings.hpp"
#include "support/shipped_units.hpp"
#include "support/stories.hpp"
#include "view/page.hpp"
#include "watching.hpp"

using namespace omnipar;
using namespace omnipar::test;
using view::Canvas, view::Look;

namespace {

// -- cells ----------------------------------------------------------------------------------------------------

/// Parts of names: plain and wide letters, combining and control characters, and invalid UTF-8.
constexpr std::array pieces{"a",      "Z",      " ",        "é",  "漢",   "字",       "e\u0301",
                            "\u0301", "\u200b", "\x1b[31m", "\n", "\xff", "\xe6\xbc", "👾"};

/// Every row fills its columns: a wide character takes two, the second of which is empty.
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

TEST_CASE("Any name stays in its cells and keeps the columns aligned", "[view]") {
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

/// The main nodes of the shipped models.
const std::vector<Description>& shipped_nodes() {
  static const std::vector<Description> nodes = [] {
    std::vector<Description> all;
    for (const UnitSheet& sheet : built_in_catalogue().units)
      if (Description node = node_of(sheet, "", "hall:" + std::to_string(all.size() + 1)); !node.codes.empty())
        all.push_back(std::move(node));
    return all;
  }();
  return nodes;
}

/// A random room: four of the shipped units come and go, and their controls move.
std::string room_text(ByteDice& dice, int events) {
  std::string text = to_line(TraceHead{"", true});
  std::vector<const Description*> units;
  for (int i = 0; i < 4; ++i) units.push_back(&shipped_nodes()[dice.below(shipped_nodes().size())]);
  for (std::size_t u = 0; u < units.size(); ++u) {
    Description node = *units[u];
    node.socket = node.device = "desk:" + std::to_string(u + 1);
    text += "\n" + to_line(static_cast<int>(u + 1), node);
  }
  std::vector<bool> plugged(units.size());
  std::int64_t time = 0;
  for (int i = 0; i < events && !dice.rest().empty(); ++i) {
    const std::size_t u = dice.below(units.size());
    time += static_cast<std::int64_t>(dice.below(40)) * 1000;
    TraceEvent event{at_us(time), static_cast<int>(u + 1), TraceAction::report, {}};
    if (!plugged[u] || dice.below(40) == 0) {
      plugged[u] = !plugged[u];
      event.action = plugged[u] ? TraceAction::plug_in : TraceAction::pull_out;
    } else {
      const CodeRange& range = units[u]->codes[dice.below(units[u]->codes.size())];
      const double part = static_cast<double>(dice.below(256)) / 255.0;
      const std::int32_t low = range.code.type == ev_rel ? -20 : range.minimum;
      const std::int32_t high = range.code.type == ev_rel ? 20 : range.maximum;
      event.changes = {{range.code, low + static_cast<std::int32_t>(std::lround(part * (high - low)))}};
    }
    text += "\n" + to_line(event);
  }
  return text;
}

/// The names in [brackets] that are highlighted between two columns, each after the title of its block.
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
    if (heading.starts_with("port ")) title = heading.substr(0, heading.find(':'));
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
      const bool is_half = name.ends_with("-x") || name.ends_with("-y") || name.ends_with("-on");
      const bool of_pair = is_half && names.contains(stem + "-x") && names.contains(stem + "-y");
      if (of_pair) name = stem;
      if (info.kind == TargetKind::coordinate) continue;
      const bool is_lit = info.kind == TargetKind::turns
                              ? reader.value({static_cast<std::uint16_t>(t)}) != 0
                              : reader.native({static_cast<std::uint16_t>(t)}) != info.native.rest;
      if (is_lit) lit.insert(fmt::format("port {}/{}", port.number, name));
    }
  }
  return lit;
}

/// Draws each frame of a simulated session and compares what is highlighted.
std::optional<std::string> judge_evening(const std::vector<std::uint8_t>& bytes) {
  ByteDice dice{bytes};
  cli::WatchingOptions options;
  options.ticks = true;
  const auto& systems = options.session.catalogue.systems;
  const std::string system = systems[dice.below(systems.size())].name;
  options.session.profile = propose(options.session.catalogue, system).value();
  const std::string room = room_text(dice, 200);
  // The same session without a view.
  auto alone =
      Session::open_room({options.session.profile, options.session.catalogue}, {"made up", lines_of(room)}).value();
  Reader plain{alone.engine()};
  options.room = Room{"made up", lines_of(room), {}};
  auto watching = cli::Watching::open(std::move(options)).value();
  Session& session = watching->session();
  Reader reader{session.engine()};
  std::map<std::string, bool> ticked;
  Canvas canvas{160, 150, true};
  for (Time frame{}; !session.over();) {
    frame += session.plan().frame();
    watching->run(frame);
    reader.next_frame();
    alone.run_until(frame);
    plain.next_frame();
    for (std::uint16_t t = 0; t < session.plan().targets().size(); ++t)
      if (reader.native({t}) != plain.native({t})) return fmt::format("target {} is another one when it is watched", t);
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
  // A button is ticked if a sample has shown it, or by a press that claimed a seat.
  std::map<int, std::uint64_t> seatings;
  while (const auto event = alone.next_event())
    if (const auto* seated = std::get_if<Seated>(&*event); seated != nullptr && !seated->again)
      for (const PortInfo& port : session.plan().ports())
        if (port.is_played_from(seated->seat)) ++seatings[port.number];
  for (const inspect::TickedPort& port : watching->ticks()->ports())
    for (const inspect::TickedTarget& target : port.targets)
      if (target.kind == TargetKind::button &&
          (target.ticked != 0) != ticked[fmt::format("port {}/{}", port.number, target.name)] &&
          target.presses > seatings[port.number])
        return fmt::format("port {}'s {} is ticked: {}", port.number, target.name, target.ticked);
  return std::nullopt;
}

}  // namespace

TEST_CASE("Highlighted controls match the samples at every frame of simulated sessions", "[view]") {
  judge_stories(11, cases(80, 2000), 600, judge_evening);
}

namespace {

/// One block as text.
std::string drawn(const view::Block& block, int width, bool utf8) {
  const view::Layout layout = view::lay_out(block, width);
  Canvas canvas{width, layout.all, utf8};
  view::draw(canvas, block, layout, 0, 0, width, layout.all);
  std::string text;
  for (const std::string& line : canvas.lines()) text += line + "\n";
  return text + "\n";
}

/// Everything on it pushed, axes halfway.
std::vector<Change> pushed(const Description& node) {
  std::vector<Change> changes;
  for (const CodeRange& range : node.codes)
    changes.push_back({range.code, range.code.type == ev_abs   ? range.minimum + (range.maximum - range.minimum) / 4 * 3
                                   : range.code.type == ev_rel ? 12
                                                               : 1});
  return changes;
}

}  // namespace

TEST_CASE("Each unit model, at rest and with every control at its end", "[view]") {
  const Catalogue catalogue = built_in_catalogue();
  std::string narrow, wide;
  for (const Description& node : shipped_nodes())
    for (const std::string& part : unit_parts(catalogue, node)) {
      inspect::Seen seen{catalogue};
      const Attachment attachment = attach_node(catalogue, node, node, part);
      if (attachment.controls.empty()) continue;
      seen.set_units(
          {{{node.name + (part.empty() ? "" : ", " + part), "left", true}, part, node, {{1, node, attachment}}}});
      narrow += drawn(view::block_of(seen.units()[0], {}), 38, true);
      const std::vector<Change> changes = pushed(node);
      seen.feed(1, {at_us(1000), changes});
      wide += drawn(view::block_of(seen.units()[0], {}), 58, false);
      wide += drawn(view::block_of(seen.units()[0], {true, true}), 58, true);
    }
  CHECK_GOLDEN("view-units-narrow.txt", narrow);
  CHECK_GOLDEN("view-units-wide.txt", wide);
}

TEST_CASE("Each machine's controllers", "[view]") {
  const Catalogue catalogue = built_in_catalogue();
  std::string narrow, wide;
  for (const SystemSheet& system : catalogue.systems) {
    const Plan plan = compile(catalogue, propose(catalogue, system.name).value()).value();
    inspect::Seen seen{catalogue};
    seen.set_plan(plan);
    const inspect::TickOff ticks{plan, seen};
    narrow += drawn(view::block_of(seen.ports()[0], nullptr), 39, true);
    wide += drawn(view::block_of(seen.ports()[0], &ticks.ports()[0]), 59, false);
  }
  CHECK_GOLDEN("view-ports-narrow.txt", narrow);
  CHECK_GOLDEN("view-ports-wide.txt", wide);
}

TEST_CASE("A view of any size stays in its cells", "[view]") {
  const Catalogue catalogue = built_in_catalogue();
  const Plan plan = compile(catalogue, propose(catalogue, "gun-booth").value()).value();
  inspect::Seen seen{catalogue};
  seen.set_plan(plan);
  std::vector<UnitDetails> units;
  for (const Description& node : shipped_nodes()) {
    const int number = static_cast<int>(units.size());
    units.push_back({{node.name, "seat-1", true}, "", node, {{number, node, attach_node(catalogue, node, node)}}});
  }
  seen.set_units(units);
  const inspect::TickOff ticks{plan, seen};
  view::Page page;
  page.title = "a title that is longer than all this";
  page.aside = "12.345 s";
  page.press = {"a press of something",
                "  something 0.5 -> dead zone 0.15 0.41 -> port 1: the-longest-name-of-all-targets  "};
  page.notes = {"Player 1 plays with \"漢字の長い名前のとても長いパッド第一号機\" ", "words " + std::string(300, 'x')};
  page.keys = "q ends";
  page.ticks = &ticks;
  for (int width = 1; width < 60; ++width)
    for (int height = 1; height < 50; height += 3) {
      Canvas canvas{width, height, width % 2 == 0};
      view::draw(canvas, seen, page);
      check_columns(canvas);
    }
}

TEST_CASE("Two players on one node are recognised and shown separately", "[view]") {
  const Catalogue catalogue = built_in_catalogue();
  Description node;
  node.name = "Shared Panel";
  node.codes = {{code::abs_x, -100, 100, 0}, {code::abs_y, -100, 100, 0}, {code::btn_south, 0, 1, 0}};
  const auto player = [&](const std::string& part, Control axis, std::vector<Control> more) {
    UnitDetails unit{{part, part, true}, part, node, {}};
    Attachment attachment{part, part, {std::move(axis)}, {{axis.code, 0}}};
    for (Control& control : more) attachment.controls.push_back(std::move(control));
    unit.nodes.push_back({1, node, std::move(attachment)});
    return unit;
  };
  const Control left{code::abs_x, ControlType::two_sided, "wheel", Axis::none, -100, 100, 0};
  const Control right{code::abs_y, ControlType::two_sided, "wheel", Axis::none, -100, 100, 0};
  inspect::Seen seen{catalogue};
  seen.set_units({player("left", left, {}), player("right", right, {{code::btn_south, ControlType::button, "south"}})});
  for (const inspect::SeenUnit& unit : seen.units()) CHECK(unit.controls[0].odd == inspect::Oddity::none);
  for (int ms = 0; ms < 8; ++ms) {
    const Change change{code::btn_south, ms % 2};
    seen.feed(1, {at_us(1'000'000 + ms * 4000), {&change, 1}});
  }
  CHECK(seen.units()[1].controls[1].odd == inspect::Oddity::bounces);
  CHECK(seen.units()[0].controls[0].odd == inspect::Oddity::none);
}
