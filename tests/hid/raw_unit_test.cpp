// Units read from raw reports: their parts and roles, with and without a sheet, through the engine.
#include <catch2/catch.hpp>

#include <algorithm>

#include "hid/descriptors.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/raw_unit.hpp"
#include "omnipar/sheets.hpp"
#include "support/allocations.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Description adapter(const Bytes& descriptor) {
  Description node;
  node.name = "Sedge Two-Plug Adapter";
  node.vendor = 0x1209;
  node.product = 0x000b;
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

/// The events of a raw unit as text: "socket 1 out", "hid:0/x#2 200".
std::vector<std::string> words(const Description& node, const RawUnit::Update& update) {
  std::vector<std::string> all;
  for (const SocketChange& socket : update.sockets)
    all.push_back("socket " + std::to_string(socket.part) + (socket.filled ? " in" : " out"));
  for (const Change& change : update.changes)
    all.push_back(control_name(node, change.code) + " " + std::to_string(change.value));
  return all;
}
using Words = std::vector<std::string>;

Catalogue with_sheet(const std::string& controls) {
  const Sheets sheets = read_sheets("sedge.toml", R"(omnipar = 1
kind = "unit"
name = "sedge-adapter"
title = "Sedge adapter"
identity = [{ vendor = 0x1209, product = 0x000b }]
part = [{ name = "near", title = "near socket" }, { name = "far", title = "far socket" }]
)" + controls);
  for (const Diagnostic& problem : sheets.problems) UNSCOPED_INFO(to_text(problem));
  REQUIRE(sheets.problems.empty());
  return {{}, sheets.units};
}

/// The id of the first error in a unit sheet of these lines; empty if there is none.
std::string first_problem(const std::string& lines) {
  const Sheets sheets = read_sheets("s.toml", R"(omnipar = 1
kind = "unit"
name = "s"
title = "S"
identity = [{ vendor = 1, product = 2 }]
)" + lines);
  return sheets.problems.empty() ? "" : sheets.problems.front().id;
}

}  // namespace

TEST_CASE("Both players of an adapter have the same roles, each on separate controls", "[hid]") {
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

TEST_CASE("A sheet assigns roles and parts to controls of raw reports", "[hid]") {
  const Catalogue catalogue = with_sheet(R"(
control = [{ code = "hid:0/x#2", role = "left-stick", axis = "x", parts = ["far"] },
           { code = "hid:0/y#2", role = "left-stick", axis = "y", parts = ["far"], rest = 100 },
           { code = "hid:0/button-3#2", role = "south", parts = ["far"] },
           { code = "hid:0/button-3", role = "south", parts = ["near"] },
           { code = "hid:0/button-18", role = "start" }]
)");
  const Description node = adapter(adapter_in_one_report());
  CHECK(unit_parts(catalogue, node) == std::vector<std::string>{"near", "far"});
  // The kernel gives one code to both X and one to both Y, and drops the second button 3.
  Description event_node;
  event_node.vendor = node.vendor;
  event_node.product = node.product;
  CHECK(reason_for_raw(catalogue, event_node, node.descriptor) == "its event node lacks 3 of 5 controls");
  const Attachment far = attach_node(catalogue, node, node, "far");
  REQUIRE(far.controls.size() == 4);
  CHECK(far.controls[0].rest == 128);
  CHECK(far.controls[1].rest == 100);
  CHECK(roles(attach_node(catalogue, node, node, "near")) == std::vector<std::string>{"south", "start"});
}

TEST_CASE("Names of raw controls in a sheet are checked", "[hid]") {
  const auto problem = [](const std::string& name) {
    return first_problem("control = [{ code = \"" + name + "\", role = \"south\" }]\n");
  };
  for (const char* good : {"hid:0/x", "hid:255/button-3#2", "hid:1/key-04", "hid:0/hat-switch.x", "hid:1/ff00.20"})
    CHECK(problem(good).empty());
  for (const char* bad : {"hid:", "hid:0", "hid:256/x", "hid:-1/x", "hid:0/", "hid:0/nothing", "hid:0/x#", "hid:0/x.x"})
    CHECK(problem(bad) == "unknown-code");
}

TEST_CASE("A 16-bit axis reaches the engine with all its bits", "[hid]") {
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
    const double shown = reader.port(1).value(*engine.plan().target(1, "left-stick-x"));
    REQUIRE(shown > last);
    last = shown;
  }
  CHECK(last == 1);
}

