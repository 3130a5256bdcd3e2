// Devices with two controllers: the owner of each half follows from the device, across reconnects and in any order of
// nodes. For a user who is not root: event nodes are readable, raw nodes are not.
#include <catch2/catch.hpp>

#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <memory>
#include <random>

#include "hid/descriptors.hpp"
#include "made_units.hpp"
#include "support/settings.hpp"

using namespace omnipar::test;

namespace {

/// A device with two halves of a few buttons each, and how to handle it.
struct Device {
  std::string name;
  std::function<void()> plug_in;
  std::function<void()> pull_out;
  std::function<void(int, bool)> press;                                      ///< the first button of a half, down or up
  std::function<void(std::mt19937&)> announce_again = [](std::mt19937&) {};  ///< its nodes in another order
};

Device two_interfaces(const std::string& serial) {
  auto unit = std::make_shared<GadgetUnit>("halves", "Twin Stick", serial, std::uint16_t{3},
                                           std::vector<Bytes>{pad_descriptor(), pad_descriptor()}, std::size_t{7});
  return {"Twin Stick", [unit] { unit->plug_into(0); }, [unit] { unit->pull_out(); },
          [unit](int half, bool down) {
            unit->send_bytes(static_cast<std::size_t>(half),
                             PadReport{static_cast<std::uint16_t>(down ? south : 0)}.bytes());
          },
          [unit](std::mt19937& dice) {
            const bool first = dice() % 2 == 0;
            unit->bind_again(first ? std::vector{0, 1} : std::vector{1, 0});
          }};
}

/// A joystick and a game pad in one HID device: two nodes with the same name, path and serial number.
Bytes two_applications() {
  const Bytes body = stick + buttons(1, 6, 2) + end_collection;
  return application(0x04) + numbered(1) + body + application(0x05) + numbered(2) + body;
}

Bytes report_of(int half, bool down) {
  return {static_cast<std::uint8_t>(half + 1), 128, 128, static_cast<std::uint8_t>(down ? 1 : 0)};
}

Device of_one_hid_device(const std::string& serial) {
  auto unit = std::make_shared<std::unique_ptr<UhidUnit>>();
  return {"Stick And Pad",
          [unit, serial] {
            *unit = std::make_unique<UhidUnit>("Stick And Pad", serial, std::uint16_t{9}, two_applications(), "desk/2");
          },
          [unit] { unit->reset(); }, [unit](int half, bool down) { (*unit)->send_bytes(report_of(half, down)); }};
}

/// Tells the kernel's driver to create a node for each report.
Device split_by_quirk(const std::string& serial) {
  auto unit = std::make_shared<GadgetUnit>("quirk", "Split Adapter", serial, std::uint16_t{0x0e},
                                           std::vector<Bytes>{adapter_with_ids()}, std::size_t{4});
  return {"Split Adapter", [unit] { unit->plug_into(1); }, [unit] { unit->pull_out(); },
          [unit](int half, bool down) { unit->send_bytes(0, report_of(half, down)); }};
}

std::vector<std::string> play(const std::string& words) {
  return as_guest("cd /tmp/guest && HOME=/tmp/guest exec /box/omnipar play " + words);
}

/// Each half's press is seen by its own port only.
void check_halves(const Device& device) {
  NodeReader one{nodes_named("Omnipar port 1 pad").front()};
  NodeReader two{nodes_named("Omnipar port 2 pad").front()};
  for (const int half : {0, 1}) {
    device.press(half, true);
    CHECK((half == 0 ? one : two).wait_for(EV_KEY, BTN_SOUTH, 1));
    CHECK((half == 0 ? two : one).held() == 0);
    device.press(half, false);
    CHECK((half == 0 ? one : two).wait_for(EV_KEY, BTN_SOUTH, 0));
  }
}

void claim_seat(const Device& device, Program& program) {
  for (const int half : {0, 1}) {
    const std::string said = "Player " + std::to_string(half + 1) + " plays with";
    for (int tries = 0; tries < 20 && !program.wait_for(said, 1, 500); ++tries) {
      device.press(half, true);
      sleep_ms(60);
      device.press(half, false);
    }
    REQUIRE(program.wait_for(said));
  }
}

}  // namespace

