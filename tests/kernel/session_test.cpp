// The library in an emulator: the example as a separate program, and sessions in this process.
#include <catch2/catch.hpp>

#include <poll.h>
#include <sys/wait.h>

#include <csignal>
#include <filesystem>
#include <memory>

#include "made_units.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/session.hpp"
#include "play/session_impl.hpp"
#include "support/faulty_door.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

constexpr std::uint16_t right_shoulder = 1 << 7;

std::vector<std::string> duel(const std::vector<std::string>& words) {
  std::vector<std::string> command{"/box/duel"};
  command.insert(command.end(), words.begin(), words.end());
  return command;
}

/// What a session must not leave behind in this process.
struct Traces {
  std::size_t descriptors = 0;
  std::size_t threads = 0;
  bool has_children = false;
  bool blocks_a_signal = false;
  friend bool operator==(const Traces&, const Traces&) = default;
};

Traces traces() {
  const auto count = [](const char* folder) {
    return static_cast<std::size_t>(
        std::distance(std::filesystem::directory_iterator{folder}, std::filesystem::directory_iterator{}));
  };
  sigset_t blocked;
  ::sigprocmask(SIG_BLOCK, nullptr, &blocked);
  siginfo_t child{};
  const bool has_children = ::waitid(P_ALL, 0, &child, WEXITED | WNOHANG | WNOWAIT) == 0;
  return {count("/proc/self/fd"), count("/proc/self/task"), has_children, ::sigismember(&blocked, SIGUSR1) == 1};
}

SessionOptions options_for(const std::string& pad, bool virtual_devices) {
  SessionOptions options;
  options.profile = propose(options.catalogue, "pad-2b").value();
  options.virtual_devices = virtual_devices;
  options.signals = {SIGUSR1};
  options.accepts = [pad](const Description& unit) { return unit.name == pad; };
  return options;
}

void pass(Session& session, int ms) { session.run_until(session.now() + std::chrono::milliseconds{ms}); }

/// Seats the pad and presses; true if the machine saw the press and its release.
bool plays(Session& session, const UhidPad& pad) {
  session.process();  // reports sent before the node is open are lost
  Reader game{session.engine()};
  const TargetIndex fire = session.plan().target(1, "inner").value();
  const auto shows = [&](bool pressed) {
    for (int tries = 0; tries < 50; ++tries) {
      pass(session, 5);
      game.next_frame();
      if (game.port(1).pressed(fire) == pressed) return true;
    }
    return false;
  };
  for (const PadReport& report : {PadReport{start_button}, PadReport{}}) {
    pad.send(report);
    pass(session, 30);
  }
  pad.send({south});
  const bool pressed = shows(true);
  pad.send({});
  return pressed && shows(false);
}

}  // namespace

TEST_CASE("Two players in an emulator keep their seats across reconnects and swap ports", "[session]") {
  const std::string way = GENERATE("", "--poll", "--virtual");
  CAPTURE(way);
  auto one = std::make_unique<UhidPad>("First Pad", "1");
  auto two = std::make_unique<UhidPad>("Second Pad", "2");
  REQUIRE(wait_for_nodes("Second Pad", 1));
  Program emulator{duel(way.empty() ? std::vector<std::string>{} : std::vector<std::string>{way})};
  REQUIRE(tap_until(*one, emulator, "Player 1 plays with \"First Pad\""));
  REQUIRE(tap_until(*two, emulator, "Player 2 plays with \"Second Pad\""));
  one->send({south});
  REQUIRE(emulator.wait_for("port 1 throws: hit"));
  two->send({0, 2});
  CHECK(emulator.wait_for("port 2 goes to 1\n"));
  two->send({0, 8, 0});
  CHECK(emulator.wait_for("port 2 goes to -1\n"));

  one.reset();
  two.reset();
  REQUIRE(emulator.wait_for("was disconnected; its buttons are released", 2));
  CHECK(emulator.wait_for("port 2 goes to 0\n"));
  two = std::make_unique<UhidPad>("Second Pad", "2");
  REQUIRE(emulator.wait_for("Player 2 continues with \"Second Pad\""));
  one = std::make_unique<UhidPad>("First Pad", "1");
  REQUIRE(emulator.wait_for("Player 1 continues with \"First Pad\""));
  one->send({south});
  CHECK(emulator.wait_for("port 1 throws: hit", 2));
  one->send({});

  two->send({start_button});
  two->send({start_button | right_shoulder});
  REQUIRE(emulator.wait_for("Swapped: port 1 is now played from seat-2."));
  two->send({});
  one->send({south});
  CHECK(emulator.wait_for("port 2 throws: hit"));
  one->send({});
  CHECK(nodes_named(port_1).size() == (way == "--virtual" ? 1 : 0));
  emulator.signal(SIGTERM);
  CHECK(emulator.wait_for_end() == 0);
  CHECK(all_is_gone());
}

