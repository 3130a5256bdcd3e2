// Faults during a real session that must do no harm: nothing may remain pressed, grabbed or left behind.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/uinput.h>
#include <sys/ioctl.h>
#include <sys/time.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <limits>
#include <memory>
#include <random>
#include <stdexcept>

#include "made_units.hpp"
#include "support/settings.hpp"

using namespace omnipar::test;

namespace {

/// A reader of the virtual pad, if it exists at this moment.
std::unique_ptr<NodeReader> game_if_there() {
  const auto nodes = nodes_named(port_1);
  if (nodes.empty() || ::access(nodes.front().c_str(), R_OK) != 0) return nullptr;
  try {
    return std::make_unique<NodeReader>(nodes.front());
  } catch (const std::runtime_error&) {
    return nullptr;  // it was removed just now
  }
}

/// No program holds the unit.
bool is_free(const std::string& unit) {
  const NodeReader node{nodes_named(unit).front()};
  return ::ioctl(node.descriptor(), EVIOCGRAB, 1) == 0;
}

}  // namespace

TEST_CASE("After SIGKILL at any moment readers see rest, pads are removed, the unit is free and files are whole",
          "[trouble]") {
  const char* config = "/tmp/killed";
  std::system("rm -rf /tmp/killed");
  const UhidPad pad{"Doomed Pad", "d"};
  REQUIRE(wait_for_nodes("Doomed Pad", 1));
  std::mt19937 dice{20261123};
  int ms_to_begin = 1'000;  // the maximum; it varies between machines, and sometimes on one
  for (int start = 0; start < 3; ++start) {
    int ms = 0;
    {
      Program play{{"/box/omnipar", "play", "pad-2b"}};
      for (; nodes_named(port_1).empty() && ms < ms_to_begin; ms += 10) sleep_ms(10);
    }
    ms_to_begin = std::min(ms, ms_to_begin);
    REQUIRE(all_is_gone());
  }
  CAPTURE(ms_to_begin);
  const int rounds = cases(15, 500);
  int played = 0;
  for (int round = 0; round < rounds; ++round) {
    const int after_ms = ms_to_begin / 2 + static_cast<int>(dice() % static_cast<unsigned>(ms_to_begin + 500));
    CAPTURE(round, after_ms);
    Program play{{"/bin/env", std::string{"XDG_CONFIG_HOME="} + config, "/box/omnipar", "play", "pad-2b", "--keep",
                  "evening-" + std::to_string(round)}};
    std::unique_ptr<NodeReader> game;
    for (int ms = 0; ms < after_ms; ms += 10) {
      pad.send({static_cast<std::uint16_t>(ms / 10 % 3 == 0 ? 0 : south), 8, static_cast<std::uint8_t>(dice())});
      sleep_ms(10);
      if (!game) game = game_if_there();
    }
    // half of them end normally first, and are killed while they write
    if (round % 2 == 1) play.signal(SIGTERM);
    if (round % 2 == 1) ::usleep(static_cast<useconds_t>(dice() % 120'000));
    play.signal(SIGKILL);
    play.wait_for_end();
    if (game) {
      ++played;
      CHECK(game->wait_for_end());
      CHECK(game->held() == 0);
    }
    pad.send({});
    CHECK(all_is_gone());
    CHECK(is_free("Doomed Pad"));
    for (const std::string& name : {std::string{"rig"}, "profiles/evening-" + std::to_string(round)}) {
      const std::string text = contents(std::string{config} + "/omnipar/" + name + ".toml");
      CHECK((text.empty() || (text.starts_with("omnipar = 1") && text.ends_with('\n'))));
    }
  }
  WARN("begun after " << ms_to_begin << " ms, played in " << played << " of " << rounds << " rounds");
  CHECK(played > rounds / 4);
}

TEST_CASE("A unit that returns with different axes is played with its current ones", "[trouble]") {
  auto pad = std::make_unique<UhidPad>("Changing Pad", "c");
  Playing play{"pad-2b", *pad};
  NodeReader game{nodes_named(port_1).front()};
  pad->send({east, 2, 255});
  REQUIRE(game.wait_for(EV_KEY, BTN_EAST, 1));
  pad.reset();
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 0));
  REQUIRE(wait_for_nodes("Changing Pad", 0));
  // the same unit in another mode: no hat and no second stick, and its stick ranges from 0 to 127
  std::vector<std::uint8_t> other{0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x10, 0x15,
                                  0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x10, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30,
                                  0x09, 0x31, 0x15, 0x00, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0xc0};
  const UhidUnit changed{"Changing Pad", "c", 2, other};
  REQUIRE(play.wait_for("Player 1 continues with \"Changing Pad\""));
  sleep_ms(200);
  changed.send_bytes({east, 0, 127, 64});
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 1));
  CHECK(game.wait_for(EV_ABS, ABS_HAT0X, 1));
  changed.send_bytes({0, 0, 64, 64});
  CHECK(game.wait_for(EV_ABS, ABS_HAT0X, 0));
  CHECK(game.held() == 0);
}