TEST_CASE("Two controllers in one device keep their ports across reconnects in any order", "[halves]") {
  const OpenNodes open;
  const std::string serial = GENERATE("", "No 7");
  const int kind = GENERATE(0, 1, 2);
  const Device device = kind == 0   ? two_interfaces(serial)
                        : kind == 1 ? of_one_hid_device(serial)
                                    : split_by_quirk(serial);
  CAPTURE(device.name, serial);
  std::mt19937 dice{7};
  const auto plug_in = [&] {
    device.plug_in();
    REQUIRE(wait_for_nodes(device.name, 2));
  };
  plug_in();
  Playing first{play("pad-2b --keep halves")};
  claim_seat(device, first);
  const int rounds = kind == 0 ? cases(1, 25) : cases(2, 50);  // of two interfaces every second reconnect
  int returns = 0;
  const auto wait_for_return = [&] {
    ++returns;
    for (const std::string player : {"Player 1 continues", "Player 2 continues"}) {
      const bool there = first.wait_for(player, returns);
      INFO(first.output());
      REQUIRE(there);
    }
    sleep_ms(50);
  };
  for (int round = 0; round < rounds; ++round) {
    device.pull_out();
    REQUIRE(wait_for_nodes(device.name, 0));
    plug_in();
    wait_for_return();
    check_halves(device);
    if (kind != 0) continue;
    device.announce_again(dice);
    REQUIRE(wait_for_nodes(device.name, 2));
    wait_for_return();
    check_halves(device);
  }
  first.signal(SIGTERM);
  REQUIRE(first.wait_for_end() == 0);
  INFO(first.output());
  CHECK(first.output().find("Player 1 plays with", first.output().find("Player 2 plays with")) == std::string::npos);
  // The second session: the saved rig identifies each half.
  device.pull_out();
  REQUIRE(wait_for_nodes(device.name, 0));
  REQUIRE(wait_for_nodes("Omnipar port 1 pad", 0));
  plug_in();
  Program second{play("halves")};
  const bool seated = second.wait_for("Player 1 continues") && second.wait_for("Player 2 continues");
  INFO(second.output());
  REQUIRE(seated);
  REQUIRE(wait_for_nodes("Omnipar port 2 pad", 1));
  sleep_ms(100);
  check_halves(device);
  second.signal(SIGTERM);
  CHECK(second.wait_for_end() == 0);
  device.pull_out();
  REQUIRE(wait_for_nodes("Omnipar port 1 pad", 0));
}

TEST_CASE("A mouse listed before a stick: devices are made once, and the only stick is js0", "[halves]") {
  std::ofstream{"/tmp/mouse-first.toml"} << R"(omnipar = 1
kind = "profile"
name = "mouse first"
system = "stick-or-mouse"
[port.1]
seat = "left"
controller = "mouse-2b"
[port.2]
seat = "right"
)";
  const auto number_of = [](const std::string& name) { return nodes_named(name); };
  Program play{{"/box/omnipar", "play", "/tmp/mouse-first.toml"}};
  REQUIRE(play.wait_for("press any button"));
  REQUIRE(wait_for_nodes("Omnipar port 1 mouse", 1));
  REQUIRE(wait_for_nodes("Omnipar port 2 pad", 1));
  CHECK(number_of("Omnipar port 1 mouse").front() < number_of("Omnipar port 2 pad").front());
  const std::string pad = number_of("Omnipar port 2 pad").front();
  const auto siblings = names_in("/sys/class/input/" + pad.substr(pad.rfind('/') + 1) + "/device");
  CHECK(std::count(siblings.begin(), siblings.end(), "js0") == 1);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  wait_for_nodes("Omnipar port 2 pad", 0);
}
