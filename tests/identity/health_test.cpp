// What is odd about a unit as it was found; and drafts of sheets for units that nobody knows.
#include <catch2/catch.hpp>

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

TEST_CASE("A unit at rest has nothing odd but what nobody can know", "[health]") {
  CHECK(notes_of(panel()).empty());
  CHECK(notes_of(old_stick()) == Notes{"'left-stick': where it stands is unknown until it is first moved"});
  CHECK(notes_of(with(with(old_stick(), code::abs_x, 130), code::abs_y, 127)).empty());
}

TEST_CASE("Controls that are down, and axes at their ends, are named in words", "[health]") {
  CHECK(notes_of(with(panel(), code::btn_east, 1)) ==
        Notes{"'east' is down: it counts from its next press; if nobody holds it, its switch is stuck"});
  const Description pushed = with(with(old_stick(), code::abs_x, 255), code::abs_y, 128);
  CHECK(notes_of(pushed) ==
        Notes{"'left-stick' stands at its end: it is held there, or rests there, or has not been calibrated"});
  const Description pad = with(with(plain_pad(), code::abs_z, 255), code::abs_rz, 200);
  CHECK(notes_of(pad) == Notes{"'left-trigger' is pushed to its end"});
}

TEST_CASE("A draft is a sheet that can be read, says what the convention says, and tells nothing of its owner",
          "[report]") {
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
    unit.name = sheets.units[0].identities[0].name;  // fit for a terminal
    const Catalogue catalogue{{}, sheets.units};
    const auto by_sheet = recognise(catalogue, {}, unit).value().controls;
    const auto by_convention = recognise({}, {}, unit).value().controls;
    CHECK(std::ranges::is_permutation(by_sheet, by_convention));
  }
}
