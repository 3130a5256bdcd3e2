// Adapters with two sockets that the kernel merges into one node: played through their raw reports.
#include <catch2/catch.hpp>

#include <linux/input.h>
#include <sys/ioctl.h>

#include <array>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <span>

#include "hid/descriptors.hpp"
#include "made_units.hpp"

using namespace omnipar::test;

TEST_CASE("Two players on one adapter have separate seats and separate outputs", "[hid]") {
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
  REQUIRE(play.wait_for("\"Two-Plug Adapter\" is read through its raw reports"));
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
  // other programs cannot use the unit, raw node or not
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
  // both players at once, in every direction
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

TEST_CASE(
    "With the shipped adapter sheet every control of both sockets is distinct, and so are the adapter's own buttons",
    "[hid]") {
  const UhidUnit adapter{"Quill Two-Socket Adapter", "", 3, old_plugs_adapter()};
  REQUIRE(wait_for_nodes("Quill Two-Socket Adapter", 1));
  Program play{{"/box/omnipar", "play", "stick-keypad"}};
  REQUIRE(play.wait_for(
      "is read through its raw reports: its event node lacks 12 controls of socket-1 and all of socket-2."));
  REQUIRE(play.wait_for("Player 1: press any button"));
  sleep_ms(200);
  struct Plug {
    std::uint8_t x, y;
    std::uint16_t buttons = 0;
  };
  std::array<Plug, 2> plugs{Plug{128, 128}, Plug{140, 140}};
  std::uint8_t own = 0;
  std::uint8_t plugged = 1;
  const auto send = [&] {
    Bytes report;
    for (const Plug& plug : plugs)
      report = report + Bytes{plug.x, plug.y, static_cast<std::uint8_t>(plug.buttons),
                              static_cast<std::uint8_t>(plug.buttons >> 8)};
    adapter.send_bytes(report + Bytes{own, plugged});
  };
  const auto press = [&](std::size_t who, std::uint16_t buttons) {
    plugs.at(who).buttons = buttons;
    send();
  };
  send();
  REQUIRE(play.wait_for("\"Quill Two-Socket Adapter, socket-2\": its socket is empty."));
  press(0, 1);
  press(0, 0);
  REQUIRE(play.wait_for("Player 1 plays with \"Quill Two-Socket Adapter, socket-1\""));
  plugged = 3;
  send();
  REQUIRE(play.wait_for("socket-2\": something was plugged into its socket."));
  press(1, 1);
  press(1, 0);
  REQUIRE(play.wait_for("Player 2 plays with \"Quill Two-Socket Adapter, socket-2\""));
  struct Port {
    NodeReader pad, keys;
  };
  std::array<Port, 2> ports{Port{NodeReader{nodes_named("Omnipar port 1 pad").front()},
                                 NodeReader{nodes_named("Omnipar port 1 keyboard").front()}},
                            Port{NodeReader{nodes_named("Omnipar port 2 pad").front()},
                                 NodeReader{nodes_named("Omnipar port 2 keyboard").front()}}};
  const auto wait_for_all = [&](Port& port, std::span<const int> codes, int value) {
    for (const int code : codes)
      CHECK((code < BTN_MISC ? port.keys : port.pad).wait_for(EV_KEY, static_cast<std::uint16_t>(code), value));
  };
  const std::array<int, 15> codes{BTN_SOUTH, BTN_EAST, BTN_NORTH, KEY_1, KEY_2, KEY_3,     KEY_4,     KEY_5,
                                  KEY_6,     KEY_7,    KEY_8,     KEY_9, KEY_0, BTN_START, BTN_SELECT};
  for (const std::size_t who : {0U, 1U}) {
    Port& hers = ports.at(who);
    Port& his = ports.at(1 - who);
    for (std::size_t b = 0; b < codes.size(); ++b) {
      CAPTURE(who, b);
      press(who, static_cast<std::uint16_t>(1 << b));
      NodeReader& mine = codes.at(b) < BTN_MISC ? hers.keys : hers.pad;
      CHECK(mine.wait_for(EV_KEY, static_cast<std::uint16_t>(codes.at(b)), 1));
      his.pad.drain();
      his.keys.drain();
      CHECK(his.pad.held() + his.keys.held() == 0);
    }
    press(who, 0);
    wait_for_all(hers, codes, 0);  // a press outlasts the time that it takes to be seen
    // the stick reaches both ends of both axes and exact rest, though the sockets' ranges differ, and stays
    const int low = who == 0 ? 0 : 20, rest = who == 0 ? 128 : 140, high = who == 0 ? 255 : 236;
    for (const auto& [axis, code] : {std::pair{&Plug::x, ABS_X}, {&Plug::y, ABS_Y}})
      for (const auto& [raw, value] : {std::pair{low, -32768}, {high, 32767}, {rest, 0}}) {
        plugs.at(who).*axis = static_cast<std::uint8_t>(raw);
        send();
        CHECK(hers.pad.wait_for(EV_ABS, static_cast<std::uint16_t>(code), value));
      }
  }
  own = 2;
  send();
  CHECK(ports[0].pad.wait_for(EV_KEY, BTN_START, 1));
  own = 0;
  plugs = {Plug{255, 128, 0x7fff}, Plug{236, 140, 0x7fff}};
  send();
  for (Port& port : ports) {
    wait_for_all(port, codes, 1);
    CHECK(port.pad.wait_for(EV_ABS, ABS_X, 32767));
  }
  plugged = 1;
  send();
  REQUIRE(play.wait_for("socket-2\": unplugged; its buttons are released."));
  wait_for_all(ports[1], codes, 0);
  CHECK(ports[1].pad.value(EV_ABS, ABS_X) == 32767);  // where the stick was left
  ports[0].pad.drain();
  CHECK(ports[0].pad.value(EV_KEY, BTN_SOUTH) == 1);
  press(0, 0);
  sleep_ms(50);
  press(0, 3 << 13);  // start and pause on one socket: the exit combination
  const bool ended = play.wait_for("Ended from a controller.") || play.wait_for("Release all buttons");
  press(0, 0);
  CHECK(ended);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("Plugs connected or removed during play are noticed, and their buttons released", "[hid]") {
  // X and Y 0..200 with a null state, and four buttons: twice
  const Bytes socket = Bytes{0x05, 0x01, 0x09, 0x01, 0xa1, 0x00, 0x09, 0x30, 0x09, 0x31, 0x15,
                             0x00, 0x26, 0xc8, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x42} +
                       buttons(1, 4, 4) + end_collection;
  const UhidUnit adapter{"Telling Adapter", "", 9, application(0x04) + socket + socket + end_collection};
  REQUIRE(wait_for_nodes("Telling Adapter", 1));
  Playing play{"pad-8b"};
  sleep_ms(200);
  constexpr std::uint8_t none = 255, middle = 100;
  adapter.send_bytes({middle, middle, 0, none, none, 0});
  REQUIRE(play.wait_for("\"Telling Adapter, player-2\": its socket is empty."));
  adapter.send_bytes({middle, middle, 1, none, none, 0});
  adapter.send_bytes({middle, middle, 0, none, none, 0});
  REQUIRE(play.wait_for("Player 1 plays"));
  adapter.send_bytes({middle, middle, 0, middle, middle, 0});
  REQUIRE(play.wait_for("player-2\": something was plugged into its socket."));
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
  REQUIRE(play.wait_for("player-2\": unplugged; its buttons are released."));
  CHECK(two.wait_for(EV_KEY, BTN_SOUTH, 0));
  CHECK(two.wait_for(EV_ABS, ABS_HAT0X, 0));
  one.drain();
  CHECK(one.value(EV_KEY, BTN_EAST) == 1);
  adapter.send_bytes({middle, middle, 0, none, none, 0});
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("If raw reports become unreadable, the event node takes over and nothing sticks", "[hid]") {
  const UhidUnit adapter{"Quill Two-Socket Adapter", "q", 3, old_plugs_adapter()};
  REQUIRE(wait_for_nodes("Quill Two-Socket Adapter", 1));
  std::remove("/tmp/shut");
  Playing play{
      {"/bin/env", "LD_PRELOAD=/box/shim.so", "OMNIPAR_SHIM_SHUT=/tmp/shut", "/box/omnipar", "play", "stick-keypad"}};
  sleep_ms(200);
  const auto send = [&](std::uint16_t one, std::uint16_t two) {
    adapter.send_bytes({128, 128, static_cast<std::uint8_t>(one), static_cast<std::uint8_t>(one >> 8), 140, 140,
                        static_cast<std::uint8_t>(two), static_cast<std::uint8_t>(two >> 8), 0, 3});
  };
  for (const auto& [one, two] : {std::pair{0, 0}, {1, 0}, {0, 0}, {0, 1}, {0, 0}})
    send(static_cast<std::uint16_t>(one), static_cast<std::uint16_t>(two));
  REQUIRE(play.wait_for("Player 2 plays"));
  NodeReader one{nodes_named("Omnipar port 1 pad").front()};
  NodeReader two{nodes_named("Omnipar port 2 pad").front()};
  send(2, 2);
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 1));
  CHECK(two.wait_for(EV_KEY, BTN_EAST, 1));
  std::ofstream{"/tmp/shut"} << "shut\n";
  send(2, 6);
  REQUIRE(play.wait_for(
      "its raw reports can no longer be read. It continues to work, but its event node lacks 12 controls of "
      "socket-1 and all of socket-2."));
  CHECK(two.wait_for(EV_KEY, BTN_EAST, 0));
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 0));
  REQUIRE(play.wait_for("Player 1 continues"));
  send(0, 0);
  send(1, 1);
  CHECK(one.wait_for(EV_KEY, BTN_SOUTH, 1));
  two.drain();
  CHECK(two.held() == 0);
  send(0, 0);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("Controls released while reports were lost do not stick", "[hid]") {
  const UhidUnit adapter{"Hasty Adapter", "", 9, adapter_with_ids()};
  REQUIRE(wait_for_nodes("Hasty Adapter", 1));
  Playing play{"pad-8b --stats"};
  sleep_ms(200);
  adapter.send_bytes({1, 128, 128, 1});
  adapter.send_bytes({1, 128, 128, 0});
  REQUIRE(play.wait_for("Player 1 plays"));
  NodeReader pad{nodes_named("Omnipar port 1 pad").front()};
  play.signal(SIGSTOP);
  sleep_ms(50);
  for (std::uint8_t y = 0; y < 100; ++y) adapter.send_bytes({1, 0, y, 2});
  adapter.send_bytes({1, 128, 128, 0});  // lost, because the kernel buffers 63 reports
  play.signal(SIGCONT);
  CHECK(pad.wait_for(EV_KEY, BTN_EAST, 1));
  CHECK(pad.wait_for(EV_KEY, BTN_EAST, 0));
  CHECK(pad.wait_for(EV_ABS, ABS_HAT0X, 0));
  CHECK(pad.wait_for(EV_ABS, ABS_HAT0Y, 0));
  CHECK(play.wait_for("The kernel lost events"));
  adapter.send_bytes({1, 128, 128, 2});
  CHECK(pad.wait_for(EV_KEY, BTN_EAST, 1));
  adapter.send_bytes({1, 128, 128, 0});
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

namespace {

std::string output_for_guest(const std::string& command) {
  Program program{as_guest(command)};
  CHECK(program.wait_for_end() >= 0);
  return program.output();
}

/// The raw node of the only HID unit with that name.
std::string raw_node_of(const std::string& name) {
  const std::string of_unit = "grep -l 'HID_NAME=" + name + "' /sys/class/hidraw/*/device/uevent | cut -d/ -f5";
  Program find{{"/bin/sh", "-c", of_unit}};
  CHECK(find.wait_for_end() == 0);
  return "/dev/" + find.output().substr(0, find.output().find('\n'));
}

}  // namespace

TEST_CASE("Without raw reports an ordinary user sees that half of the unit is missing, and how to get access",
          "[hid]") {
  const UhidUnit adapter{"Half-Seen Adapter", "", 0x0b, adapter_in_one_report()};
  REQUIRE(wait_for_nodes("Half-Seen Adapter", 1));
  const std::string raw = raw_node_of("Half-Seen Adapter");
  REQUIRE(std::system(("chmod 0666 " + nodes_named("Half-Seen Adapter").front() + "; chmod 0600 " + raw).c_str()) == 0);
  const std::string lost = "its event node lacks 6 of 19 controls and mixes up 4";
  const std::string units = output_for_guest("/box/omnipar units");
  INFO(units);
  CHECK(units.find("    " + lost + "; its raw reports (" + raw +
                   ") have them all, but you have no permission to read them: sudo omnipar "
                   "doctor --fix\n") != std::string::npos);
  const std::string doctor = output_for_guest("/box/omnipar doctor");
  INFO(doctor);
  CHECK(doctor.find("WRONG  \"Half-Seen Adapter\"") != std::string::npos);
  CHECK(doctor.find(lost) != std::string::npos);
  // Root fixes it, and one command undoes what root did.
  Program fix{{"/box/omnipar", "doctor", "--fix"}};
  CHECK(fix.wait_for_end() == 0);
  INFO(fix.output());
  CHECK(fix.output().find(
            "gave access to the raw reports of \"Half-Seen Adapter\", whose event nodes lack some controls") !=
        std::string::npos);
  CHECK(fix.output().find("To undo this: sudo omnipar doctor --uninstall") != std::string::npos);
  const std::string rule =
      "grep -q 'KERNELS==\"\\*:1209:000B.\\*\", TAG+=\"uaccess\"' /etc/udev/rules.d/70-omnipar.rules";
  CHECK(std::system(rule.c_str()) == 0);
  Program again{{"/box/omnipar", "doctor", "--fix"}};  // an earlier permission is kept and not reported again
  CHECK(again.wait_for_end() == 0);
  CHECK(again.output().find("gave access to the raw reports") == std::string::npos);
  CHECK(std::system(rule.c_str()) == 0);
  Program back{{"/box/omnipar", "doctor", "--uninstall"}};
  CHECK(back.wait_for_end() == 0);
  CHECK(back.output().find("done:   removed /etc/udev/rules.d/70-omnipar.rules\n") != std::string::npos);
  CHECK(std::system("test ! -e /etc/udev/rules.d/70-omnipar.rules -a ! -e /etc/modules-load.d/omnipar.conf") == 0);
  Program nothing{{"/box/omnipar", "doctor", "--uninstall"}};
  CHECK(nothing.wait_for_end() == 0);
  CHECK(nothing.output().find("Nothing to uninstall") != std::string::npos);
  CHECK(output_for_guest("/box/omnipar doctor --fix").find("only root may change the system [needs-root]") !=
        std::string::npos);
}

TEST_CASE("Missing permission for raw reports is reported, and the doctor's rule grants it", "[hid]") {
  const std::string play = "/box/omnipar play pad-8b --wait-at-most 0 -- true";
  REQUIRE(std::system("chmod 0666 /dev/uinput") == 0);
  {
    const UhidUnit adapter{"Shut Adapter", "", 0x0b, adapter_in_one_report()};
    REQUIRE(wait_for_nodes("Shut Adapter", 1));
    REQUIRE(std::system(("chmod 0666 " + nodes_named("Shut Adapter").front()).c_str()) == 0);
    const std::string said = output_for_guest(play);
    INFO(said);
    CHECK(said.find("its event node lacks 6 of 19 controls and mixes up 4; its raw reports would report all controls, "
                    "but cannot "
                    "be used") != std::string::npos);
    CHECK(said.find("(To get access: sudo omnipar doctor --fix)") != std::string::npos);
    CHECK(output_for_guest("/box/omnipar units --raw").find("(To get access: omnipar doctor --rule 'Shut Adapter')") !=
          std::string::npos);
    // no user has a local seat here, so access is granted to all users instead
    REQUIRE(std::system("/box/omnipar doctor --rule Shut 2>/dev/null | sed 's/TAG+=\"uaccess\"/MODE=\"0666\"/' "
                        ">/etc/udev/rules.d/99-test.rules && udevadm control --reload") == 0);
  }
  REQUIRE(wait_for_nodes("Shut Adapter", 0));
  const UhidUnit adapter{"Shut Adapter", "", 0x0b, adapter_in_one_report()};
  REQUIRE(wait_for_nodes("Shut Adapter", 1));
  const std::string all_are_open = "for n in /dev/hidraw* " + nodes_named("Shut Adapter").front() +
                                   "; do [ $(stat -c %a $n) = 666 ] || exit 1; done";
  for (int tries = 0; tries < 100 && std::system(all_are_open.c_str()) != 0; ++tries) sleep_ms(50);
  const std::string said = output_for_guest(play);
  INFO(said);
  CHECK(said.find("\"Shut Adapter\" is read through its raw reports") != std::string::npos);
  REQUIRE(std::system("rm /etc/udev/rules.d/99-test.rules && udevadm control --reload && chmod 0600 /dev/uinput") == 0);
}
