// The reader of report descriptors against the kernel's own: the same codes, ranges and values wherever the kernel has
// any, and players apart where it has not.
#include <catch2/catch.hpp>

#include <linux/input.h>
#include <sys/ioctl.h>

#include <algorithm>
#include <array>
#include <csignal>
#include <cstdlib>
#include <map>
#include <memory>
#include <random>
#include <set>

#include "hid/descriptors.hpp"
#include "made_units.hpp"
#include "omnipar/hid.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

/// Nodes of one HID device, in the order in which the kernel has made them.
std::vector<std::string> nodes_of(const std::string& name, std::size_t count) {
  std::vector<std::string> nodes;
  for (int tries = 0; tries < 100 && nodes.size() != count; ++tries, sleep_ms(30)) {
    nodes.clear();
    for (const char* suffix : {"", " Mouse", " Keyboard"})
      for (const std::string& node : nodes_named(name + suffix)) nodes.push_back(node);
  }
  sleep_ms(150);
  std::ranges::sort(nodes, {}, [](const std::string& node) { return std::stoi(node.substr(node.find("event") + 5)); });
  return nodes;
}

std::set<Code> codes_of(const NodeReader& node) {
  std::set<Code> codes;
  const auto add = [&](std::uint16_t type, unsigned count) {
    std::array<std::uint8_t, KEY_CNT / 8 + 1> bits{};
    if (::ioctl(node.descriptor(), EVIOCGBIT(type, bits.size()), bits.data()) < 0) return;
    for (unsigned number = 0; number < count; ++number)
      if ((bits.at(number / 8) >> (number % 8) & 1) != 0) codes.insert({type, static_cast<std::uint16_t>(number)});
  };
  add(EV_KEY, KEY_CNT);
  add(EV_REL, REL_CNT);
  add(EV_ABS, ABS_CNT);
  return codes;
}

input_absinfo range_of(const NodeReader& node, Code code) {
  input_absinfo range{};
  REQUIRE(::ioctl(node.descriptor(), EVIOCGABS(code.number), &range) == 0);
  return range;
}

/// Small changes are not to be swallowed.
void without_fuzz(const NodeReader& node, Code code) {
  input_absinfo range = range_of(node, code);
  range.fuzz = 0;
  REQUIRE(::ioctl(node.descriptor(), EVIOCSABS(code.number), &range) == 0);
}

class Comparison {
 public:
  explicit Comparison(const Made& made)
      : descriptor_(hid::read_descriptor(made.bytes).value()),
        controls_(hid::controls_of(descriptor_)),
        kernel_(hid::kernel_codes(descriptor_, controls_)),
        decoder_(descriptor_),
        name_("Unit: " + made.name),
        unit_(name_, "", 9, made.bytes) {
    int last = -1;
    for (const hid::KernelCode& code : kernel_) last = std::max(last, code.node);
    const auto nodes = nodes_of(name_, static_cast<std::size_t>(last) + 1);
    REQUIRE(nodes.size() == static_cast<std::size_t>(last) + 1);
    for (const std::string& node : nodes) nodes_.push_back(std::make_unique<NodeReader>(node));
    moved_.resize(controls_.size());
  }