TEST_CASE("An emulator's rumble reaches the unit of the port", "[session]") {
  MotorPad one{"First Motor Pad", {FF_RUMBLE}};
  MotorPad two{"Second Motor Pad", {FF_RUMBLE}};
  REQUIRE(wait_for_nodes("Second Motor Pad", 1));
  Program emulator{duel({"--with-virtual"})};
  REQUIRE(tap_until(one, emulator, "Player 1 plays"));
  REQUIRE(tap_until(two, emulator, "Player 2 plays"));
  one.send(EV_KEY, BTN_SOUTH, 1);
  one.sync();
  CHECK(two.pump_until([](const auto& effects) {
    return effects.size() == 1 && effects.begin()->second.times == 1 &&
           effects.begin()->second.what.u.rumble.strong_magnitude == 0xffff &&
           effects.begin()->second.what.replay.length == 300;
  }));
  CHECK(one.effects().empty());
  emulator.signal(SIGTERM);
  CHECK(two.pump_until([&](const auto&) { return emulator.wait_for_end(1) == 0; }));
}

TEST_CASE("A killed emulator leaves nothing down", "[session]") {
  const UhidPad pad{"Killed Pad", "k"};
  REQUIRE(wait_for_nodes("Killed Pad", 1));
  Program emulator{duel({"--virtual"})};
  REQUIRE(tap_until(pad, emulator, "Player 1 plays"));
  NodeReader other{nodes_named(port_1).front()};
  pad.send({south});
  REQUIRE(other.wait_for(EV_KEY, BTN_SOUTH, 1));
  emulator.signal(SIGKILL);
  CHECK(other.wait_for_end());
  CHECK(other.held() == 0);
  CHECK(all_is_gone());
}

TEST_CASE("Two sessions in one process do not disturb each other and leave nothing behind", "[session]") {
  const UhidPad left{"Left Pad", "l"};
  const UhidPad right{"Right Pad", "r"};
  REQUIRE(wait_for_nodes("Right Pad", 1));
  const bool virtual_devices = GENERATE(false, true);
  const Traces before = traces();
  {
    auto one = Session::open(options_for("Left Pad", virtual_devices));
    auto other = Session::open(options_for("Right Pad", virtual_devices));
    REQUIRE(one);
    REQUIRE(other);
    CHECK(one->nodes().empty());
    CHECK(plays(*one, left));
    CHECK(plays(*other, right));
    CHECK(one->units() == std::vector<UnitHere>{{"Left Pad", "seat-1", true, one->units().front().id}});
    CHECK(other->units() == std::vector<UnitHere>{{"Right Pad", "seat-1", true, other->units().front().id}});
    CHECK(one->nodes().size() == 1);
    if (virtual_devices) {
      CHECK(one->virtual_devices().front().name == port_1);
      CHECK(other->virtual_devices().front().name == std::string{port_1} + " (2)");
      CHECK(one->helper() != other->helper());
    }
    one->close();
    CHECK(plays(*other, right));
    ::raise(SIGUSR1);
    pass(*other, 10);
    bool caught = false;
    while (const auto event = other->next_event()) caught = caught || std::holds_alternative<SignalCaught>(*event);
    CHECK(caught);
  }
  CHECK(traces() == before);
  CHECK(wait_for_nodes(port_1, 0));
}