TEST_CASE("Positions that are not self-centering follow a reconnected raw unit after its first report", "[hid]") {
  const Description node = adapter(application(0x04) + stick + buttons(1, 2, 6) + end_collection);
  Engine engine{compile(built_in_catalogue(), propose(built_in_catalogue(), "stick-keypad").value()).value()};
  Reader reader{engine};
  Attachment attachment = attach_node({}, node, node);
  attachment.seat = "seat-1";
  const auto shown_after = [&](RawUnit& raw, UnitId unit, std::uint8_t x) {
    engine.feed(unit, {engine.now(), raw.feed(std::vector<std::uint8_t>{x, 128, 0}, at_us(0)).changes});
    reader.next_frame();
    return reader.port(1).value(*engine.plan().target(1, "stick-x"));
  };
  RawUnit raw{{}, node, Time{}};
  const UnitId unit = engine.attach(attachment).value();
  REQUIRE(shown_after(raw, unit, 0) == -1);
  engine.detach(unit);
  RawUnit again{{}, node, Time{}};
  const UnitId later = engine.attach(attachment).value();
  reader.next_frame();
  CHECK(reader.port(1).value(*engine.plan().target(1, "stick-x")) == -1);
  CHECK(shown_after(again, later, 128) == 0);
}

TEST_CASE("A socket whose axes have no value is empty, and a new plug reports its current state", "[hid]") {
  const Bytes socket = Bytes{0x05, 0x01, 0x09, 0x01, 0xa1, 0x00, 0x09, 0x30, 0x15, 0x00,
                             0x26, 0xc8, 0x00, 0x75, 0x08, 0x95, 0x01, 0x81, 0x42} +
                       buttons(1, 2, 6) + end_collection;
  const Description node = adapter(application(0x04) + socket + socket + end_collection);
  RawUnit unit{{}, node, at_us(0)};
  const auto feed = [&](std::int64_t ms, const Bytes& report) {
    RawUnit::Update update;
    CHECK(test::allocations_during([&] { update = unit.feed(report, at_us(ms * 1000)); }) == 0);
    return words(node, update);
  };
  // controls down at opening were down before; an empty socket's bytes mean nothing
  CHECK(feed(50, {10, 1, 255, 3}) == Words{"socket 1 out", "hid:0/x 10"});
  CHECK(feed(500, {10, 0, 255, 0}) == Words{"hid:0/button-1 0"});
  CHECK(feed(600, {11, 2, 255, 1}) == Words{"hid:0/x 11", "hid:0/button-2 1"});
  // a plug is connected with its button held: its state, followed by the other player's update
  CHECK(feed(700, {12, 2, 90, 1}) ==
        Words{"socket 1 in", "hid:0/x#2 90", "hid:0/button-1#2 1", "hid:0/button-2#2 0", "hid:0/x 12"});
  CHECK(feed(800, {12, 2, 91, 0}) == Words{"hid:0/x#2 91", "hid:0/button-1#2 0"});
  CHECK(feed(900, {255, 2, 91, 0}) == Words{"socket 0 out"});
  CHECK_FALSE(unit.next_due());
}

