// The doctor's reasoning: from facts to findings, each with its fix.
#include <catch2/catch.hpp>

#include "inspect/doctor.hpp"
#include "omnipar/sheets.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;
using inspect::Facts;
using inspect::Finding;
using inspect::State;

namespace {

Facts all_well() {
  Facts facts;
  facts.uinput_exists = facts.uinput_usable = facts.rule_installed = true;
  facts.nodes.push_back({"/dev/input/event3", true, true, false, false, {}, 0, plain_pad()});
  return facts;
}

/// "uinput=good permission=wrong …"
std::string states_of(const Facts& facts, const Catalogue& catalogue = {}, const Rig& rig = {}) {
  std::string all;
  for (const Finding& finding : inspect::diagnose(facts, catalogue, rig))
    all += finding.id + (finding.state == State::good ? "=good " : finding.state == State::hint ? "=hint " : "=wrong ");
  return all;
}

const std::string well = "uinput=good permission=good rule=good units=good ";

/// The finding with that id; fails the test if there is none, or several.
Finding finding(const std::string& id, const Facts& facts, const Catalogue& catalogue = {}, const Rig& rig = {}) {
  std::vector<Finding> found;
  for (const Finding& one : inspect::diagnose(facts, catalogue, rig))
    if (one.id == id) found.push_back(one);
  INFO(states_of(facts, catalogue, rig));
  REQUIRE(found.size() == 1);
  return found[0];
}

inspect::NodeFact keyboard(const std::string& name, std::uint16_t product, bool readable) {
  inspect::NodeFact fact;
  fact.path = "/dev/input/event7";
  fact.readable = readable;
  fact.pad_like = false;
  fact.types = true;
  fact.description.name = name;
  fact.description.bus = 3;
  for (std::uint16_t number = 1; number < 120; ++number) fact.description.codes.push_back({key(number), 0, 1, 0});
  fact.description.vendor = 0x1209;
  fact.description.product = product;
  return fact;
}

}  // namespace

TEST_CASE("From an unconfigured computer to one without findings", "[doctor]") {
  Facts facts;
  CHECK(states_of(facts) == "uinput=wrong permission=good rule=wrong units=wrong radio=hint ");
  facts.uinput_exists = facts.uinput_usable = true;
  facts.nodes.push_back({"/dev/input/event3", false, true});
  CHECK(states_of(facts) == "uinput=good permission=wrong rule=wrong units=hint ");
  CHECK(finding("permission", facts).text.find("/dev/input/event3") != std::string::npos);
  facts.nodes = all_well().nodes;
  CHECK(states_of(facts) == "uinput=good permission=good rule=hint units=good ");
  CHECK(states_of(all_well()) == well);
  facts.nodes[0].description.made_by_program = true;
  CHECK(finding("units", facts).text.find("--with-virtual") != std::string::npos);
}

TEST_CASE("Units grabbed by another program are reported with the program and a command that ends it", "[doctor]") {
  Facts facts = all_well();
  facts.nodes[0].grabbed = true;
  CHECK(finding("grabbed", facts).fix == "sudo omnipar doctor");
  facts.nodes[0].openers = "menu-tool (process 42)";
  facts.nodes[0].opener = 42;
  CHECK(finding("grabbed", facts).fix == "kill 42");
  CHECK(finding("grabbed", facts).text.find("menu-tool (process 42)") != std::string::npos);
  facts.nodes[0].opener = 0;  // several have it open: none of them should be ended at random
  CHECK(finding("grabbed", facts).fix.empty());
}

TEST_CASE("A kernel that reserves namespaces for root, so that nothing can be hidden from a game", "[doctor]") {
  Facts facts = all_well();
  facts.namespaces_need = "kernel.unprivileged_userns_clone=1";
  CHECK(states_of(facts) == well + "alone=hint ");
  CHECK(finding("alone", facts).fix == "sudo sysctl -w kernel.unprivileged_userns_clone=1");
}

