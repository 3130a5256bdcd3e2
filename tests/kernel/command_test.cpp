// A program under play: it starts when every player is present, sees only the virtual devices, and ends together with
// the session.
#include <catch2/catch.hpp>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <memory>

#include "hid/descriptors.hpp"
#include "made_units.hpp"

using namespace omnipar::test;

namespace {

std::vector<std::string> play_for(const std::vector<std::string>& words, const std::string& script) {
  std::vector<std::string> command{"/box/omnipar", "play", "pad-2b"};
  command.insert(command.end(), words.begin(), words.end());
  for (const std::string& word : {std::string{"--"}, std::string{"sh"}, std::string{"-c"}, script})
    command.push_back(word);
  return command;
}

/// What a program finds that lists and opens every node, in its sort order: as text.
constexpr const char* lists_everything =
    "for n in /dev/input/event* /dev/input/js* /dev/hidraw*; do "
    "case $n in /dev/hidraw*) name=$n ;; *) name=$(cat /sys/class/input/${n##*/}/device/name) ;; esac; "
    "(exec 3<$n) 2>/dev/null && { [ -e $n ] && [ ! /dev/null -ef $n ] && echo \"found $name\"; }; done; ";

/// The rest of each line that begins with "found".
std::vector<std::string> found_in(const std::string& output) {
  std::vector<std::string> lines;
  for (std::size_t at = output.find("found "); at != std::string::npos; at = output.find("found ", at + 1))
    lines.push_back(output.substr(at + 6, output.find('\n', at) - at - 6));
  return lines;
}

/// Uses up the lowest free numbers, so that the next node has at least that number.
class Fillers {
 public:
  explicit Fillers(std::size_t next) {
    while (all_.empty() || number() + 1 < next) {
      const std::string name = "Filler " + std::to_string(all_.size());
      all_.push_back(std::make_unique<UinputPad>(name));
    }
  }
  [[nodiscard]] std::size_t number() const {
    const std::string node = nodes_named("Filler " + std::to_string(all_.size() - 1)).front();
    return std::stoul(node.substr(node.find("event") + 5));
  }

 private:
  std::vector<std::unique_ptr<UinputPad>> all_;
};

}  // namespace

TEST_CASE("A program starts once everyone is seated, inherits no descriptor, and returns its status", "[command]") {
  const UhidPad pad{"Started Pad", "s"};
  REQUIRE(wait_for_nodes("Started Pad", 1));
  // ls lists the shell's descriptors, without its own
  Playing play{play_for({"--stats"},
                        "ls /proc/$$/fd | tr '\\n' ' '; grep -c 'Omnipar port' /proc/bus/input/devices; "
                        "udevadm info -q property -n /dev/input/js1 >/dev/null; exit 7")};
  CHECK_FALSE(play.wait_for("Starting sh", 1, 300));
  REQUIRE(tap_until(pad, play, "Player 1 plays"));
  CHECK(play.wait_for_end() == 7);
  INFO(play.output());
  CHECK(play.output().find("0 1 2 2\n") != std::string::npos);  // the streams; both ports' pads
  CHECK(play.output().find("sh ended with status 7.") != std::string::npos);
  CHECK(play.output().find("Received ") != std::string::npos);
  CHECK(wait_for_nodes(port_1, 0));
}

TEST_CASE("A program that is killed, crashes or cannot be started is reported", "[command]") {
  const UhidPad pad{"Crashed Pad", "c"};
  REQUIRE(wait_for_nodes("Crashed Pad", 1));
  const auto [script, status] = GENERATE(
      table<const char*, int>({{"kill -9 $$", 128 + SIGKILL}, {"kill -SEGV $$", 128 + SIGSEGV}, {"exit 2", 2}}));
  Program play{play_for({"--wait-at-most", "0"}, script)};
  CHECK(play.wait_for_end() == status);
  CHECK(wait_for_nodes(port_1, 0));
  CHECK(process_named("omnipar-keeper") == -1);
}

TEST_CASE("A launcher that leaves the game running is followed until the game ends", "[command]") {
  Program play{play_for({"--wait-at-most", "0"}, "(sleep 2; echo over) & exit 3")};
  REQUIRE(play.wait_for("sh ended but left "));
  CHECK(nodes_named(port_1).size() == 1);
  CHECK(play.wait_for_end() == 3);
  CHECK(play.output().find("over\n") != std::string::npos);
}