TEST_CASE("A sheet names the vendor-defined byte that shows filled sockets", "[hid]") {
  const Bytes vendors_byte{0x06, 0x00, 0xff, 0x09, 0x20, 0x15, 0x00, 0x26,
                           0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02};
  const Bytes player = stick + buttons(1, 2, 6);
  const Description node = adapter(application(0x04) + player + player + vendors_byte + end_collection);
  const std::string controls = R"(
control = [{ code = "hid:0/x", role = "left-stick", axis = "x", parts = ["near"] },
           { code = "hid:0/button-1", role = "south", parts = ["near"] },
           { code = "hid:0/x#2", role = "left-stick", axis = "x", parts = ["far"] },
           { code = "hid:0/button-1#2", role = "south", parts = ["far"] }]
)";
  Catalogue catalogue = with_sheet(controls);
  REQUIRE(catalogue.units.front().parts.size() == 2);
  catalogue.units.front().parts[1].plugged = "hid:0/ff00.20";
  catalogue.units.front().parts[1].plugged_bits = 0xf0;
  catalogue.units.front().parts[1].empty_is = 0xf0;
  RawUnit unit{catalogue, node, at_us(0)};
  const auto feed = [&](std::int64_t ms, const Bytes& report) {
    return words(node, unit.feed(report, at_us(ms * 1000)));
  };
  CHECK(feed(200, {128, 128, 0, 128, 128, 0, 0xf3}).front() == "socket 1 out");
  CHECK(feed(300, {128, 128, 1, 7, 128, 1, 0xf0}) == Words{"hid:0/button-1 1", "hid:0/ff00.20 240"});
  CHECK(feed(400, {128, 128, 1, 7, 128, 1, 0x10}) ==
        Words{"socket 1 in", "hid:0/x#2 7", "hid:0/button-1#2 1", "hid:0/ff00.20 16"});
  CHECK(feed(500, {128, 128, 1, 7, 128, 0, 0x11}) == Words{"hid:0/button-1#2 0", "hid:0/ff00.20 17"});

  const auto problem = [](const std::string& part) {
    return first_problem("part = [{ name = \"near\", title = \"Near\", " + part + R"( }]
control = [{ code = "hid:0/x", role = "left-stick", axis = "x" }]
)");
  };
  CHECK(problem("plugged = \"hid:1/ff00.20#3\", plugged-bits = 0x0f, empty-is = 3").empty());
  CHECK(problem("plugged = \"ABS_X\"") == "unknown-code");
  CHECK(problem("plugged = \"hid:0/x\", plugged-bits = 0") == "bad-number");
}

TEST_CASE("On an adapter that always sends, a socket without reports of its own is empty", "[hid]") {
  Catalogue catalogue = with_sheet(R"(streams = true
control = [{ code = "hid:1/x", role = "left-stick", axis = "x", parts = ["near"] },
           { code = "hid:1/button-1", role = "south", parts = ["near"] },
           { code = "hid:2/x", role = "left-stick", axis = "x", parts = ["far"] },
           { code = "hid:2/button-1", role = "south", parts = ["far"] }]
)");
  const Description node = adapter(adapter_with_ids());
  RawUnit unit{catalogue, node, at_us(0)};
  Words sockets;
  for (std::int64_t ms = 5; ms < 1500; ms += 5) {
    const Time now = at_us(ms * 1000);
    const auto add = [&](const RawUnit::Update& update) {
      for (const std::string& word : words(node, update))
        if (word.starts_with("socket")) sockets.push_back(std::to_string(ms) + " " + word);
    };
    if (unit.next_due() && *unit.next_due() <= now) add(unit.advance(now));
    add(unit.feed(Bytes{1, 128, 128, 0}, now));
    if (ms >= 700 && ms < 800) add(unit.feed(Bytes{2, 128, 128, 0}, now));
  }
  CHECK(sockets == Words{"500 socket 1 out", "700 socket 1 in", "1295 socket 1 out"});
}

