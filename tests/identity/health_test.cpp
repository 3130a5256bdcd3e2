// Warnings about units, and draft sheets for unknown ones.
#include <catch2/catch.hpp>

#include "attach/health_watch.hpp"
#include "inspect/report.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/sheets.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

using Notes = std::vector<std::string>;

Notes notes_of(const Description& unit) { return health_notes(recognise({}, {}, unit).value()); }

Description with(Description unit, Code code, std::int32_t value) {
  for (CodeRange& range : unit.codes)
    if (range.code == code) range.value = value;
  return unit;
}

}  // namespace

TEST_CASE("A unit at rest has no warnings except unknown axes", "[health]") {
  CHECK(notes_of(panel()).empty());
  CHECK(notes_of(old_stick()) == Notes{"'left-stick': its position is unknown until it is first moved"});
  CHECK(notes_of(with(with(old_stick(), code::abs_x, 130), code::abs_y, 127)).empty());
}

TEST_CASE("Held controls and axes at their ends are named", "[health]") {
  CHECK(notes_of(with(panel(), code::btn_east, 1)) ==
        Notes{"'east' is held: it counts from its next press; if nobody holds it, its switch is stuck"});
  const Description pushed = with(with(old_stick(), code::abs_x, 255), code::abs_y, 128);
  CHECK(notes_of(pushed) ==
        Notes{"'left-stick' is at the end of its range: it is held there, rests there, or needs calibration"});
  const Description pad = with(with(plain_pad(), code::abs_z, 255), code::abs_rz, 200);
  CHECK(notes_of(pad) == Notes{"'left-trigger' is at the end of its range"});
}

TEST_CASE("A draft is a valid sheet that matches the convention and contains no personal data", "[report]") {
  for (Description unit : {plain_pad(), panel(), old_stick(), plain_pad("\"Odd\" \\ \x1b Pad"), plain_pad("7")}) {
    unit.vendor = 0x1209;
    unit.product = 0xf;
    unit.serial = "AA:BB:CC:DD:EE:FF";
    unit.socket = unit.device = "platform/hall:7";
    unit.node = "/dev/input/event99";
    const std::string draft = inspect::sheet_draft({unit});
    INFO(draft);
    const Sheets sheets = read_sheets("draft.toml", draft);
    REQUIRE(sheets.problems.empty());
    REQUIRE(sheets.units.size() == 1);
    for (const std::string& personal : {unit.serial, unit.socket, unit.node})
      CHECK(draft.find(personal) == std::string::npos);
    unit.name = sheets.units[0].identities[0].name;  // safe for a terminal
    const Catalogue catalogue{{}, sheets.units};
    const auto by_sheet = recognise(catalogue, {}, unit).value().controls;
    const auto by_convention = recognise({}, {}, unit).value().controls;
    CHECK(std::ranges::is_permutation(by_sheet, by_convention));
  }
}

TEST_CASE("Drafts for mice and keyboards use the names of their keys", "[report]") {
  Description mouse;
  mouse.name = "Lark Booth Gun Mouse";
  mouse.codes = {{key(0x110)}, {key(0x113)}, {code::abs_x, 0, 32767, 0}, {code::abs_y, 0, 32767, 0}, {relative(8)}};
  Description keys;
  keys.name = "Lark Booth Gun Keyboard";
  keys.codes = {{key(2)}, {key(30)}, {key(97)}, {key(14)}};
  const std::string draft = inspect::sheet_draft({mouse, keys});
  const Sheets sheets = read_sheets("draft.toml", draft);
  INFO(draft);
  REQUIRE(sheets.problems.empty());
  std::string roles;
  for (const ControlSheet& control : sheets.units.at(0).controls) roles += control.node + "/" + control.role + " ";
  CHECK(roles ==
        "/mouse-left /pointer /pointer /mouse-wheel keys/key-1 keys/key-a keys/key-rightctrl keys/key-backspace ");
}

TEST_CASE("Listening reports jitter and bounce, but no deliberate movement", "[health]") {
  attach::HealthWatch watch{recognise({}, {}, plain_pad()).value()};
  const auto tell = [&watch](std::int64_t ms, Code code, std::int32_t value) {
    const Change change{code, value};
    watch.feed({Time{std::chrono::milliseconds{ms}}, {&change, 1}});
  };
  for (int i = 0; i < 20; ++i) {
    tell(i * 8, code::abs_x, i % 2 == 0 ? 300 : -500);       // not moved
    tell(i * 8, code::abs_y, i * 3000 - 30000);              // one deliberate movement
    tell(i * 8, code::abs_rx, i % 2 == 0 ? -20000 : 20000);  // a trembling hand
  }
  tell(1000, code::btn_south, 1);
  tell(1004, code::btn_south, 0);
  tell(1012, code::btn_south, 1);
  tell(1200, code::btn_south, 0);
  for (int tap = 0; tap < 10; ++tap) {  // the fastest possible presses
    tell(2000 + tap * 60, code::btn_east, 1);
    tell(2030 + tap * 60, code::btn_east, 0);
  }
  CHECK(watch.notes() ==
        Notes{"'south' bounces for 12 ms: debounce it in a binding with { use = \"south\", debounce = 15 }",
              "'left-stick' (x) jitters by 1.2 % of its range at rest"});
}

TEST_CASE("A unit with axes is silent until it reports a value; one without axes is never silent", "[health]") {
  const auto silent = [](const Description& unit) { return is_silent(recognise({}, {}, unit).value()); };
  CHECK(silent(old_stick()));
  CHECK_FALSE(silent(with(old_stick(), code::abs_x, 128)));
  CHECK_FALSE(silent(with(old_stick(), code::btn_trigger, 1)));
  Description switches = panel();
  std::erase_if(switches.codes, [](const CodeRange& range) { return range.code.type == ev_abs; });
  CHECK_FALSE(silent(switches));
}
