// Every player keeps their port, whatever is connected when, in which order, and with which numbers.
#include <algorithm>
#include <catch2/catch.hpp>
#include <random>

#include "play/table.hpp"
#include "support/settings.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

/// A simulated unit: its nodes, without their numbers.
using Thing = std::vector<Description>;

Description usb(Description node, const std::string& socket, int interface = 0, const std::string& serial = "") {
  node.bus = 3;
  node.vendor = 0x1209;
  node.serial = serial;
  node.socket = socket;
  node.device = socket;
  node.interface = interface;
  return node;
}

Description keyboard(const std::string& name, std::uint16_t product) {
  Description node;
  node.name = name;
  node.product = product;
  for (std::uint16_t number = 1; number < 100; ++number) node.codes.push_back({key(number), 0, 1, 0});
  return node;
}

Description mouse(const std::string& name, std::uint16_t product) {
  Description node;
  node.name = name;
  node.product = product;
  node.codes = {{key(0x110), 0, 1, 0}, {key(0x111), 0, 1, 0}, {code::abs_x, 0, 32767, 0}, {code::abs_y, 0, 32767, 0}};
  return node;
}

constexpr std::uint16_t encoder_product = 6;
constexpr std::uint16_t gun_product = 7;
constexpr Code key_q = key(16), key_w = key(17), key_1 = key(2), btn_left = key(0x110);

/// Sheets of an encoder that appears as a keyboard and has two halves, and of a gun of two nodes.
Catalogue sheets() {
  UnitSheet encoder{"encoder", "Encoder", {{0x1209, encoder_product, ""}}, {{"left", ""}, {"right", ""}}, {}};
  encoder.controls = {{"", key_q, "south", Axis::none, "", {}, {}, {"left"}},
                      {"", key_w, "south", Axis::none, "", {}, {}, {"right"}},
                      {"", key_1, "coin", Axis::none, "", {}, {}, {}}};
  UnitSheet gun{"gun", "Gun", {{0x1209, gun_product, ""}}, {}, {}};
  gun.controls = {{"mouse", btn_left, "south", Axis::none, "", {}, {}, {}},
                  {"keys", key_1, "start", Axis::none, "", {}, {}, {}}};
  return {{}, {encoder, gun}};
}

/// Six units, two of them of one model, each in its own socket.
std::vector<Thing> six_units() {
  Description radio = plain_pad("Moor Pad");
  radio.bus = 5;
  radio.serial = "AA:BB:CC:00:00:07";
  radio.device = "0005:1209:0002.0001";
  return {{usb(plain_pad("Fenwick Pad"), "hall:1", 0, "F-1")},
          {usb(panel("Twin"), "hall:2")},
          {usb(panel("Twin"), "hall:3")},
          {radio},
          {usb(keyboard("Encoder", encoder_product), "hall:4")},
          {usb(mouse("Booth Gun Mouse", gun_product), "hall:5", 0),
           usb(keyboard("Booth Gun Keyboard", gun_product), "hall:5", 1)}};
}

/// What is pressed on each unit, and on which of its nodes.
struct Hand {
  std::size_t thing;
  std::size_t node;
  Code code;
};
const std::vector<Hand> hands{{0, 0, code::btn_south}, {1, 0, code::btn_south}, {2, 0, code::btn_south},
                              {3, 0, code::btn_south}, {4, 0, key_q},           {4, 0, key_w},
                              {5, 0, btn_left}};

Plan seven_seats() {
  SystemSheet system;
  system.name = "tern-hall";
  ControllerSheet pad;
  pad.name = "pad";
  pad.default_directions = {"dpad"};
  TargetSheet fire, start;
  fire.name = "fire";
  fire.defaults = {"south"};
  fire.native = start.native = {0, 1, 0};
  start.name = "start";
  start.defaults = {"start", "coin"};
  pad.targets = {fire, start};
  system.controllers = {pad};
  for (int port = 1; port <= 7; ++port) system.ports.push_back({port, {"pad"}});
  const Catalogue catalogue{{system}};
  Profile profile = propose(catalogue, "tern-hall").value();
  profile.hotkeys.clear();
  return plan_of(catalogue, profile);
}

