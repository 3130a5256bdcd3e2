// Every physical device is one unit, and units do not change places: on real nodes.
#include <catch2/catch.hpp>

#include <dirent.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <cstdio>
#include <fstream>

#include "made_units.hpp"
#include "test_bus.hpp"
#include "support/settings.hpp"

using namespace omnipar::test;

namespace {

constexpr const char* sheets = "/tmp/sheets.toml";
constexpr const char* rig = "/tmp/rig.toml";

/// An encoder that appears as a keyboard, and a gun of two nodes.
void write_sheets() {
  std::ofstream{sheets} << R"(omnipar = 1
[[sheet]]
kind = "unit"
name = "encoder"
title = "Encoder"
identity = [{ vendor = 0x1209, product = 6 }]
part = [{ name = "left", title = "left half" }, { name = "right", title = "right half" }]
[[sheet.control]]
code = "KEY_Q"
role = "south"
parts = ["left"]
[[sheet.control]]
code = "KEY_W"
role = "south"
parts = ["right"]
[[sheet]]
kind = "unit"
name = "gun"
title = "Gun"
identity = [{ vendor = 0x1209, product = 7 }]
[[sheet.control]]
code = "mouse/BTN_LEFT"
role = "south"
[[sheet.control]]
code = "keys/KEY_G"
role = "start"
)";
}

constexpr std::uint8_t usage_q = 0x14, usage_w = 0x1a, usage_g = 0x0a;

std::vector<std::uint8_t> keys(std::uint8_t first = 0, std::uint8_t second = 0) {
  return {0, 0, first, second, 0, 0, 0, 0};
}

std::string output_of(const std::vector<std::string>& command, int status = 0) {
  Program program{command};
  const int got = program.wait_for_end();
  INFO(program.output());
  CHECK(got == status);
  return program.output();
}

void end(Program& program) {
  program.signal(SIGTERM);
  CHECK(program.wait_for_end() == 0);
  wait_for_nodes("Omnipar port 1 pad", 0);
}

int descriptors_of(pid_t process) {
  DIR* folder = ::opendir(("/proc/" + std::to_string(process) + "/fd").c_str());
  int count = 0;
  while (folder != nullptr && ::readdir(folder) != nullptr) ++count;
  if (folder != nullptr) ::closedir(folder);
  return count;
}

}  // namespace

TEST_CASE("A gun of two nodes is one unit, and both nodes play at one seat", "[units]") {
  write_sheets();
  auto descriptor = pointer_descriptor(1);
  const auto more = keyboard_descriptor(2);
  descriptor.insert(descriptor.end(), more.begin(), more.end());
  const UhidUnit gun{"Booth Gun", "g1", 7, descriptor};
  REQUIRE(wait_for_nodes("Booth Gun Mouse", 1));
  REQUIRE(wait_for_nodes("Booth Gun Keyboard", 1));
  const std::string units = output_of({"/box/omnipar", "units", "--data", sheets});
  INFO(units);
  CHECK(units.find("sheet 'gun'") != std::string::npos);
  CHECK(units.find("sheet 'gun'") == units.rfind("sheet 'gun'"));
  CHECK(units.find("mouse /dev/input/event") != std::string::npos);
  CHECK(units.find("keys /dev/input/event") != std::string::npos);
  output_of({"/box/omnipar", "units"}, 1);  // without its sheet it is a mouse and a keyboard, which are never offered
  Playing play{{"/box/omnipar", "play", "pad-2b", "--data", sheets}};
  gun.send_bytes({1, 1, 0, 0, 0, 0});
  REQUIRE(play.wait_for("Player 1 plays with"));
  gun.send_bytes({1, 0, 0, 0, 0, 0});
  NodeReader one{node_of("Omnipar port 1 pad")};
  gun.send_bytes({1, 1, 0, 0, 0, 0});
  CHECK(one.wait_for(EV_KEY, BTN_SOUTH, 1));
  gun.send_bytes({2, 0, 0, usage_g, 0, 0, 0, 0, 0});
  CHECK(one.wait_for(EV_KEY, BTN_START, 1));
  gun.send_bytes({1, 0, 0, 0, 0, 0});
  gun.send_bytes({2, 0, 0, 0, 0, 0, 0, 0, 0});
  CHECK(one.wait_for(EV_KEY, BTN_SOUTH, 0));
  CHECK(one.wait_for(EV_KEY, BTN_START, 0));
  end(play);
}