TEST_CASE("Buttons that the event node shows held at opening count from their next press", "[hid]") {
  const Description node = adapter(adapter_with_ids());
  Description event_node;
  event_node.codes = {{code::btn_trigger, 0, 1, 1}, {key(0x121), 0, 1, 0}};
  RawUnit unit{{}, node, at_us(0)};
  unit.begin_as(event_node);
  const auto feed = [&](const Bytes& report) { return words(node, unit.feed(report, at_us(500'000))); };
  CHECK(feed({1, 0, 0, 3}) == Words{"hid:1/x 0", "hid:1/y 0", "hid:1/button-2 1"});
  CHECK(feed({1, 0, 0, 2}) == Words{"hid:1/button-1 0"});
  CHECK(feed({1, 0, 0, 3}) == Words{"hid:1/button-1 1"});
}

TEST_CASE("An array key held at opening does not block later presses", "[hid]") {
  const Bytes array{0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x01, 0x25, 0x08, 0x75, 0x08, 0x95, 0x02, 0x81, 0x00};
  const Description node = adapter(application(0x04) + array + end_collection);
  Description event_node;
  event_node.codes = {{code::btn_trigger, 0, 1, 1}};
  RawUnit unit{{}, node, at_us(0)};
  unit.begin_as(event_node);
  const auto feed = [&](const Bytes& report) { return words(node, unit.feed(report, at_us(500'000))); };
  CHECK(feed({0, 0}).empty());
  CHECK(feed({1, 0}) == Words{"hid:0/button-1 1"});
  CHECK(feed({0, 0}) == Words{"hid:0/button-1 0"});
}

TEST_CASE("After a possible loss of reports, controls that do not report again are released", "[hid]") {
  const Description node = adapter(adapter_with_ids());
  RawUnit unit{{}, node, at_us(0)};
  const auto feed = [&](std::int64_t ms, const Bytes& report) {
    return words(node, unit.feed(report, at_us(ms * 1000)));
  };
  (void)feed(200, {1, 0, 128, 1});
  (void)feed(200, {2, 255, 128, 2});
  unit.may_have_lost(at_us(300'000));
  REQUIRE(unit.next_due() == at_us(350'000));
  CHECK(feed(310, {1, 0, 128, 1}).empty());  // unchanged
  CHECK(unit.advance(at_us(349'999)).empty());
  RawUnit::Update let_go;
  CHECK(test::allocations_during([&] { let_go = unit.advance(at_us(350'000)); }) == 0);
  CHECK(words(node, let_go) == Words{"hid:2/x 128", "hid:2/button-2 0"});
  CHECK_FALSE(unit.next_due());
  // held throughout: it counts from the next report
  CHECK(feed(500, {2, 255, 128, 3}) == Words{"hid:2/x 255", "hid:2/button-1 1", "hid:2/button-2 1"});
  CHECK(feed(600, {2, 255, 128, 2}) == Words{"hid:2/button-1 0"});
}

TEST_CASE("A unit's two nodes are read as one if the raw reports contain both", "[hid]") {
  // a joystick and a game pad with lost buttons, a mouse: the kernel creates a node for each
  const Bytes twice = application(0x04) + numbered(1) + stick + buttons(1, 4, 4) + end_collection + application(0x05) +
                      numbered(2) + stick + stick + buttons(1, 4, 4) + end_collection + application(0x02) +
                      numbered(3) + buttons(1, 3, 5) + end_collection;
  const Description raw = adapter(twice);
  const auto node = [](const std::vector<Code>& codes) {
    Description made;
    for (const Code code : codes) made.codes.push_back({code, 0, 1, 0});
    return made;
  };
  CHECK(raw_tells_all({}, raw, node({code::abs_x, code::abs_y, code::btn_trigger})));
  CHECK(raw_tells_all({}, raw, node({code::abs_x, code::abs_y, code::btn_south})));
  CHECK_FALSE(raw_tells_all({}, raw, node({key(0x110)})));
  CHECK_FALSE(raw_tells_all({}, raw, node({key(30)})));
}