TEST_CASE("A launcher that passes control to a running instance is reported", "[command]") {
  Program play{play_for({"--wait-at-most", "0"}, "exit 0")};
  CHECK(play.wait_for_end() == 0);
  CHECK(play.output().find("already running, close that one first") != std::string::npos);
}

TEST_CASE("The exit combination asks an unresponsive program to end, then forces it and leaves no process behind",
          "[command]") {
  const UhidPad pad{"Leaving Pad", "l"};
  REQUIRE(wait_for_nodes("Leaving Pad", 1));
  Program play{play_for({"--insist-after", "1"}, "trap '' TERM; sleep 1000 & echo deaf; while :; do sleep 1; done")};
  REQUIRE(play.wait_for("To end, "));
  REQUIRE(tap_until(pad, play, "deaf\n"));
  pad.send({start_button | select_button});
  REQUIRE(play.wait_for("Asked sh to quit. It is killed after 1 s."));
  CHECK(play.wait_for("It did not quit and is killed."));
  pad.send({});
  CHECK(play.wait_for_end() == 128 + SIGKILL);
  CHECK(process_named("sleep") == -1);
  CHECK(wait_for_nodes(port_1, 0));
}

TEST_CASE("Stopping omnipar ends the program", "[command]") {
  Program play{play_for({"--wait-at-most", "0"}, "echo there; exec sleep 1000")};
  REQUIRE(play.wait_for("there\n"));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 128 + SIGTERM);
  CHECK(process_named("sleep") == -1);
}

TEST_CASE("A missing unit is named and waited for; another may replace it; the wait can time out", "[command]") {
  const char* rig = "/tmp/away-rig.toml";
  std::ofstream{rig} << R"(omnipar = 1
kind = "rig"
[[unit]]
name = "Red Pad"
seat = "seat-1"
vendor = 0x1209
product = 0x0002
model = "Red Pad"
serial = "red"
)";
  const UhidPad other{"Other Pad", "other"};
  REQUIRE(wait_for_nodes("Other Pad", 1));
  SECTION("the unit connects") {
    Program play{play_for({"--rig", rig}, "exit 4")};
    REQUIRE(play.wait_for("Waiting for Player 1 with \"Red Pad\". Plug it in"));
    const UhidPad red{"Red Pad", "red"};
    CHECK(play.wait_for_end() == 4);
    CHECK(play.output().find("Player 1 continues with \"Red Pad\"") != std::string::npos);
  }
  SECTION("another unit replaces it, though other seats are free") {
    Program play{play_for({"--rig", rig}, "exit 4")};
    REQUIRE(play.wait_for("Waiting for Player 1"));
    REQUIRE(tap_until(other, play, "Player 1 plays with \"Other Pad\""));
    CHECK(play.wait_for_end() == 4);
  }
  SECTION("the wait times out") {
    Program play{play_for({"--rig", rig, "--wait-at-most", "1"}, "exit 4")};
    CHECK(play.wait_for_end() == 4);
  }
  SECTION("the wait is cancelled") {
    Program play{play_for({"--rig", rig}, "exit 4")};
    REQUIRE(play.wait_for("Waiting for Player 1"));
    play.signal(SIGINT);
    CHECK(play.wait_for_end() == 125);
  }
}

TEST_CASE("A second play on the same unit names the first one's process", "[command]") {
  const UhidPad pad{"Wanted Pad", "w"};
  Playing first{"pad-2b", pad};
  sleep_ms(200);
  Program second{{"/box/omnipar", "play", "pad-2b"}};
  CHECK(second.wait_for("\"Wanted Pad\" is in use by omnipar (process " + std::to_string(first.process()) + ")"));
  second.signal(SIGTERM);
  CHECK(second.wait_for_end() == 0);
}

namespace {

/// Every user may open every node as far as the system is concerned: only Omnipar hides nodes then.
class OpenDoors {
 public:
  OpenDoors() {
    std::system("mkdir -p /run/udev/rules.d");
    std::ofstream{rule} << "SUBSYSTEM==\"input|hidraw|misc\", MODE=\"0666\"\n";
    tell_udev();
  }
  ~OpenDoors() {
    std::remove(rule);
    tell_udev();
  }
  OpenDoors(const OpenDoors&) = delete;
  OpenDoors& operator=(const OpenDoors&) = delete;