TEST_CASE("An encoder that appears as a keyboard is two players", "[units]") {
  write_sheets();
  std::remove(rig);
  const UhidUnit encoder{"Tern Encoder", "e1", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Tern Encoder", 1));
  NodeReader desktop{nodes_named("Tern Encoder").front()};
  {
    Program call{{"/box/omnipar", "rig", "rollcall", "seat-1", "seat-2", "--rig", rig, "--data", sheets}};
    REQUIRE(call.wait_for("seat-1: press any button"));
    sleep_ms(200);
    encoder.send_bytes(keys(usage_w));
    REQUIRE(call.wait_for("\"Tern Encoder, right\" takes seat-1"));
    encoder.send_bytes(keys());
    encoder.send_bytes(keys(usage_q));
    REQUIRE(call.wait_for("\"Tern Encoder, left\" takes seat-2"));
    encoder.send_bytes(keys());
    CHECK(call.wait_for_end() == 0);
    desktop.drain();
    CHECK(desktop.events().empty());  // during the question its keys reach no other program
  }
  Program play{{"/box/omnipar", "play", "pad-2b", "--data", sheets, "--rig", rig}};
  REQUIRE(play.wait_for("Player 2 continues"));
  NodeReader one{node_of("Omnipar port 1 pad")};
  NodeReader two{node_of("Omnipar port 2 pad")};
  encoder.send_bytes(keys(usage_q, usage_w));
  CHECK(one.wait_for(EV_KEY, BTN_SOUTH, 1));
  CHECK(two.wait_for(EV_KEY, BTN_SOUTH, 1));
  encoder.send_bytes(keys(usage_q));
  CHECK(one.wait_for(EV_KEY, BTN_SOUTH, 0));
  CHECK(two.value(EV_KEY, BTN_SOUTH) == 1);
  encoder.send_bytes(keys());
  CHECK(two.wait_for(EV_KEY, BTN_SOUTH, 0));
  end(play);
}

TEST_CASE("The user is asked about swapped USB units of one model, one seat after the other", "[units]") {
  std::remove(rig);
  GadgetPad left{"left", "Twin Pad"};
  GadgetPad right{"right", "Twin Pad"};
  left.plug_into(0);
  right.plug_into(1);
  REQUIRE(wait_for_nodes("Twin Pad", 2));
  const auto press = [](const GadgetPad& pad) {
    pad.send({south});
    sleep_ms(60);
    pad.send({});
    sleep_ms(400);
  };
  {
    Program call{{"/box/omnipar", "rig", "rollcall", "seat-1", "seat-2", "--rig", rig}};
    REQUIRE(call.wait_for("seat-1: press any button"));
    press(right);
    press(left);
    REQUIRE(call.wait_for_end() == 0);
  }
  const bool swapped = GENERATE(false, true);  // swapped between their sockets, or moved to new ones
  left.pull_out();
  right.pull_out();
  REQUIRE(wait_for_nodes("Twin Pad", 0));
  left.plug_into(swapped ? 1 : 2);
  right.plug_into(swapped ? 0 : 3);
  REQUIRE(wait_for_nodes("Twin Pad", 2));
  Program play{{"/box/omnipar", "play", "pad-2b", "--rig", rig}};
  if (swapped) {
    REQUIRE(play.wait_for("Player 1 continues"));
    REQUIRE(play.wait_for("Player 2 continues"));
    CHECK(play.output().find("in another socket") == std::string::npos);
  } else {
    REQUIRE(play.wait_for("Player 1: \""));
    CHECK(play.output().find("continues") == std::string::npos);
    const auto press_until = [&press, &play](const auto& pad, const std::string& words) {
      for (int tries = 0; tries < 20; ++tries) {  // reports sent before the session opens the unit are lost
        press(pad);
        if (play.wait_for(words, 1, 500)) return true;
      }
      return false;
    };
    REQUIRE(press_until(right, "Player 1 continues"));
    REQUIRE(play.wait_for("Player 2: \""));
    REQUIRE(press_until(left, "Player 2 continues"));
  }
  NodeReader one{node_of("Omnipar port 1 pad")};
  NodeReader two{node_of("Omnipar port 2 pad")};
  (swapped ? left : right).send({east});
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 1));
  CHECK(two.held() == 0);
  (swapped ? left : right).send({});
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 0));
  end(play);
}

