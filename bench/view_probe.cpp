// One drawing of a busy view: eight units, four ports with everything highlighted, and the output that turns the
// previous drawing into it. For counting the instructions of `run_drawing`.
#include <array>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"
#include "view/page.hpp"
#include "view/terminfo.hpp"

using namespace omnipar;

namespace {

constexpr int units = 8;
constexpr std::array<std::uint16_t, 11> buttons{0x130, 0x131, 0x133, 0x134, 0x136, 0x137,
                                                0x13a, 0x13b, 0x13c, 0x13d, 0x13e};
constexpr std::array<std::uint16_t, 2> hats{0x10, 0x11};
constexpr std::array<std::uint16_t, 6> axes{0, 1, 2, 3, 4, 5};

Description pad(int number) {
  Description node;
  node.name = "Moor Pad " + std::to_string(number);
  node.bus = 3;
  node.vendor = 0x1209;
  node.product = 2;
  node.socket = node.device = "hall:" + std::to_string(number);
  for (const std::uint16_t button : buttons) node.codes.push_back({key(button), 0, 1, 0});
  for (const std::uint16_t axis : axes)
    node.codes.push_back(axis == 2 || axis == 5 ? CodeRange{absolute(axis), 0, 255, 0}
                                                : CodeRange{absolute(axis), -32768, 32767, 0});
  for (const std::uint16_t hat : hats) node.codes.push_back({absolute(hat), -1, 1, 0});
  return node;
}

/// Everything on the pads, pushed or released.
std::vector<Change> pushed(bool on, int by) {
  std::vector<Change> changes;
  for (const std::uint16_t button : buttons) changes.push_back({key(button), on ? 1 : 0});
  for (const std::uint16_t axis : axes)
    changes.push_back({absolute(axis), on ? (axis == 2 || axis == 5 ? 100 + by : 20'000 + 1000 * by) : 0});
  for (const std::uint16_t hat : hats) changes.push_back({absolute(hat), on ? 1 : 0});
  return changes;
}

}  // namespace

// Outside the unnamed namespace and never inlined: callgrind finds it by name.
[[gnu::noinline]] std::size_t run_drawing(view::Canvas& canvas, const view::Canvas& before, const inspect::Seen& seen,
                                          view::Page& page, const view::Terminfo& terminal, const Profile& profile,
                                          const Catalogue& catalogue, const std::vector<inspect::Link>& links) {
  const auto& press = seen.last_press();
  page.press = view::press_words(*press, links, [&] { return inspect::stops(catalogue, profile, press->role); });
  view::draw(canvas, seen, page);
  return view::difference(&before, canvas, terminal).size();
}

int main() {
  ::setenv("TERM", "xterm-256color", 1);
  const Catalogue catalogue = built_in_catalogue();
  const Profile profile = propose(catalogue, "pad-two-stick").value();
  const Plan plan = compile(catalogue, profile).value();
  Engine engine{plan};
  Reader reader{engine};
  inspect::Seen seen{catalogue};
  seen.set_plan(plan);
  std::vector<UnitDetails> details;
  std::vector<UnitId> ids;
  for (int i = 0; i < units; ++i) {
    UnitDetails& unit = details.emplace_back();
    unit.description = pad(i);
    Attachment attachment = recognise(catalogue, {}, unit.description).value();
    attachment.seat = "seat-" + std::to_string(i % 4 + 1);
    unit.here = {unit.description.name, attachment.seat, true};
    unit.nodes.push_back({i, unit.description, attachment});
    ids.push_back(engine.attach(attachment).value());
  }
  seen.set_units(details);
  inspect::TickOff ticks{plan, seen};
  view::Page page;
  page.title = "a busy evening";
  page.keys = "q ends";
  page.ticks = &ticks;
  const auto links = inspect::links(catalogue, profile);
  const view::Terminfo terminal{1, true};
  view::Canvas before{120, 36, true}, canvas{120, 36, true};
  std::size_t bytes = 0;
  for (int step = 1; step <= 2; ++step) {
    const std::vector<Change> changes = pushed(step == 2, step);
    const Time time = at_us(std::int64_t{step} * 20'000);
    for (int i = 0; i < units; ++i) {
      engine.feed(ids[static_cast<std::size_t>(i)], {time, changes});
      seen.feed(i, {time, changes});
    }
    engine.advance(time);
    reader.next_frame();
    if (seen.look(reader)) ticks.update(seen);
    if (step == 1)
      view::draw(before, seen, page);
    else
      bytes = run_drawing(canvas, before, seen, page, terminal, profile, catalogue, links);
  }
  std::printf("bytes for the terminal: %zu\n", bytes);
  return bytes > 1000 ? EXIT_SUCCESS : EXIT_FAILURE;
}