/// Records the table's messages.
struct Notes {
  void operator()(const SessionEvent& event) {
    std::visit([this](const auto& what) { note(what); }, event);
  }
  void note(const Seated& what) { said.push_back((what.again ? "back " : "sits ") + what.seat); }
  void note(const Joined& what) { said.push_back("joined " + what.seat); }
  void note(const Left& what) { said.push_back("left " + what.seat); }
  void note(const SocketChanged& what) {
    constexpr const char* words[] = {"empty ", "put in ", "out "};
    said.push_back(words[static_cast<std::size_t>(what.plug)] + what.seat);
  }
  void note(const Asked& what) { said.push_back("asked " + what.seat); }
  void note(const NoUse&) { said.emplace_back("no use"); }
  void note(const NoSeat&) { said.emplace_back("no seat"); }
  void note(const Refused& what) { FAIL(what.why.message); }
  template <typename Other>
  void note(const Other&) {}
  std::vector<std::string> said;
};

/// A room in which node numbers are never reused.
class Evening {
 public:
  Evening(const Plan& plan, const Catalogue& catalogue, Rig rig)
      : engine_{plan}, table_{engine_, catalogue, std::move(rig), std::ref(notes_)}, game_{engine_} {}

  void plug_in(std::size_t name, const Thing& thing, std::vector<std::size_t> order = {}) {
    if (order.empty())
      for (std::size_t i = 0; i < thing.size(); ++i) order.push_back(i);
    std::vector<int>& numbers = there_[name];
    numbers.assign(thing.size(), 0);
    for (const std::size_t i : order) {
      Description node = thing[i];
      numbers[i] = next_number_;
      node.node = "/dev/input/event" + std::to_string(next_number_);
      next_number_ += step_;
      table_.arrive(numbers[i], node);
    }
  }
  /// Feeds one report. Returns what the game then sees at a port.
  double tell(std::size_t name, std::size_t node, Change change, int port, std::string_view target) {
    now_ += Duration{20'000};
    table_.advance(now_);
    table_.report(there_.at(name)[node], {now_, {&change, 1}});
    game_.next_frame();
    return game_.port(port).value(*engine_.plan().target(port, target));
  }
  /// Advances time in one step. Returns what the game then sees.
  double wait(std::int64_t ms, int port, std::string_view target) {
    now_ += std::chrono::milliseconds{ms};
    table_.advance(now_);
    engine_.advance(now_);
    game_.next_frame();
    return game_.port(port).value(*engine_.plan().target(port, target));
  }
  void freeze() { engine_.freeze(); }
  [[nodiscard]] std::optional<Time> next_due() const { return table_.next_due(); }
  [[nodiscard]] std::vector<int> playing_nodes() const { return table_.playing_nodes(); }
  [[nodiscard]] Time now() const { return now_; }
  void pull_out(std::size_t name) {
    for (const int node : there_.at(name)) table_.leave(node);
    there_.erase(name);
  }
  [[nodiscard]] bool has(std::size_t name) const { return there_.contains(name); }
  /// The port on which a press on this unit is seen; 0 if none.
  int press(const Hand& hand) {
    const auto send = [&](std::int32_t value) {
      const Change change{hand.code, value};
      now_ += Duration{20'000};
      table_.report(there_.at(hand.thing)[hand.node], {now_, {&change, 1}});
      game_.next_frame();
    };
    send(1);
    int seen = 0;
    for (int port = 1; port <= 7; ++port)
      for (const char* target : {"fire", "start"})
        if (game_.port(port).pressed(*engine_.plan().target(port, target))) seen = seen == 0 ? port : -1;
    send(0);
    return seen;
  }
  void count_numbers_down(int from) {
    next_number_ = from;
    step_ = -1;
  }
  Notes& notes() { return notes_; }
  [[nodiscard]] const Rig& rig() const { return table_.rig(); }

 private:
  Engine engine_;
  Notes notes_;
  play::Table table_;
  Reader game_;
  std::map<std::size_t, std::vector<int>> there_;
  Time now_;
  int next_number_ = 1;
  int step_ = 1;
};

/// The first session: each player presses in the order of seats.
Rig first_evening(const Plan& plan, const Catalogue& catalogue) {
  Evening evening{plan, catalogue, {}};
  const auto units = six_units();
  for (std::size_t i = 0; i < units.size(); ++i) evening.plug_in(i, units[i]);
  for (const Hand& hand : hands) REQUIRE(evening.press(hand) == 0);
  for (std::size_t i = 0; i < hands.size(); ++i) REQUIRE(evening.press(hands[i]) == static_cast<int>(i) + 1);
  REQUIRE(evening.rig().units.size() == hands.size());
  return evening.rig();
}

}  // namespace

TEST_CASE("Every seat stays the same across every order of connecting, every reconnect and every renumbering",
          "[table]") {
  const Plan plan = seven_seats();
  const Catalogue catalogue = sheets();
  const Rig rig = first_evening(plan, catalogue);
  const auto units = six_units();
  const auto check_all = [&](Evening& evening) {
    for (std::size_t i = 0; i < hands.size(); ++i)
      if (evening.has(hands[i].thing)) REQUIRE(evening.press(hands[i]) == static_cast<int>(i) + 1);
  };
  // Every permutation of connecting.
  std::vector<std::size_t> order{0, 1, 2, 3, 4, 5};
  do {
    CAPTURE(order);
    Evening evening{plan, catalogue, rig};
    if (order[0] % 2 == 0) evening.count_numbers_down(99);
    for (const std::size_t name : order)
      evening.plug_in(name, units[name], name == 5 ? std::vector<std::size_t>{1, 0} : std::vector<std::size_t>{});
    check_all(evening);
    REQUIRE(evening.rig() == rig);
  } while (std::next_permutation(order.begin(), order.end()));
  // Random connects and disconnects.
  std::mt19937 dice{3};
  for (int round = 0; round < cases(200, 3000); ++round) {
    CAPTURE(round);
    Evening evening{plan, catalogue, rig};
    if (round % 2 == 0) evening.count_numbers_down(500);
    for (int act = 0; act < 30; ++act) {
      const std::size_t name = dice() % units.size();
      if (evening.has(name))
        evening.pull_out(name);
      else
        evening.plug_in(name, units[name],
                        name == 5 && dice() % 2 == 0 ? std::vector<std::size_t>{1, 0} : std::vector<std::size_t>{});
      check_all(evening);
    }
    REQUIRE(evening.rig() == rig);
    const auto& said = evening.notes().said;
    REQUIRE(std::ranges::none_of(
        said, [](const std::string& line) { return line.starts_with("asked") || line.starts_with("sits"); }));
  }
}

TEST_CASE("Halves of one device keep their seats, announced in any order, from the first node on", "[table]") {
  const Plan plan = seven_seats();
  const std::string serial = GENERATE("", "No 7");
  const std::string second = GENERATE("2", "1.2");
  CAPTURE(serial, second);
  // Two devices of one model, each of two identical halves.
  const auto half = [&](const std::string& socket, const std::string& which) {
    Description d = usb(panel("Twin Stick"), socket, which == "2" ? 1 : 0, serial.empty() ? "" : serial + socket);
    d.half = which;
    return d;
  };
  const std::vector<Thing> devices{{half("hall:1", ""), half("hall:1", second)},
                                   {half("hall:2", ""), half("hall:2", second)}};
  const std::vector<Hand> all{
      {0, 0, code::btn_south}, {0, 1, code::btn_south}, {1, 0, code::btn_south}, {1, 1, code::btn_south}};
  std::mt19937 dice{4};
  const auto plug_in = [&](Evening& evening, std::size_t name) {
    evening.plug_in(name, devices[name],
                    dice() % 2 == 0 ? std::vector<std::size_t>{0, 1} : std::vector<std::size_t>{1, 0});
  };
  const Catalogue no_sheets;
  Evening first{plan, no_sheets, {}};
  plug_in(first, 1);
  plug_in(first, 0);
  for (const std::size_t hand : {1U, 3U, 2U, 0U}) REQUIRE(first.press(all[hand]) == 0);
  const std::vector<int> ports{4, 1, 3, 2};
  const auto check_all = [&](Evening& evening) {
    for (std::size_t i = 0; i < all.size(); ++i)
      if (evening.has(all[i].thing)) REQUIRE(evening.press(all[i]) == ports[i]);
  };
  check_all(first);
  const auto replug = [&](Evening& evening) {
    for (int round = 0; round < 50; ++round) {
      const std::size_t name = dice() % 2;
      if (evening.has(name)) evening.pull_out(name);
      if (dice() % 4 != 0) plug_in(evening, name);
      check_all(evening);
    }
  };
  replug(first);
  Evening second_evening{plan, no_sheets, first.rig()};
  replug(second_evening);
  REQUIRE(second_evening.rig() == first.rig());
  REQUIRE(std::ranges::none_of(second_evening.notes().said, [](const std::string& line) {
    return line.starts_with("asked") || line.starts_with("sits");
  }));
  std::vector<std::string> names;
  for (const RigUnit& unit : first.rig().units) names.push_back(unit.name);
  REQUIRE(names.front() == "Twin Stick (2)");
}

TEST_CASE("The user is asked about units of one model that changed sockets; nothing is guessed", "[table]") {
  const Plan plan = seven_seats();
  const Catalogue catalogue = sheets();
  const Rig rig = first_evening(plan, catalogue);
  auto units = six_units();
  for (const std::size_t twin : {1U, 2U})
    units[twin][0].socket = units[twin][0].device = "hall:" + std::to_string(twin + 10);
  const bool swapped_presses = GENERATE(false, true);
  const std::size_t first = swapped_presses ? 2 : 1;
  Evening evening{plan, catalogue, rig};
  evening.plug_in(2, units[2]);
  evening.plug_in(1, units[1]);
  REQUIRE(evening.notes().said == std::vector<std::string>{"asked seat-2"});
  REQUIRE(evening.press(hands[first]) == 0);  // this is player 2
  REQUIRE(evening.notes().said == std::vector<std::string>{"asked seat-2", "back seat-2", "asked seat-3"});
  REQUIRE(evening.press(hands[3 - first]) == 0);
  REQUIRE(evening.press(hands[first]) == 2);
  REQUIRE(evening.press(hands[3 - first]) == 3);
  // From now on they are identified by their new sockets.
  REQUIRE(evening.rig().units.size() == rig.units.size());
  Evening next{plan, catalogue, evening.rig()};
  next.plug_in(2, units[2]);
  next.plug_in(1, units[1]);
  REQUIRE(next.press(hands[first]) == 2);
  REQUIRE(next.press(hands[3 - first]) == 3);
}

TEST_CASE("A unit in its own socket keeps its seat, and the user is asked about the other one", "[table]") {
  const Plan plan = seven_seats();
  const Catalogue catalogue = sheets();
  auto units = six_units();
  units[2][0].socket = units[2][0].device = "hall:12";
  Evening evening{plan, catalogue, first_evening(plan, catalogue)};
  evening.plug_in(2, units[2]);
  evening.plug_in(1, units[1]);
  // Before the second one connected, the one in the unknown socket could have been either.
  REQUIRE(evening.notes().said == std::vector<std::string>{"asked seat-2", "back seat-2", "asked seat-3"});
  REQUIRE(evening.press(hands[1]) == 2);
  REQUIRE(evening.press(hands[2]) == 0);
  REQUIRE(evening.press(hands[2]) == 3);
}

TEST_CASE("A replacement for a disconnected unit plays for this session, and the rig is unchanged", "[table]") {
  const Plan plan = seven_seats();
  const Catalogue catalogue = sheets();
  const Rig rig = first_evening(plan, catalogue);
  const auto units = six_units();
  Evening evening{plan, catalogue, rig};
  const Thing device{usb(plain_pad("Device Pad"), "hall:20")};
  for (const std::size_t name : {0U, 1U, 2U, 3U, 4U}) evening.plug_in(name, units[name]);  // the gun is disconnected
  evening.plug_in(6, device);
  REQUIRE(evening.press({6, 0, code::btn_south}) == 0);
  REQUIRE(evening.press({6, 0, code::btn_south}) == 7);
  evening.pull_out(6);
  evening.plug_in(6, device);
  REQUIRE(evening.press({6, 0, code::btn_south}) == 7);
  REQUIRE(evening.rig() == rig);
  evening.plug_in(5, units[5]);
  REQUIRE(evening.press(hands[6]) == 7);
}

TEST_CASE("The two halves of an encoder are two players, and its coin door serves both", "[table]") {
  const Plan plan = seven_seats();
  const Catalogue catalogue = sheets();
  Evening evening{plan, catalogue, {}};
  evening.plug_in(4, six_units()[4]);
  REQUIRE(evening.press({4, 0, key_w}) == 0);  // the order of presses decides, not left and right
  REQUIRE(evening.press({4, 0, key_q}) == 0);
  REQUIRE(evening.press({4, 0, key_w}) == 1);
  REQUIRE(evening.press({4, 0, key_q}) == 2);
  REQUIRE(evening.press({4, 0, key_1}) == -1);  // both ports see it
}

TEST_CASE("During a freeze a press claims no seat", "[table]") {
  const Plan plan = seven_seats();
  const Catalogue catalogue = sheets();
  Evening evening{plan, catalogue, {}};
  evening.plug_in(4, six_units()[4]);
  REQUIRE(evening.press({4, 0, key_q}) == 0);
  evening.freeze();
  evening.press({4, 0, key_w});
  CHECK(evening.notes().said == std::vector<std::string>{"sits seat-1"});
}

TEST_CASE("A streaming unit that falls silent is away after half a second, and returns with its next report",
          "[table]") {
  const Plan plan = seven_seats();
  Catalogue catalogue = sheets();
  UnitSheet wand{"wand", "Wand", {{0x1209, 9, ""}}, {}, {}};
  wand.controls = {{"", code::btn_south, "south", Axis::none, "", {}, {}, {}}};
  wand.streams = true;
  catalogue.units.push_back(wand);
  Description node = usb(panel("Crag Wand"), "hall:8");
  node.product = 9;
  const Thing thing{node};
  Rig rig;
  rig.units.push_back(new_unit(rig, node, "seat-1"));
  Evening evening{plan, catalogue, rig};
  evening.plug_in(0, thing);
  REQUIRE(evening.notes().said.empty());  // known, but it has not reported yet
  REQUIRE_FALSE(evening.next_due());
  REQUIRE(evening.tell(0, 0, {code::btn_south, 1}, 1, "fire") == 0);  // its first report is its state
  REQUIRE(evening.tell(0, 0, {code::btn_south, 0}, 1, "fire") == 0);
  REQUIRE(evening.tell(0, 0, {code::btn_south, 1}, 1, "fire") == 1);
  REQUIRE(*evening.next_due() == evening.now() + std::chrono::milliseconds{500});
  REQUIRE(evening.wait(499, 1, "fire") == 1);
  REQUIRE(evening.wait(1, 1, "fire") == 0);  // out of range: nothing sticks
  REQUIRE_FALSE(evening.next_due());
  REQUIRE(evening.tell(0, 0, {code::btn_south, 1}, 1, "fire") == 0);
  REQUIRE(evening.tell(0, 0, {code::btn_south, 0}, 1, "fire") == 0);
  REQUIRE(evening.tell(0, 0, {code::btn_south, 1}, 1, "fire") == 1);
  REQUIRE(evening.notes().said == std::vector<std::string>{"back seat-1", "left seat-1", "back seat-1"});
  evening.wait(600, 1, "fire");
  evening.pull_out(0);  // already away, so it does not leave a second time
  REQUIRE(evening.notes().said.size() == 4);
}

TEST_CASE("Several units of one seat play one port, and each releases only its own controls", "[table]") {
  const Plan plan = seven_seats();
  const Catalogue catalogue = sheets();
  const auto units = six_units();
  Rig rig;
  for (const std::size_t name : {0U, 1U, 5U}) rig.units.push_back(new_unit(rig, units[name][0], "seat-1"));
  Evening evening{plan, catalogue, rig};
  for (const std::size_t name : {0U, 1U, 5U}) evening.plug_in(name, units[name]);
  for (const Hand& hand : {hands[0], hands[1], hands[6]}) REQUIRE(evening.press(hand) == 1);
  REQUIRE(evening.tell(0, 0, {code::btn_south, 1}, 1, "fire") == 1);
  REQUIRE(evening.tell(5, 0, {btn_left, 1}, 1, "fire") == 1);
  REQUIRE(evening.tell(5, 0, {btn_left, 0}, 1, "fire") == 1);
  evening.pull_out(5);
  REQUIRE(evening.tell(1, 0, {code::btn_east, 1}, 1, "fire") == 1);
  REQUIRE(evening.tell(0, 0, {code::btn_south, 0}, 1, "fire") == 0);
}

TEST_CASE("One device on cable and radio is one player, and the rig can prefer the radio", "[table]") {
  const Plan plan = seven_seats();
  const Catalogue catalogue;
  Description cable = usb(plain_pad("Moor Pad, wired"), "hall:7", 0, "02005e100007");
  cable.product = 5;
  Description radio = plain_pad("Moor Pad");
  radio.product = 4;
  radio.bus = 5;
  radio.vendor = 0x1209;
  radio.serial = "02:00:5E:10:00:07";
  radio.device = "0005:1209:0004.0001";
  const Thing both{radio, cable};
  Rig rig;
  rig.units.push_back(new_unit(rig, cable, "seat-2"));
  const bool asks = GENERATE(false, true);
  if (asks) rig.units[0].connection = "wireless";
  Evening evening{plan, catalogue, rig};
  evening.plug_in(0, both, {0, 1});
  const std::size_t used = asks ? 0 : 1;
  REQUIRE(evening.press({0, used, code::btn_south}) == 2);
  REQUIRE(evening.press({0, 1 - used, code::btn_south}) == 0);
  REQUIRE(evening.rig() == rig);
  // The active connection disappears: the other one takes over, at the same seat.
  Evening later{plan, catalogue, rig};
  later.plug_in(0, {cable});
  later.plug_in(1, {radio});
  later.pull_out(asks ? 1 : 0);
  REQUIRE(later.press({asks ? 0U : 1U, 0, code::btn_south}) == 2);
}

TEST_CASE("Typing on a keyboard claims no seat on a machine without keys", "[table]") {
  const Plan plan = seven_seats();
  Catalogue catalogue = sheets();
  UnitSheet keys{"keys", "Keys", {{0x1209, 11, ""}}, {}, {}};
  keys.controls = {{"", key_q, "key-q", Axis::none, "", {}, {}, {}}};
  catalogue.units.push_back(keys);
  Evening evening{plan, catalogue, {}};
  evening.plug_in(0, {usb(keyboard("Dale Keyboard", 11), "hall:9")});
  for (int typed = 0; typed < 3; ++typed) evening.press({0, 0, key_q});
  REQUIRE(evening.notes().said == std::vector<std::string>{"no use"});
  REQUIRE(evening.playing_nodes().empty());
  evening.plug_in(1, {usb(panel("Pad"), "hall:10")});
  evening.press({1, 0, code::btn_mode});  // has no such button
  evening.press({1, 0, code::btn_tl});    // the machine does not use it, but uses other buttons of the pad
  REQUIRE(evening.notes().said.back() == "sits seat-1");
  REQUIRE(evening.playing_nodes().size() == 1);
}

TEST_CASE("A unit without buttons claims a seat by a deliberate movement", "[table]") {
  const Plan plan = plan_of(kit_catalogue(), propose(kit_catalogue(), "kit").value());
  Catalogue catalogue;
  UnitSheet knob{"knob", "Knob", {{0x1209, 10, ""}}, {}, {}};
  knob.controls = {{"", relative(7), "spinner", Axis::none, "", {}, {}, {}},
                   {"", code::abs_z, "pedal", Axis::none, "", {}, {}, {}}};
  catalogue.units.push_back(knob);
  Description node;
  node.name = "Beck Knob";
  node.product = 10;
  node.codes = {{relative(7), 0, 0, 0}, {code::abs_z, 0, 255, 0}};
  const Thing thing{usb(node, "hall:9")};
  const auto sits = [&](const std::vector<Change>& changes) {
    Evening evening{plan, catalogue, {}};
    evening.plug_in(0, thing);
    for (const Change& change : changes) evening.tell(0, 0, change, 1, "a");
    return evening.notes().said == std::vector<std::string>{"sits seat-1"};
  };
  CHECK_FALSE(sits({{relative(7), 50}, {relative(7), -49}}));
  CHECK(sits({{relative(7), 50}, {relative(7), -50}}));
  CHECK_FALSE(sits({{code::abs_z, 10}, {code::abs_z, 100}}));  // a bumped table
  CHECK(sits({{code::abs_z, 10}, {code::abs_z, 112}}));
}