TEST_CASE("Each reconnect returns to the same port and leaks nothing", "[units]") {
  const UhidPad stays{"Staying Pad", "s"};
  Playing play{"pad-2b", stays};
  auto goes = std::make_unique<UhidPad>("Going Pad", "g");
  REQUIRE(wait_for_nodes("Going Pad", 1));
  REQUIRE(tap_until(*goes, play, "Player 2 plays"));
  NodeReader two{node_of("Omnipar port 2 pad")};
  int descriptors = 0;
  long kib = 0;
  const int rounds = cases(25, 1000);
  for (int round = 1; round <= rounds; ++round) {
    goes->send({east});
    REQUIRE(two.wait_for(EV_KEY, BTN_EAST, 1));
    goes.reset();
    REQUIRE(two.wait_for(EV_KEY, BTN_EAST, 0));
    goes = std::make_unique<UhidPad>("Going Pad", "g");
    REQUIRE(play.wait_for("Player 2 continues", round));
    sleep_ms(30);
    two.forget_events();
    if (round == 20) {
      descriptors = descriptors_of(play.process());
      kib = memory_of(play.process()).own_kib;
    }
  }
  CHECK(descriptors_of(play.process()) == descriptors);
  CHECK(memory_of(play.process()).own_kib <= kib + 256);
  end(play);
}

namespace {

/// The Bluetooth daemon: three devices, including a paired pad.
class Radio {
 public:
  Radio() { bus_.offer("org.bluez", "/", &Radio::devices); }
  /// The output of a program that queries it.
  std::string asked_by(const std::vector<std::string>& command) const {
    Program program{command};
    CHECK(bus_.serve_until([&] { return program.wait_for_end(1) >= 0; }));
    return program.output();
  }

 private:
  static int devices(sd_bus_message* call, void* /*self*/, sd_bus_error* /*error*/) {
    if (sd_bus_message_is_method_call(call, "org.freedesktop.DBus.ObjectManager", "GetManagedObjects") <= 0) return 0;
    sd_bus_message* reply = nullptr;
    sd_bus_message_new_method_return(call, &reply);
    sd_bus_message_append(
        reply, "a{oa{sa{sv}}}", 3, "/org/bluez/hci0/dev_1", 2, "org.bluez.Battery1", 1, "Percentage", "y", 70,
        "org.bluez.Device1", 5, "Address", "s", "02:00:5E:10:00:07", "Alias", "s", "Moor Tablet Pad", "Paired", "b", 1,
        "Class", "u", 0x002508U, "UUIDs", "as", 1, "00001124-0000-1000-8000-00805f9b34fb", "/org/bluez/hci0/dev_2", 1,
        "org.bluez.Device1", 4, "Address", "s", "02:00:5E:10:00:08", "Alias", "s", "Dale Headphones", "Paired", "b", 1,
        "Class", "u", 0x240404U, "/org/bluez/hci0/dev_3", 1, "org.bluez.Device1", 4, "Address", "s",
        "02:00:5E:10:00:09", "Alias", "s", "Moor Neighbour's Pad", "Paired", "b", 0, "Appearance", "q", 0x03c4);
    const int sent = sd_bus_send(sd_bus_message_get_bus(reply), reply, nullptr);
    sd_bus_message_unref(reply);
    return sent;
  }

  mutable TestBus bus_{"DBUS_SYSTEM_BUS_ADDRESS"};
};

}  // namespace