 private:
  static constexpr const char* rule = "/run/udev/rules.d/99-open-doors.rules";
  static void tell_udev() {
    std::system("udevadm control --reload; udevadm trigger -s input -s misc -s hidraw; udevadm settle");
  }
};

}  // namespace

TEST_CASE("With --alone a program finds only the virtual controllers, in port order", "[command]") {
  const bool root = GENERATE(true, false);
  const OpenDoors open_doors;
  const UhidPad pad{"Hidden Pad", "h"};
  const UhidUnit keyboard{"Dale Keyboard", "t", 15, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Dale Keyboard", 1));
  const Fillers fillers{9};  // the next two nodes would be event9 and event10, which sort the other way round
  REQUIRE(fillers.number() == 8);
  std::ofstream{"/tmp/list.sh"} << lists_everything << "echo done";
  const std::string words = "/box/omnipar play pad-2b --alone -- sh /tmp/list.sh";
  Playing play{root ? std::vector<std::string>{"sh", "-c", "exec " + words} : as_guest(words), pad};
  CHECK(play.wait_for_end() == 0);
  INFO(play.output());
  auto ours = found_in(play.output());
  std::erase_if(ours, [](const std::string& name) { return !name.starts_with("Omnipar"); });
  CHECK(ours == std::vector<std::string>{"Omnipar port 1 pad", "Omnipar port 2 pad",    // the event nodes
                                         "Omnipar port 1 pad", "Omnipar port 2 pad"});  // and the js nodes
  CHECK(count(play.output(), "found Hidden Pad") == 0);
  CHECK(count(play.output(), "found Dale Keyboard") == 1);  // only units in play are hidden
  CHECK(count(play.output(), "found /dev/hidraw") == 1);    // the keyboard's node
}

TEST_CASE("With --alone units that connect or join later cannot be opened either", "[command]") {
  const bool root = GENERATE(true, false);
  CAPTURE(root);
  const OpenDoors open_doors;
  auto pad = std::make_unique<UhidPad>("Hidden Pad", "h");
  const UhidUnit encoder{"Tern Two-Player Encoder", "e", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Tern Two-Player Encoder", 1));
  std::system("rm -rf /tmp/talk; mkdir -m 0777 /tmp/talk; mkfifo -m 0666 /tmp/talk/look");
  std::ofstream{"/tmp/list.sh"} << "while read number </tmp/talk/look; do { " << lists_everything
                                << "echo done; } >/tmp/talk/seen$number; [ $number = end ] && exit; done";
  const std::string words = "/box/omnipar play arcade-4b --alone -- sh /tmp/list.sh";
  Playing play{root ? std::vector<std::string>{"sh", "-c", "exec " + words} : as_guest(words), *pad};
  REQUIRE(play.wait_for("It cannot open the units in use, including ones connected later."));
  const auto seen = [](const std::string& number) {
    std::system(("rm -f /tmp/talk/seen" + number + "; echo " + number + " >/tmp/talk/look").c_str());
    for (int tries = 0; tries < 200 && contents("/tmp/talk/seen" + number).find("done") == std::string::npos; ++tries)
      sleep_ms(20);
    return contents("/tmp/talk/seen" + number);
  };
  CHECK(count(seen("1"), "found Hidden Pad") == 0);
  CHECK(count(seen("1"), "found Tern Two-Player Encoder") == 1);  // not in play yet
  pad.reset();
  REQUIRE(play.wait_for("was disconnected"));
  REQUIRE(wait_for_nodes("Hidden Pad", 0));
  pad = std::make_unique<UhidPad>("Hidden Pad", "h");
  REQUIRE(play.wait_for("Player 1 continues"));
  sleep_ms(300);
  CHECK(count(seen("2"), "found Hidden Pad") == 0);
  CHECK(count(seen("2"), "found /dev/hidraw") == 1);  // the encoder's node
  encoder.send_bytes({0, 0, 0x05, 0, 0, 0, 0, 0});    // the key B is a button of its left half
  REQUIRE(play.wait_for("Player 2 plays"));
  encoder.send_bytes({0, 0, 0, 0, 0, 0, 0, 0});
  sleep_ms(300);
  const std::string later = seen("3");
  INFO(later);
  CHECK(count(later, "found Tern Two-Player Encoder") == 0);
  CHECK(count(later, "found /dev/hidraw") == 0);
  CHECK(count(later, "found Omnipar port 1") == 2);
  seen("end");
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("With --alone a program finds no node of a unit that is read through raw reports", "[command]") {
  const OpenDoors open_doors;
  // a joystick with a second hat, which the kernel drops, and a game pad: two nodes of one HID device
  const Bytes both = application(0x04) + numbered(1) + buttons(1, 8, 0) + hat + hat + stick + end_collection +
                     application(0x05) + numbered(2) + buttons(1, 8, 0) + stick + end_collection;
  const UhidUnit adapter{"Double Adapter", "d", 9, both};
  REQUIRE(wait_for_nodes("Double Adapter", 2));
  std::ofstream{"/tmp/list.sh"} << lists_everything << "echo done";
  Playing play{"pad-2b --alone -- sh /tmp/list.sh"};
  sleep_ms(200);
  for (const std::uint8_t button : {std::uint8_t{1}, std::uint8_t{0}}) adapter.send_bytes({1, button, 8, 8, 128, 128});
  CHECK(play.wait_for_end() == 0);
  INFO(play.output());
  CHECK(count(play.output(), "found Omnipar port 1 pad") > 0);
  CHECK(count(play.output(), "found Double Adapter") == 0);
  CHECK(count(play.output(), "found /dev/hidraw") == 0);
}

TEST_CASE("udev classifies each form of virtual device as intended", "[command]") {
  std::ofstream{"/tmp/forms.toml"} << R"(omnipar = 1
[[sheet]]
kind = "system"
name = "typist"
title = "a machine with keys, a mouse and a gun"
[[sheet.port]]
number = 1
takes = ["keys"]
[[sheet.port]]
number = 2
takes = ["mouse"]
[[sheet.port]]
number = 3
takes = ["gun"]
[[sheet.controller]]
name = "keys"
title = "two keys"
target = [{ name = "shift", place = "key-left-shift", default = ["west"] }, { name = "q", place = "key-q", default = ["south"] }]
[[sheet.controller]]
name = "mouse"
title = "mouse"
target = [{ name = "move", type = "movement", place = "mouse", default = ["mouse"] }, { name = "left", place = "mouse-left", default = ["south"] }]
[[sheet.controller]]
name = "gun"
title = "positional gun"
target = [{ name = "aim", type = "stick", place = "gun", default = ["left-stick"] }, { name = "trigger", place = "trigger", default = ["south"] }]
)";
  const UhidPad first{"First Pad", "1"};
  const UhidPad second{"Second Pad", "2"};
  const UhidPad third{"Third Pad", "3"};
  for (const char* name : {"First Pad", "Second Pad", "Third Pad"}) REQUIRE(wait_for_nodes(name, 1));
  Playing play{"typist --data /tmp/forms.toml", first, second, third};
  Program{{"udevadm", "settle"}}.wait_for_end();
  const auto classes = [](const std::string& name) {
    REQUIRE(wait_for_nodes(name, 1));
    Program info{{"udevadm", "info", "--query=property", "--name=" + nodes_named(name).front()}};
    REQUIRE(info.wait_for_end() == 0);
    return info.output();
  };
  CHECK(classes("Omnipar port 1 keyboard").find("ID_INPUT_KEYBOARD=1") != std::string::npos);
  CHECK(classes("Omnipar port 2 mouse").find("ID_INPUT_MOUSE=1") != std::string::npos);
  CHECK(classes("Omnipar port 3 pointer").find("ID_INPUT_MOUSE=1") != std::string::npos);
  CHECK(nodes_named("Omnipar port 1 pad").empty());
  NodeReader keyboard{nodes_named("Omnipar port 1 keyboard").front()};
  NodeReader pointer{nodes_named("Omnipar port 3 pointer").front()};
  first.send({static_cast<std::uint16_t>(south | west)});
  REQUIRE(keyboard.wait_for(EV_KEY, KEY_Q, 1));
  sleep_ms(50);
  first.send({});
  REQUIRE(keyboard.wait_for(EV_KEY, KEY_LEFTSHIFT, 0));
  std::vector<std::pair<int, int>> keys;
  for (const input_event& event : keyboard.events())
    if (event.type == EV_KEY && event.value != 2) keys.emplace_back(event.code, event.value);
  // the modifier is outermost
  CHECK(keys == std::vector<std::pair<int, int>>{{KEY_LEFTSHIFT, 1}, {KEY_Q, 1}, {KEY_Q, 0}, {KEY_LEFTSHIFT, 0}});
  third.send({south, 8, 255, 128});
  CHECK(pointer.wait_for(EV_KEY, BTN_LEFT, 1));
  CHECK(pointer.wait_for(EV_ABS, ABS_X, 65535));
  third.send({south, 8, 128, 0});
  CHECK(pointer.wait_for(EV_ABS, ABS_Y, 0));
  play.signal(SIGTERM);
  CHECK(pointer.wait_for_end());
  CHECK(pointer.value(EV_KEY, BTN_LEFT) == 0);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("A freeze releases units to other programs, and the same buttons resume", "[command]") {
  std::ofstream{"/tmp/freeze.toml"} << R"(omnipar = 1
kind = "profile"
name = "freeze"
system = "pad-2b"
[port.1]
seat = "left"
[hotkeys]
freeze = { modifier = "start", press = "north" }
)";
  const UhidPad pad{"Frozen Pad", "f"};
  REQUIRE(wait_for_nodes("Frozen Pad", 1));
  NodeReader desktop{nodes_named("Frozen Pad").front()};
  Playing play{"/tmp/freeze.toml", pad};
  NodeReader game{nodes_named(port_1).front()};
  for (int round = 1; round <= 3; ++round) {
    sleep_ms(300);  // the unit is grabbed as soon as the last button is released
    desktop.drain();
    desktop.forget_events();
    pad.send({static_cast<std::uint16_t>(south | start_button), 2});
    REQUIRE(game.wait_for(EV_KEY, BTN_SOUTH, 1));
    REQUIRE(game.wait_for(EV_ABS, ABS_HAT0X, 1));
    pad.send({static_cast<std::uint16_t>(south | start_button | north), 2});
    REQUIRE(play.wait_for("Frozen: ", round));
    CHECK(game.wait_for(EV_KEY, BTN_SOUTH, 0));
    CHECK(game.wait_for(EV_ABS, ABS_HAT0X, 0));
    sleep_ms(60);
    CHECK(game.wait_for(EV_KEY, BTN_EAST, 0));  // pressed by the chord itself, and visible for a moment
    CHECK(game.held() == 0);
    desktop.drain();
    CHECK(desktop.events().empty());  // not released while something is down
    pad.send({});
    sleep_ms(100);
    game.drain();
    game.forget_events();
    pad.send({east});
    CHECK(desktop.wait_for(EV_KEY, BTN_EAST, 1));
    pad.send({});
    CHECK(desktop.wait_for(EV_KEY, BTN_EAST, 0));
    sleep_ms(50);
    game.drain();
    CHECK(game.events().empty());
    pad.send({static_cast<std::uint16_t>(start_button | north)});
    REQUIRE(play.wait_for("Resumed.", round));
    pad.send({});
  }
  sleep_ms(300);
  pad.send({east});
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 1));
  pad.send({});
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("--urgent gives Omnipar real-time priority, but not the program it starts", "[command]") {
  const UhidPad pad{"Urgent Pad", "u"};
  REQUIRE(wait_for_nodes("Urgent Pad", 1));
  Program play{{"/box/omnipar", "play", "pad-2b", "--urgent", "--wait-at-most", "0", "--", "sleep", "77"}};
  REQUIRE(play.wait_for("Starting sleep."));
  sleep_ms(300);
  CHECK(((::sched_getscheduler(play.process()) & ~SCHED_RESET_ON_FORK) == SCHED_FIFO));
  const pid_t started = process_named("sleep");
  REQUIRE(started > 0);
  CHECK(::sched_getscheduler(started) == SCHED_OTHER);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 128 + SIGTERM);
}