TEST_CASE("A unit that disconnects with the exit combination held does not end the session", "[trouble]") {
  auto pad = std::make_unique<UhidPad>("Leaving Pad", "l");
  Playing play{"pad-2b", *pad};
  NodeReader game{nodes_named(port_1).front()};
  pad->send({static_cast<std::uint16_t>(start_button | select_button)});
  REQUIRE(game.wait_for(EV_KEY, BTN_START, 1));
  pad.reset();
  REQUIRE(play.wait_for("was disconnected"));
  CHECK(play.wait_for_end(3000) == -1);
  CHECK(game.drain());
  CHECK(game.held() == 0);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("The very first press may be the exit combination", "[trouble]") {
  const UhidPad pad{"Leaving Pad", "l"};
  REQUIRE(wait_for_nodes("Leaving Pad", 1));
  Program play{{"/box/omnipar", "play", "pad-2b"}};
  REQUIRE(play.wait_for("Player 1: press any button"));
  pad.send({start_button});
  sleep_ms(100);
  pad.send({static_cast<std::uint16_t>(start_button | select_button)});
  CHECK(play.wait_for("Ended from a controller.", 1, 4000));
  pad.send({});
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("The system clock may jump, and the computer may suspend", "[trouble]") {
  const UhidPad pad{"Sleepy Pad", "s"};
  Playing play{"pad-2b", pad};
  NodeReader game{nodes_named(port_1).front()};
  const auto taps = [&] {
    pad.send({south});
    CHECK(game.wait_for(EV_KEY, BTN_SOUTH, 1));
    pad.send({});
    CHECK(game.wait_for(EV_KEY, BTN_SOUTH, 0));
  };
  timeval now{};
  ::gettimeofday(&now, nullptr);
  for (const long jump : {-86'400L, 172'800L, -86'400L}) {
    now.tv_sec += jump;
    REQUIRE(::settimeofday(&now, nullptr) == 0);
    taps();
  }
  pad.send({south});
  REQUIRE(game.wait_for(EV_KEY, BTN_SOUTH, 1));
  // The kernel simulates suspending its devices and wakes by itself: with full counts after a second of busy
  // waiting.
  std::ofstream{"/sys/module/suspend/parameters/pm_test_delay"} << cases(0, 1) << std::flush;
  std::ofstream{"/sys/power/pm_test"} << "devices" << std::flush;
  const bool slept = std::system("echo freeze >/sys/power/state 2>/dev/null") == 0;
  WARN((slept ? "it slept" : "this kernel does not sleep"));
  pad.send({});
  CHECK(game.wait_for(EV_KEY, BTN_SOUTH, 0));
  taps();
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("Too few descriptors or too little memory are reported, and nothing is left behind", "[trouble]") {
  const UhidPad pad{"Starved Pad", "s"};
  REQUIRE(wait_for_nodes("Starved Pad", 1));
  int refused = 0;
  const auto evening = [&](const std::string& limit) {
    CAPTURE(limit);
    Program play{{"sh", "-c", "ulimit " + limit + "; exec /box/omnipar play pad-2b"}};
    const bool began = play.wait_for("Player 1: press any button");
    if (began) play.signal(SIGTERM);
    const int status = play.wait_for_end();
    CAPTURE(play.output());
    // Not even the program itself could be loaded; without room for it, the kernel kills the new process.
    const bool killed_at_once = play.output().empty() && (status == 128 + SIGKILL || status == 128 + SIGSEGV);
    const bool loader_failed = status == 127 || killed_at_once;
    CHECK((began ? status == 0 || status == 3 : status == 3 || loader_failed));
    if (!began && !loader_failed) CHECK(play.output().find("omnipar: ") != std::string::npos);
    refused += began ? 0 : 1;
    CHECK(all_is_gone());
    CHECK(is_free("Starved Pad"));
  };
  for (int files = 3; files <= 14; files += cases(4, 1)) evening("-n " + std::to_string(files));
  for (int kib = 4'000; kib <= 14'000; kib += cases(3'000, 250)) evening("-v " + std::to_string(kib));
  CHECK(refused > 0);
}

TEST_CASE("A hostile unit does no harm and shows no unsafe text", "[trouble]") {
  // Every existing button, axes with nonsensical ranges, and a name with control sequences.
  const int file = ::open("/dev/uinput", O_RDWR);
  REQUIRE(file >= 0);
  ::ioctl(file, UI_SET_EVBIT, EV_KEY);
  ::ioctl(file, UI_SET_EVBIT, EV_ABS);
  ::ioctl(file, UI_SET_EVBIT, EV_REL);
  for (int code = 1; code < KEY_CNT; ++code) ::ioctl(file, UI_SET_KEYBIT, code);
  for (int code = 0; code < REL_CNT; ++code) ::ioctl(file, UI_SET_RELBIT, code);
  for (int code = 0; code < ABS_MT_SLOT; ++code) {
    uinput_abs_setup setup{};
    setup.code = static_cast<std::uint16_t>(code);
    setup.absinfo.minimum = std::numeric_limits<std::int32_t>::min();
    setup.absinfo.maximum = code % 2 == 0 ? std::numeric_limits<std::int32_t>::max() : setup.absinfo.minimum + 1;
    setup.absinfo.fuzz = std::numeric_limits<std::int32_t>::max();
    ::ioctl(file, UI_ABS_SETUP, &setup);
  }
  uinput_setup setup{};
  setup.id = {BUS_USB, 0x1209, 13, 1};
  const std::string name = "Bad\x1b[2J\x1b]0;owned\x07\r\n\xff\xfe Pad";
  name.copy(setup.name, sizeof(setup.name) - 1);
  ::ioctl(file, UI_DEV_SETUP, &setup);
  REQUIRE(::ioctl(file, UI_DEV_CREATE) == 0);
  const UhidPad good{"Good Pad", "g"};
  Playing play{"pad-two-stick --with-virtual", good};
  NodeReader game{nodes_named(port_1).front()};
  std::mt19937 dice{7};
  const auto send = [&](std::uint16_t type, std::uint16_t code, std::int32_t value) {
    input_event event{};
    event.type = type;
    event.code = code;
    event.value = value;
    static_cast<void>(::write(file, &event, sizeof(event)));
  };
  for (int i = 0; i < cases(20'000, 200'000); ++i) {
    switch (dice() % 4) {
      case 0:
        send(EV_KEY, static_cast<std::uint16_t>(dice() % KEY_CNT), static_cast<std::int32_t>(dice() % 2));
        break;
      case 1:
        send(EV_ABS, static_cast<std::uint16_t>(dice() % ABS_MT_SLOT), static_cast<std::int32_t>(dice()));
        break;
      case 2:
        send(EV_REL, static_cast<std::uint16_t>(dice() % REL_CNT), static_cast<std::int32_t>(dice()));
        break;
      default:
        send(EV_SYN, SYN_REPORT, 0);
    }
  }
  send(EV_SYN, SYN_REPORT, 0);
  // the well-behaved unit's player is not affected
  good.send({south});
  CHECK(game.wait_for(EV_KEY, BTN_SOUTH, 1));
  good.send({});
  CHECK(game.wait_for(EV_KEY, BTN_SOUTH, 0));
  Program units{{"/box/omnipar", "units", "--with-virtual", "--why"}};
  CHECK(units.wait_for_end() == 0);
  ::close(file);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  for (const std::string& output : {units.output(), play.output()}) {
    INFO(output);
    for (const char strange : {'\x1b', '\x07', '\r', '\xff', '\xfe'}) CHECK(output.find(strange) == std::string::npos);
  }
  CHECK(units.output().find("Bad?[2J") != std::string::npos);
}

TEST_CASE("A keyboard in play still changes the volume", "[trouble]") {
  std::ofstream{"/tmp/panel.toml"} << R"(omnipar = 1
[[sheet]]
kind = "unit"
name = "panel"
title = "Panel that types"
identity = [{ vendor = 0x1209, product = 4 }]
control = [{ code = "KEY_Q", role = "south" }, { code = "KEY_MUTE", role = "start" }]
)";
  const UinputPad unit{"Panel Keys", {KEY_Q, KEY_W, KEY_MUTE, KEY_VOLUMEUP}};
  REQUIRE(wait_for_nodes("Panel Keys", 1));
  NodeReader desktop{nodes_named("Panel Keys").front()};
  Playing play{"pad-2b --data /tmp/panel.toml --with-virtual"};
  const auto tap = [&](std::uint16_t code, std::int32_t value) {
    unit.send(EV_KEY, code, value);
    unit.sync();
  };
  for (int tries = 0; tries < 20 && !play.wait_for("Player 1 plays", 1, 300); ++tries)
    for (const int value : {1, 0}) tap(KEY_Q, value);
  REQUIRE(wait_for_nodes("Omnipar passed-on keys", 1));
  NodeReader passed{nodes_named("Omnipar passed-on keys").front()};
  tap(KEY_Q, 1);  // so that everything is released, and the unit is grabbed
  tap(KEY_Q, 0);
  sleep_ms(100);
  desktop.drain();
  desktop.forget_events();
  tap(KEY_VOLUMEUP, 1);
  CHECK(passed.wait_for(EV_KEY, KEY_VOLUMEUP, 1));
  for (const int kept : {KEY_W, KEY_MUTE})
    for (const int value : {1, 0})
      tap(static_cast<std::uint16_t>(kept), value);  // one is unassigned, the other is in play
  sleep_ms(100);
  passed.drain();
  CHECK(passed.value(EV_KEY, KEY_MUTE) == 0);
  for (const input_event& event : passed.events()) CHECK((event.type == EV_SYN || event.code == KEY_VOLUMEUP));
  desktop.drain();
  CHECK(desktop.events().empty());
  play.signal(SIGKILL);  // with the key still down: the keeper releases it
  CHECK(passed.wait_for_end());
  CHECK(passed.value(EV_KEY, KEY_VOLUMEUP) == 0);
}