TEST_CASE("The doctor reports grabbed, unreadable and merely paired units", "[units]") {
  const UhidPad pad{"Held Pad", "h"};
  const UhidUnit encoder{"Tern Two-Player Encoder", "e2", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Held Pad", 1));
  REQUIRE(wait_for_nodes("Tern Two-Player Encoder", 1));
  const std::string self = std::to_string(::getpid());
  {
    NodeReader holder{nodes_named("Held Pad").front()};
    REQUIRE(::ioctl(holder.descriptor(), EVIOCGRAB, 1) == 0);
    const Radio radio;
    const std::string said = radio.asked_by({"/box/omnipar", "doctor"});
    CHECK(said.find("\"Held Pad\" (" + nodes_named("Held Pad").front() +
                    ") is grabbed by another program, kernel-tests (process " + self + ")") != std::string::npos);
    CHECK(said.find("fix it: kill " + self + "\n") != std::string::npos);
    CHECK(said.find("\"Moor Tablet Pad\" is paired but not connected") != std::string::npos);
    CHECK(said.find("Dale Headphones") == std::string::npos);  // not in play
    CHECK(said.find("Moor Neighbour's Pad") == std::string::npos);
    CHECK(radio.asked_by(as_guest("/box/omnipar doctor")).find("\"Moor Tablet Pad\" is paired") != std::string::npos);
    CHECK(said.find("is a shift key") != std::string::npos);
  }
  const std::string root = output_of({"/box/omnipar", "doctor"});
  CHECK(root.find("grabbed by another") == std::string::npos);
  const std::string output = output_of(as_guest("/box/omnipar doctor"), 1);
  CHECK(output.find("You have no permission to read \"Tern Two-Player Encoder\"") != std::string::npos);
  CHECK(output.find("fix it: omnipar doctor --rule 'Tern Two-Player Encoder'") != std::string::npos);
  CHECK(output.find("You have no permission to read " + nodes_named("Held Pad").front()) != std::string::npos);
  CHECK(output_of(as_guest("/box/omnipar doctor --rule Tern"), 0).find("ATTRS{id/product}==\"0006\"") !=
        std::string::npos);
}

TEST_CASE("A unit in play reaches no other program, and is released when nothing is down", "[units]") {
  const UhidPad pad{"Kept Pad", "k"};
  const UhidUnit typewriter{"Dale Keyboard", "t", 15, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Dale Keyboard", 1));
  NodeReader typist{nodes_named("Dale Keyboard").front()};
  REQUIRE(wait_for_nodes("Kept Pad", 1));
  NodeReader desktop{nodes_named("Kept Pad").front()};
  Playing play{"pad-2b", pad};
  NodeReader one{node_of("Omnipar port 1 pad")};
  desktop.drain();
  desktop.forget_events();
  pad.send({east});
  REQUIRE(one.wait_for(EV_KEY, BTN_EAST, 1));
  typewriter.send_bytes(keys(usage_q));  // not in play: it keeps typing and claims no seat
  CHECK(typist.wait_for(EV_KEY, KEY_Q, 1));
  CHECK(play.wait_for("\"Dale Keyboard\" was pressed, but it has no control that this machine uses. 'omnipar watch'"));
  typewriter.send_bytes(keys());
  play.signal(SIGTERM);
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 0));  // the pads are removed first
  REQUIRE(play.wait_for("Release all buttons"));
  pad.send({});
  CHECK(play.wait_for_end() == 0);
  desktop.drain();
  CHECK(desktop.events().empty());
  pad.send({west});
  CHECK(desktop.wait_for(EV_KEY, BTN_WEST, 1));
  pad.send({});
}

TEST_CASE("Swapping ports while a direction is held releases everything", "[units]") {
  std::ofstream{"/tmp/swap.toml"} << R"(omnipar = 1
kind = "profile"
name = "swap"
system = "pad-2b"
[port.1]
seat = "left"
[port.2]
seat = "right"
[hotkeys]
swap-ports = { modifier = "start", press = "north" }
)";
  const UhidPad left{"Left Pad", "l"};
  const UhidPad right{"Right Pad", "r"};
  Playing play{"/tmp/swap.toml", left, right};
  NodeReader one{node_of("Omnipar port 1 pad")};
  NodeReader two{node_of("Omnipar port 2 pad")};
  left.send({0, 2});  // right, by the hat
  REQUIRE(one.wait_for(EV_ABS, ABS_HAT0X, 1));
  right.send({start_button});
  REQUIRE(two.wait_for(EV_KEY, BTN_START, 1));
  right.send({start_button | north});
  REQUIRE(play.wait_for("Swapped: port 2 is now played from left"));
  CHECK(one.wait_for(EV_ABS, ABS_HAT0X, 0));
  CHECK(two.wait_for(EV_KEY, BTN_START, 0));
  CHECK((one.held() == 0 && two.held() == 0));
  left.send({});
  right.send({});
  left.send({south, 2});
  CHECK(two.wait_for(EV_KEY, BTN_SOUTH, 1));
  CHECK(two.wait_for(EV_ABS, ABS_HAT0X, 1));
  CHECK(one.held() == 0);
  left.send({});
  end(play);
}

TEST_CASE("'units --listen' describes a jittering unit on a real node", "[units]") {
  const UhidPad pad{"Worn Pad", "w"};
  REQUIRE(wait_for_nodes("Worn Pad", 1));
  Program units{{"/box/omnipar", "units", "--listen", "2"}};
  REQUIRE(units.wait_for("Listening for 2 s"));
  for (int i = 0; i < 100; ++i) {
    pad.send({0, 8, static_cast<std::uint8_t>(i % 2 == 0 ? 126 : 130)});
    sleep_ms(15);
  }
  CHECK(units.wait_for_end() == 0);
  INFO(units.output());
  CHECK(units.output().find("'left-stick' (x) jitters by 1.6 % of its range") != std::string::npos);
}