  /// The codes of each node are those that the controls say, and no others.
  void compare_codes() {
    for (std::size_t n = 0; n < nodes_.size(); ++n) {
      std::set<Code> said;
      for (const hid::KernelCode& code : kernel_)
        if (code.node == static_cast<int>(n)) said.insert(code.code);
      CAPTURE(n);
      CHECK(said == codes_of(*nodes_[n]));
    }
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      if (kernel_[c].fate != hid::Fate::kept || kernel_[c].code.type != ev_abs) continue;
      const NodeReader& node = *nodes_.at(static_cast<std::size_t>(kernel_[c].node));
      const input_absinfo range = range_of(node, kernel_[c].code);
      CAPTURE(hid::name_of(descriptor_, controls_[c]));
      CHECK(range.minimum == controls_[c].minimum);
      CHECK(range.maximum == controls_[c].maximum);
      without_fuzz(node, kernel_[c].code);
    }
  }

  void send(const std::vector<std::uint8_t>& report) {
    for (const Change& change : decoder_.decode(report))
      if (controls_[change.code.number].kind == hid::Kind::counts) moved_[change.code.number] += change.value;
    unit_.send_bytes(report);
  }

  [[nodiscard]] std::vector<std::uint8_t> random_report(std::mt19937& dice) const {
    std::vector<std::uint8_t> ids;
    for (const hid::Field& field : descriptor_.fields)
      if (field.type == hid::FieldType::input) ids.push_back(field.report);
    const std::uint8_t id = ids[dice() % ids.size()];
    std::vector<std::uint8_t> report(descriptor_.report_bytes(hid::FieldType::input, id));
    for (std::uint8_t& byte : report) byte = static_cast<std::uint8_t>(dice() % 4 == 0 ? 0 : dice());
    if (descriptor_.numbered) report[0] = id;
    if (dice() % 10 == 0) report.resize(1 + dice() % report.size());
    return report;
  }

  /// Waits until every code that is one control's alone has the value that the decoder says.
  void compare_values() {
    std::string different = "?";
    for (int tries = 0; tries < 100 && !different.empty(); ++tries) {
      if (tries > 0) sleep_ms(3);
      for (auto& node : nodes_) {
        node->drain();
        count(*node);
      }
      different = what_differs();
    }
    CHECK(different.empty());
    if (!different.empty()) FAIL_CHECK(different);
  }

  [[nodiscard]] std::size_t count_of(hid::Fate fate) const {
    return static_cast<std::size_t>(std::ranges::count(kernel_, fate, &hid::KernelCode::fate));
  }
  [[nodiscard]] std::vector<hid::Part> parts() const { return hid::parts_of(descriptor_, controls_); }

 private:
  void count(NodeReader& node) {
    for (const input_event& event : node.events())
      if (event.type == EV_REL) heard_[{&node, relative(event.code)}] += event.value;
    node.forget_events();
  }

  /// The kernel's repeats of keys are no values of their own.
  static int value_of(const NodeReader& node, Code code) {
    const int value = node.value(code.type, code.number);
    return code.type == ev_key ? std::min(value, 1) : value;
  }

  std::string what_differs() {
    std::string all;
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      if (kernel_[c].fate != hid::Fate::kept) continue;
      NodeReader& node = *nodes_.at(static_cast<std::size_t>(kernel_[c].node));
      const Code code = kernel_[c].code;
      const bool counts = code.type == ev_rel;
      const int heard = counts ? heard_[{&node, code}] : value_of(node, code);
      const int said = counts ? moved_[c] : decoder_.value(c);
      if (heard != said)
        all += hid::name_of(descriptor_, controls_[c]) + ": kernel " + std::to_string(heard) + ", reader " +
               std::to_string(said) + "; ";
    }
    return all;
  }

  hid::Descriptor descriptor_;
  std::vector<hid::Control> controls_;
  std::vector<hid::KernelCode> kernel_;
  hid::Decoder decoder_;
  std::string name_;
  UhidUnit unit_;
  std::vector<std::unique_ptr<NodeReader>> nodes_;
  std::vector<int> moved_;
  std::map<std::pair<const NodeReader*, Code>, int> heard_;
};

}  // namespace

TEST_CASE("the reader agrees with the kernel on every code, range and value that the kernel has", "[hid]") {
  std::mt19937 dice{11};
  for (const Made& made : made_descriptors()) {
    CAPTURE(made.name);
    Comparison comparison{made};
    comparison.compare_codes();
    for (int i = 0; i < cases(25, 300); ++i) {
      comparison.send(comparison.random_report(dice));
      comparison.compare_values();
    }
    const bool two_players = made.name.find("two ") == 0;
    CHECK((comparison.count_of(hid::Fate::lost) > 0) == (two_players || made.name == "throttle behind slider"));
    if (comparison.count_of(hid::Fate::shared) > 0) CHECK((two_players || made.name == "keyboard"));
  }
}

