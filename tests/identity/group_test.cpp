// Grouping of nodes into physical units.
#include <algorithm>
#include <catch2/catch.hpp>
#include <random>

#include "omnipar/omnipar.hpp"
#include "omnipar/sheets.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Description node(std::string name, NodeKind kind, std::string device, int interface = -1, std::string serial = "") {
  Description d = kind == NodeKind::pad ? plain_pad() : Description{};
  d.name = std::move(name);
  d.bus = 3;
  d.vendor = 0x1209;
  d.product = 2;
  d.device = d.socket = std::move(device);
  d.interface = interface;
  d.serial = std::move(serial);
  if (kind == NodeKind::keys) d.codes = {{key(16)}, {key(30)}};
  if (kind == NodeKind::mouse) d.codes = {{key(0x110)}, {{ev_rel, 0}}};
  if (kind == NodeKind::touch) d.codes = {{key(0x145)}, {key(0x110)}, {code::abs_x, 0, 100, 0}};
  if (kind == NodeKind::motion) d.codes = {{code::abs_x, -99, 99, 0}, {code::abs_rx, -99, 99, 0}};
  return d;
}

/// Each unit's nodes by name; the result must be the same for every order of the nodes.
std::vector<std::string> grouped(std::vector<Description> nodes) {
  std::vector<std::string> first;
  std::mt19937 dice{5};
  for (int round = 0; round < 50; ++round) {
    std::ranges::shuffle(nodes, dice);
    std::vector<std::string> units;
    for (const UnitNodes& unit : group_nodes(nodes)) {
      std::string text;
      for (const std::size_t i : unit.nodes) text += (text.empty() ? "" : "+") + nodes[i].name;
      for (const Connection& spare : unit.spares) text += " or " + nodes[spare.nodes.front()].name;
      const std::string& socket = nodes[unit.main()].socket;
      units.push_back(text + " @" + socket + (unit.half.empty() ? "" : "/" + unit.half));
    }
    if (round == 0) first = units;
    REQUIRE(units == first);
  }
  return first;
}

using Units = std::vector<std::string>;

}  // namespace

TEST_CASE("Nodes are classified by what they can report", "[group]") {
  for (const NodeKind kind : {NodeKind::pad, NodeKind::mouse, NodeKind::keys, NodeKind::touch, NodeKind::motion})
    CHECK(node_kind(node("n", kind, "")) == kind);
  CHECK(node_kind(Description{}) == NodeKind::other);
}

TEST_CASE("A pad with motion and touch nodes is one unit, and so is a gun of two or three nodes", "[group]") {
  CHECK(grouped({node("Pad", NodeKind::pad, "hall:1", 0), node("Pad Motion Sensors", NodeKind::motion, "hall:1", 0),
                 node("Pad Touchpad", NodeKind::touch, "hall:1", 0)}) ==
        Units{"Pad+Pad Touchpad+Pad Motion Sensors @hall:1"});
  CHECK(grouped({node("Gun", NodeKind::mouse, "hall:2", 0), node("Gun K", NodeKind::keys, "hall:2", 1),
                 node("Gun M", NodeKind::mouse, "hall:2", 2)}) == Units{"Gun+Gun M+Gun K @hall:2"});
}

TEST_CASE("A receiver is one unit per pad, each with its own helper nodes and socket", "[group]") {
  CHECK(grouped({node("Receiver", NodeKind::pad, "hall:3", 0), node("Receiver", NodeKind::pad, "hall:3", 1),
                 node("Receiver Keyboard", NodeKind::keys, "hall:3", 1)}) ==
        Units{"Receiver @hall:3", "Receiver+Receiver Keyboard @hall:3/2"});
  // Two pads within one interface are numbered by their order if the host reports no number.
  CHECK(grouped({node("A", NodeKind::pad, "hall:4", 0), node("B", NodeKind::pad, "hall:4", 0)}) ==
        Units{"A @hall:4", "B @hall:4/1.2"});
}