TEST_CASE("A panel that appears as a keyboard", "[doctor]") {
  const Catalogue shipped = built_in_catalogue();
  Facts facts = all_well();
  facts.nodes.push_back(keyboard("Tern Two-Player Encoder", 6, false));
  CHECK(finding("panel", facts, shipped).fix == "omnipar doctor --rule 'Tern Two-Player Encoder'");
  CHECK(finding("sticky-keys", facts, shipped).text.find("'red, top middle'") != std::string::npos);
  CHECK(finding("shortcuts", facts, shipped).text.find("'red, bottom middle' is a modifier key") != std::string::npos);
  facts.nodes[1].readable = true;
  CHECK(states_of(facts, shipped) == well + "sticky-keys=hint shortcuts=hint ");
  facts.nodes[1] = keyboard("A laptop's own", 6, true);
  facts.nodes[1].description.bus = 0x11;
  CHECK(states_of(facts, shipped) == well);
  facts.nodes[1] = keyboard("Nobody\x1b's Keys", 6, true);
  CHECK(finding("keyboards", facts, shipped).text.find("\"Nobody?'s Keys\": no sheet describes it") !=
        std::string::npos);
  facts.nodes.erase(facts.nodes.begin());  // the only controller
  CHECK(finding("units", facts, shipped)
            .text.ends_with("(These units need a sheet before you can use them: \"Nobody?'s "
                            "Keys\" (keyboard).)"));
  facts = all_well();
  facts.nodes.push_back({});
  facts.nodes[1] = keyboard("Dale Keyboard", 15, true);  // a keyboard, and known to be one
  CHECK(states_of(facts, shipped) == well);
}

TEST_CASE("The radio: missing, off, paired only, asleep", "[doctor]") {
  Rig rig;
  RigUnit pad{"blue pad", "sofa", 0x1209, 5, "Moor Tablet Pad", "02:00:5E:10:00:07", ""};
  rig.units = {pad};
  Facts facts = all_well();
  CHECK(states_of(facts, {}, rig) == well + "radio=wrong away=hint ");
  facts.radio = inspect::Radio::off;
  CHECK(finding("radio", facts, {}, rig).fix == "rfkill unblock bluetooth");
  facts.radio = inspect::Radio::on;
  CHECK(finding("paired", facts, {}, rig).fix == "systemctl start bluetooth");
  facts.pairings_known = true;
  facts.paired = {{"Moor Tablet Pad", "02:00:5E:10:00:07"}};
  CHECK(finding("paired", facts, {}, rig).fix == "bluetoothctl connect 02:00:5E:10:00:07");
  facts.nodes[0].description.serial = "02:00:5e:10:00:07";
  CHECK(states_of(facts, {}, rig) == well);  // it is present, so nothing is reported
  CHECK(states_of(facts) == well);
}

TEST_CASE("Sockets without reports, and disconnected units of the rig", "[doctor]") {
  Facts facts = all_well();
  facts.nodes.clear();
  for (const int interface : {0, 1}) {
    Description pad = old_stick("Hill Receiver");
    pad.socket = pad.device = "hall:2";
    pad.interface = interface;
    if (interface == 1)
      for (CodeRange& range : pad.codes) range.value = range.code.type == ev_abs ? 128 : 0;
    facts.nodes.push_back({"/dev/input/event4", true, true, false, false, {}, 0, pad});
  }
  CHECK(finding("sockets", facts).text ==
        "No input from \"Hill Receiver\" in hall:2: its socket is empty, or its pad is off.");
  Rig rig;
  rig.units = {{"red", "left", 0x1209, 9, "Holt Wheel", "", "hall:7"},
               {"hill", "right", 0x1209, 3, "Hill Receiver", "", "hall:2/1"}};
  CHECK(finding("away", facts, {}, rig).text.find("\"red\" (left) of the rig is not connected") != std::string::npos);
}