TEST_CASE("A unit is given another seat, and another profile's seats are rejected", "[session]") {
  const UhidPad pad{"Moved Pad", "m"};
  REQUIRE(wait_for_nodes("Moved Pad", 1));
  auto session = Session::open(options_for("Moved Pad", false));
  REQUIRE(session);
  CHECK(plays(*session, pad));
  const auto units = session->units();
  const auto moved = std::ranges::find(units, "Moved Pad", &UnitHere::name);
  REQUIRE(moved != units.end());
  CHECK(session->reseat(moved->id, "seat-9")->id == "unknown-seat");
  CHECK(session->reseat(-1, "seat-2")->id == "unknown-unit");
  pad.send({south});
  pass(*session, 30);
  REQUIRE_FALSE(session->reseat(moved->id, "seat-2"));
  Reader game{session->engine()};
  const TargetIndex fire = session->plan().target(1, "inner").value();
  CHECK_FALSE(game.port(1).pressed(fire));
  CHECK_FALSE(game.port(2).pressed(fire));  // counts from its next press
  for (const PadReport& report : {PadReport{}, PadReport{south}}) {
    pad.send(report);
    pass(*session, 30);
  }
  game.next_frame();
  CHECK(game.port(2).pressed(fire));
  CHECK(session->rig().units.front().seat == "seat-2");
}

TEST_CASE("A polled session is woken exactly for changes between two calls", "[session]") {
  const UhidPad pad{"Polled Pad", "p"};
  REQUIRE(wait_for_nodes("Polled Pad", 1));
  auto session = Session::open(options_for("Polled Pad", true));
  REQUIRE(session);
  const auto wakes_within = [&](int time_ms) {
    pollfd polled{session->descriptor(), POLLIN, 0};
    return ::poll(&polled, 1, time_ms) > 0;
  };
  REQUIRE(plays(*session, pad));
  while (wakes_within(600)) session->process();  // it is grabbed by then
  NodeReader other{nodes_named(port_1).front()};
  pad.send({south});
  REQUIRE(wakes_within(500));
  session->process();
  REQUIRE(other.wait_for(EV_KEY, BTN_SOUTH, 1));
  session->freeze();  // the press must last a moment longer: the poller must be woken to end it
  while (wakes_within(300)) session->process();
  CHECK(other.wait_for(EV_KEY, BTN_SOUTH, 0, 100));
  NodeReader desktop{nodes_named("Polled Pad").front()};
  pad.send({});
  while (wakes_within(300)) session->process();
  pad.send({east});
  CHECK(desktop.wait_for(EV_KEY, BTN_EAST, 1, 500));  // it is available to all programs again
  pad.send({});
}

TEST_CASE("Every system call may fail or be interrupted: the session reports it or continues, without leaks",
          "[session]") {
  const UhidPad pad{"Unlucky Pad", "u"};
  REQUIRE(wait_for_nodes("Unlucky Pad", 1));
  const bool virtual_devices = GENERATE(false, true);
  const Fault fault = GENERATE(Fault::fails, Fault::interrupted);
  const Traces before = traces();
  const auto evening = [&](FaultyDoor& door) {
    auto session = play::open_session(door, options_for("Unlucky Pad", virtual_devices));
    if (!session) return !session.error().empty();
    static_cast<void>(session->descriptor());
    session->light_number(1);
    const bool played = plays(*session, pad);
    session->rumble(1, 1, 1);
    session->freeze();
    session->thaw();
    session->swap_ports();
    pass(*session, 10);
    bool reported = session->failure().has_value();
    while (const auto event = session->next_event()) reported = reported || std::holds_alternative<Refused>(*event);
    return played || reported || session->units().empty();
  };
  FaultyDoor good{Fault::none, 0};
  REQUIRE(evening(good));
  const int calls = good.calls();
  CHECK(calls < 1500);  // it does not busy-wait
  const int step = full_counts() ? 1 : calls / 12 + 1;
  for (int at = 1; at <= calls; at += step) {
    CAPTURE(virtual_devices, at, calls);
    FaultyDoor door{fault, at};
    CHECK(evening(door));
    CHECK(traces() == before);
  }
  CHECK(all_is_gone());
}