TEST_CASE("Half of a two-player pad is recognised before the other half appears", "[group]") {
  const auto pad = [](const char* serial, const char* half, const char* socket = "hall:4") {
    Description d = node("Twin Stick", NodeKind::pad, socket, 0, serial);
    d.half = half;
    return d;
  };
  for (const char* serial : {"", "No 7"}) {
    CAPTURE(serial);
    const Description one = pad(serial, "");
    const Description two = pad(serial, "1.2");
    const auto halves = [](const std::vector<Description>& nodes) {
      std::vector<std::string> all;
      for (const UnitNodes& unit : group_nodes(nodes)) all.push_back(unit.half);
      return all;
    };
    CHECK(halves({two}) == Units{"1.2"});
    CHECK(halves({two, one}) == Units{"", "1.2"});
    Rig rig;
    rig.units.push_back(new_unit(rig, two, "right"));  // the second one is seated first
    CHECK(rig.units[0].name == "Twin Stick (2)");
    CHECK(find_unit(rig, one) == nullptr);
    CHECK(matches(rig, one).front().confidence == MatchConfidence::no);
    rig.units.push_back(new_unit(rig, one, "left"));
    CHECK(rig.units[1].name == "Twin Stick");
    CHECK(find_unit(rig, one)->seat == "left");
    CHECK(find_unit(rig, two)->seat == "right");
    const std::string half = two.half;
    const Description moved = pad(serial, half.c_str(), "hall:9");
    CHECK((find_unit(rig, moved) != nullptr) == (*serial != 0));
    CHECK(matches(rig, moved).front().unit->seat == "right");
    const Sheets kept = read_sheets("rig.toml", to_toml(rig));
    CHECK((kept.problems.empty() && kept.rig == rig));
  }
}

TEST_CASE("Two units of one model differ by socket; nodes without a device differ by model and serial number",
          "[group]") {
  CHECK(grouped({node("Twin", NodeKind::pad, "hall:5"), node("Twin", NodeKind::pad, "hall:6")}) ==
        Units{"Twin @hall:5", "Twin @hall:6"});
  CHECK(grouped({node("Moor", NodeKind::pad, "", -1, "s1"), node("Moor Touchpad", NodeKind::touch, "", -1, "s1"),
                 node("Moor", NodeKind::pad, "", -1, "s2")}) == Units{"Moor+Moor Touchpad @", "Moor @"});
}

TEST_CASE("A device connected by cable and by radio is one unit, by cable", "[group]") {
  const Description cable = node("Cable", NodeKind::pad, "hall:7", 0, "aabbcc000007");
  Description radio = node("Radio", NodeKind::pad, "0005:1209:0002.0003", -1, "AA:BB:CC:00:00:07");
  radio.bus = 5;
  CHECK(grouped({cable, radio}) == Units{"Cable or Radio @hall:7"});
  radio.serial = "AA:BB:CC:00:00:08";
  CHECK(grouped({cable, radio}).size() == 2);
}

TEST_CASE("A rig unit is recognised on either connection if its serial number is an address", "[group]") {
  Description cable = node("Cable", NodeKind::pad, "hall:7", 0, "02005e100007");
  Description radio = node("Radio", NodeKind::pad, "0005:1209:0002.0003", -1, "02:00:5E:10:00:07");
  radio.product = 9;
  radio.bus = 5;
  Rig rig;
  rig.units.push_back(new_unit(rig, cable, "left"));
  REQUIRE(find_unit(rig, radio) == &rig.units[0]);
  radio.serial = "02:00:5E:10:00:08";
  CHECK(find_unit(rig, radio) == nullptr);
  for (const char* dull : {"000000000000", "12345", "0123456789ag"}) {
    rig.units[0].serial = radio.serial = dull;  // as several models may share
    CHECK(matches(rig, radio).empty());
  }
}
