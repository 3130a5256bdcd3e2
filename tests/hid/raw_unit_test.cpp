// Units that are read from raw reports: their parts and roles, by themselves and by a sheet, through the engine.
#include <catch2/catch.hpp>

#include <algorithm>

#include "hid/descriptors.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/sheets.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Description adapter(const Bytes& descriptor) {
  Description node;
  node.name = "Sedge Two-Plug Adapter";
  node.vendor = 0x1209;
  node.product = 0x0023;
  node.descriptor = descriptor;
  describe_raw(node);
  return node;
}

std::vector<std::string> roles(const Attachment& attachment) {
  std::vector<std::string> all;
  for (const Control& control : attachment.controls) all.push_back(control.role);
  std::ranges::sort(all);
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return all;
}

Catalogue with_sheet(const std::string& controls) {
  const Sheets sheets = read_sheets("sedge.toml", R"(omnipar = 1
kind = "unit"
name = "sedge-adapter"
title = "Sedge adapter"
identity = [{ vendor = 0x1209, product = 0x0023 }]
part = [{ name = "near", title = "near socket" }, { name = "far", title = "far socket" }]
)" + controls);
  for (const Diagnostic& problem : sheets.problems) UNSCOPED_INFO(to_text(problem));
  REQUIRE(sheets.problems.empty());
  return {{}, sheets.units};
}

}  // namespace

TEST_CASE("both players of an adapter have the same roles, each of their own controls", "[hid]") {
  const Description node = adapter(GENERATE(adapter_in_one_report(), adapter_with_ids()));
  const auto parts = unit_parts({}, node);
  REQUIRE(std::ranges::find(parts, "player-2") != parts.end());
  const Attachment one = attach_node({}, node, node, "player-1");
  const Attachment two = attach_node({}, node, node, "player-2");
  CHECK(roles(one) == roles(two));
  const auto its_roles = roles(one);
  CHECK(std::ranges::find(its_roles, "left-stick") != its_roles.end());
  for (const Control& a : one.controls)
    for (const Control& b : two.controls) CHECK(a.code != b.code);
}

TEST_CASE("a sheet says what controls of raw reports are, and to which part they belong", "[hid]") {
  const Catalogue catalogue = with_sheet(R"(
control = [{ code = "hid:0/x#2", role = "left-stick", axis = "x", parts = ["far"] },
           { code = "hid:0/y#2", role = "left-stick", axis = "y", parts = ["far"], rest = 100 },
           { code = "hid:0/button-3#2", role = "south", parts = ["far"] },
           { code = "hid:0/button-3", role = "south", parts = ["near"] },
           { code = "hid:0/button-18", role = "start" }]
)");
  const Description node = adapter(adapter_in_one_report());
  CHECK(unit_parts(catalogue, node) == std::vector<std::string>{"near", "far"});
  CHECK_FALSE(reason_for_raw(catalogue, node, node.descriptor).empty());
  const Attachment far = attach_node(catalogue, node, node, "far");
  REQUIRE(far.controls.size() == 4);
  CHECK(far.controls[0].rest == 128);
  CHECK(far.controls[1].rest == 100);
  CHECK(roles(attach_node(catalogue, node, node, "near")) == std::vector<std::string>{"south", "start"});
}

TEST_CASE("names of raw controls in a sheet are checked", "[hid]") {
  const auto problem = [](const std::string& name) {
    const Sheets sheets = read_sheets("s.toml", R"(omnipar = 1
kind = "unit"
name = "s"
title = "S"
identity = [{ vendor = 1, product = 2 }]
control = [{ code = ")" + name + R"(", role = "south" }]
)");
    return sheets.problems.empty() ? "" : sheets.problems.front().id;
  };
  for (const char* good : {"hid:0/x", "hid:255/button-3#2", "hid:1/key-04", "hid:0/hat-switch.x", "hid:1/ff00.20"})
    CHECK(problem(good).empty());
  for (const char* bad : {"hid:", "hid:0", "hid:256/x", "hid:-1/x", "hid:0/", "hid:0/nothing", "hid:0/x#", "hid:0/x.x"})
    CHECK(problem(bad) == "unknown-code");
}

TEST_CASE("an axis of 16 bits reaches the engine with all of them", "[hid]") {
  const Bytes wide = application(0x05) + Bytes{0x15, 0x00, 0x27, 0xff, 0xff, 0x00, 0x00, 0x75, 0x10,
                                               0x95, 0x02, 0x09, 0x30, 0x09, 0x31, 0x81, 0x02} +
                     buttons(1, 8, 0) + end_collection;
  const Description node = adapter(wide);
  const Catalogue catalogue = built_in_catalogue();
  Profile profile = propose(catalogue, "pad-two-stick").value();
  Engine engine{compile(catalogue, profile).value()};
  Attachment attachment = attach_node({}, node, node);
  attachment.seat = "seat-1";
  const UnitId unit = engine.attach(attachment).value();
  Reader reader{engine};
  hid::Decoder decoder{hid::read_descriptor(wide).value()};
  double last = -2;
  for (std::uint32_t x = 45'000; x < 65'536; ++x) {  // beyond the dead zone
    const std::vector<std::uint8_t> report{static_cast<std::uint8_t>(x), static_cast<std::uint8_t>(x >> 8), 0x00, 0x80,
                                           0};
    engine.feed(unit, {at_us(x), decoder.decode(report)});
    reader.next_frame();
    const double shown = reader.port(1).value(*engine.plan().target(1, "stick-x"));
    REQUIRE(shown > last);
    last = shown;
  }
  CHECK(last == 1);
}