TEST_CASE("two players on one adapter: each has a seat, and everything of both comes out apart", "[hid]") {
  const Bytes descriptor = GENERATE(adapter_in_one_report(), adapter_with_ids());
  const bool numbered_reports = descriptor == adapter_with_ids();
  const UhidUnit adapter{"Two-Plug Adapter", "", 9, descriptor};
  REQUIRE(wait_for_nodes("Two-Plug Adapter", 1));
  struct Player {
    std::uint8_t x = 128, y = 128, buttons = 0;
  };
  std::array<Player, 2> players;
  const auto send = [&](int who) {
    if (numbered_reports) {
      const Player& p = players.at(static_cast<std::size_t>(who));
      return adapter.send_bytes({static_cast<std::uint8_t>(who + 1), p.x, p.y, p.buttons});
    }
    adapter.send_bytes(
        {players[0].x, players[0].y, players[0].buttons, players[1].x, players[1].y, players[1].buttons, 0});
  };
  Program units{{"/box/omnipar", "units", "--raw"}};
  CHECK(units.wait_for_end() == 0);
  CHECK(units.output().find("The kernel's event nodes lose ") != std::string::npos);
  Program play{{"/box/omnipar", "play", "pad-8b"}};
  REQUIRE(play.wait_for("\"Two-Plug Adapter\" is read from its raw reports"));
  REQUIRE(play.wait_for("Player 1: press any button"));
  sleep_ms(200);
  const auto press = [&](int who, std::uint8_t buttons) {
    players.at(static_cast<std::size_t>(who)).buttons = buttons;
    send(who);
  };
  for (const int who : {0, 1}) {
    press(who, 1);
    press(who, 0);
    const std::string seat = std::to_string(who + 1);
    const bool sits = play.wait_for("Player " + seat + " plays with \"Two-Plug Adapter, player-" + seat + "\"");
    CAPTURE(play.output());
    REQUIRE(sits);
  }
  NodeReader one{nodes_named("Omnipar port 1 pad").front()};
  NodeReader two{nodes_named("Omnipar port 2 pad").front()};
  // the unit is kept from others, its raw node or not
  const NodeReader other{nodes_named("Two-Plug Adapter").front()};
  CHECK(::ioctl(other.descriptor(), EVIOCGRAB, 1) != 0);
  const std::array buttons{BTN_SOUTH, BTN_EAST, BTN_WEST, BTN_NORTH};
  for (const int who : {0, 1}) {
    NodeReader& hers = who == 0 ? one : two;
    NodeReader& his = who == 0 ? two : one;
    for (std::size_t b = 0; b < buttons.size(); ++b) {
      press(who, static_cast<std::uint8_t>(1 << b));
      CHECK(hers.wait_for(EV_KEY, static_cast<std::uint16_t>(buttons.at(b)), 1));
      his.drain();
      CHECK(his.held() == 0);
    }
    press(who, 0);
    Player& player = players.at(static_cast<std::size_t>(who));
    for (const auto& [x, value] : {std::pair{0, -1}, {255, 1}, {128, 0}}) {
      player.x = static_cast<std::uint8_t>(x);
      send(who);
      CHECK(hers.wait_for(EV_ABS, ABS_HAT0X, value));
      his.drain();
      CHECK(his.held() == 0);
    }
  }
  // both at once, in every way at once
  players = {Player{0, 255, 1}, Player{255, 0, 2}};
  send(0);
  send(1);
  CHECK(one.wait_for(EV_ABS, ABS_HAT0X, -1));
  CHECK(one.wait_for(EV_ABS, ABS_HAT0Y, 1));
  CHECK(one.wait_for(EV_KEY, BTN_SOUTH, 1));
  CHECK(two.wait_for(EV_ABS, ABS_HAT0X, 1));
  CHECK(two.wait_for(EV_ABS, ABS_HAT0Y, -1));
  CHECK(two.wait_for(EV_KEY, BTN_EAST, 1));
  play.signal(SIGTERM);
  CHECK(one.wait_for_end());
  CHECK(one.held() == 0);
  players = {};
  send(0);
  send(1);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("a plug that is put into a socket or taken out while playing is seen, and lets go", "[hid]") {
  // X and Y 0..200 that may have no value, four buttons: twice
  const Bytes socket = Bytes{0x05, 0x01, 0x09, 0x01, 0xa1, 0x00, 0x09, 0x30, 0x09, 0x31, 0x15,
                             0x00, 0x26, 0xc8, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x42} +
                       buttons(1, 4, 4) + end_collection;
  const UhidUnit adapter{"Telling Adapter", "", 9, application(0x04) + socket + socket + end_collection};
  REQUIRE(wait_for_nodes("Telling Adapter", 1));
  Program play{{"/box/omnipar", "play", "pad-8b"}};
  REQUIRE(play.wait_for("Player 1: press any button"));
  sleep_ms(200);
  constexpr std::uint8_t none = 255, middle = 100;
  adapter.send_bytes({middle, middle, 0, none, none, 0});
  REQUIRE(play.wait_for("\"Telling Adapter, player-2\": its socket is empty."));
  adapter.send_bytes({middle, middle, 1, none, none, 0});
  adapter.send_bytes({middle, middle, 0, none, none, 0});
  REQUIRE(play.wait_for("Player 1 plays"));
  adapter.send_bytes({middle, middle, 0, middle, middle, 0});
  REQUIRE(play.wait_for("player-2\": a plug is in its socket now."));
  adapter.send_bytes({middle, middle, 0, middle, middle, 1});
  adapter.send_bytes({middle, middle, 0, middle, middle, 0});
  REQUIRE(play.wait_for("Player 2 plays"));
  NodeReader one{nodes_named("Omnipar port 1 pad").front()};
  NodeReader two{nodes_named("Omnipar port 2 pad").front()};
  adapter.send_bytes({middle, middle, 2, 200, middle, 1});
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 1));
  CHECK(two.wait_for(EV_KEY, BTN_SOUTH, 1));
  CHECK(two.wait_for(EV_ABS, ABS_HAT0X, 1));
  adapter.send_bytes({middle, middle, 2, none, none, 1});
  REQUIRE(play.wait_for("player-2\": its plug is out; everything it held is let go."));
  CHECK(two.wait_for(EV_KEY, BTN_SOUTH, 0));
  CHECK(two.wait_for(EV_ABS, ABS_HAT0X, 0));
  one.drain();
  CHECK(one.value(EV_KEY, BTN_EAST) == 1);
  adapter.send_bytes({middle, middle, 0, none, none, 0});
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("who may not read raw reports is told so, and the doctor's rule opens them", "[hid]") {
  const auto guest_says = [](const std::string& command) {
    Program guest{as_guest(command)};
    CHECK(guest.wait_for_end() >= 0);
    return guest.output();
  };
  const std::string play = "/box/omnipar play pad-8b --wait-at-most 0 -- true";
  REQUIRE(std::system("chmod 0666 /dev/uinput") == 0);
  {
    const UhidUnit adapter{"Shut Adapter", "", 0xab, adapter_in_one_report()};
    REQUIRE(wait_for_nodes("Shut Adapter", 1));
    REQUIRE(std::system(("chmod 0666 " + nodes_named("Shut Adapter").front()).c_str()) == 0);
    const std::string said = guest_says(play);
    INFO(said);
    CHECK(said.find("loses 6 and mixes up 4; its raw reports would tell all, but cannot be read") != std::string::npos);
    CHECK(guest_says("/box/omnipar units --raw").find("its raw reports cannot be read") != std::string::npos);
    // there is nobody at a screen here: so for everybody, instead of for whoever sits there
    REQUIRE(std::system("/box/omnipar doctor --rule Shut 2>/dev/null | sed 's/TAG+=\"uaccess\"/MODE=\"0666\"/' "
                        ">/etc/udev/rules.d/99-test.rules && udevadm control --reload") == 0);
  }
  REQUIRE(wait_for_nodes("Shut Adapter", 0));
  const UhidUnit adapter{"Shut Adapter", "", 0xab, adapter_in_one_report()};
  REQUIRE(wait_for_nodes("Shut Adapter", 1));
  sleep_ms(500);
  const std::string said = guest_says(play);
  INFO(said);
  CHECK(said.find("\"Shut Adapter\" is read from its raw reports") != std::string::npos);
  REQUIRE(std::system("rm /etc/udev/rules.d/99-test.rules && udevadm control --reload && chmod 0600 /dev/uinput") == 0);
}
