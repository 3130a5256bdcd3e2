// What a game asks of a virtual pad's motors comes to the hand that plays there.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/uinput.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <fstream>

#include "made_units.hpp"

using namespace omnipar::test;

namespace {

constexpr const char* port_1 = "Omnipar port 1 pad";
using Effects = std::map<int, MotorPad::Effect>;

/// A game that has a virtual pad open.
class Game {
 public:
  Game() : file_(::open(nodes_named(port_1).front().c_str(), O_RDWR | O_NONBLOCK)) { REQUIRE(file_ >= 0); }
  ~Game() { close(); }
  Game(const Game&) = delete;
  Game& operator=(const Game&) = delete;
  void close() {
    if (file_ >= 0) ::close(file_);
    file_ = -1;
  }
  /// The number of the effect.
  int upload(ff_effect effect, int id = -1) const {
    effect.id = static_cast<std::int16_t>(id);
    REQUIRE(::ioctl(file_, EVIOCSFF, &effect) >= 0);
    return effect.id;
  }
  void erase(int id) const { CHECK(::ioctl(file_, EVIOCRMFF, id) >= 0); }
  void play(int id, int times) const {
    input_event event{};
    event.type = EV_FF;
    event.code = static_cast<std::uint16_t>(id);
    event.value = times;
    CHECK(::write(file_, &event, sizeof(event)) == sizeof(event));
  }

 private:
  int file_;
};

ff_effect rumble_of(std::uint16_t strong, std::uint16_t weak) {
  ff_effect effect{};
  effect.type = FF_RUMBLE;
  effect.replay.length = 500;
  effect.u.rumble = {strong, weak};
  return effect;
}

void write_profile() {
  std::ofstream{"/tmp/shake.toml"} << R"(omnipar = 1
kind = "profile"
name = "shake"
system = "pad-2b"
[port.1]
seat = "left"
[hot]
freeze = { hold = "start", press = "north" }
)";
}

void press_until(const UinputPad& pad, Program& play, const std::string& words) {
  for (int tries = 0; tries < 20; ++tries) {
    for (const int value : {1, 0}) {
      pad.send(EV_KEY, BTN_SOUTH, value);
      pad.sync();
      sleep_ms(50);
    }
    if (play.wait_for(words, 1, 300)) return;
  }
  FAIL("not said: " << words << "; but: " << play.output());
}

/// What an upload, a play and the close take together, beyond what closing takes anyway: there the kernel waits for all
/// its readers. The longest of a few.
std::int64_t us_of_a_round() {
  using Clock = std::chrono::steady_clock;
  const auto longest = [](bool with_effect) {
    std::int64_t most = 0;
    for (int round = 0; round < 5; ++round) {
      Game game;
      const auto start = Clock::now();
      if (with_effect) game.play(game.upload(rumble_of(0x8000, 0)), 1);
      game.close();
      const auto took = std::chrono::duration_cast<std::chrono::microseconds>(Clock::now() - start).count();
      most = std::max<std::int64_t>(most, took);
    }
    return most;
  };
  const std::int64_t bare = longest(false);
  const std::int64_t whole = longest(true);
  WARN("us: " << whole << " with an effect, " << bare << " for closing alone");
  return whole - bare;
}

constexpr std::int64_t twenty_ms = 20'000;

}  // namespace

TEST_CASE("effects reach the unit scaled, and are replaced, stopped and erased there", "[rumble]") {
  MotorPad pad{"Shaking Pad", {FF_RUMBLE}};
  REQUIRE(wait_for_nodes("Shaking Pad", 1));
  Program play{{"/box/omnipar", "play", "pad-2b", "--with-virtual", "--rumble", "60"}};
  REQUIRE(play.wait_for("Player 1: press any button"));
  press_until(pad, play, "Player 1 plays");
  Game game;
  const int id = game.upload(rumble_of(0xffff, 0x8000));
  game.play(id, 3);
  REQUIRE(pad.pump_until([](const Effects& e) { return e.size() == 1 && e.begin()->second.times == 3; }));
  const int there = pad.effects().begin()->first;
  CHECK(pad.effects().at(there).what.u.rumble.strong_magnitude == 39321);  // 60 %
  CHECK(pad.effects().at(there).what.u.rumble.weak_magnitude == 19661);
  CHECK(pad.effects().at(there).what.replay.length == 500);
  CHECK(game.upload(rumble_of(0x4000, 0), id) == id);  // replaced, in its place
  CHECK(pad.pump_until([&](const Effects& e) { return e.at(there).what.u.rumble.strong_magnitude == 9830; }));
  CHECK(pad.effects().size() == 1);
  game.play(id, 0);
  CHECK(pad.pump_until([&](const Effects& e) { return e.at(there).times == 0; }));
  // what the unit cannot do is done by what it can
  ff_effect shake{};
  shake.type = FF_PERIODIC;
  shake.u.periodic.waveform = FF_SQUARE;
  shake.u.periodic.magnitude = 0x7fff;
  const int second = game.upload(shake);
  game.play(second, 1);
  REQUIRE(pad.pump_until([](const Effects& e) { return e.size() == 2; }));
  CHECK(pad.effects().rbegin()->second.what.type == FF_RUMBLE);
  CHECK(pad.effects().rbegin()->second.what.u.rumble.strong_magnitude == 39320);
  game.erase(id);
  CHECK(pad.pump_until([&](const Effects& e) { return e.size() == 1 && !e.contains(there); }));
  game.close();  // which erases what is left
  CHECK(pad.pump_until([](const Effects& e) { return e.empty(); }));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("a game is answered at once: with no motors, frozen, with the unit unplugged, at the end", "[clockwork]") {
  write_profile();
  auto pad = std::make_unique<UhidPad>("Still Pad", "s");
  REQUIRE(wait_for_nodes("Still Pad", 1));
  Program play{{"/box/omnipar", "play", "/tmp/shake.toml"}};
  REQUIRE(play.wait_for("Player 1: press any button"));
  CHECK(us_of_a_round() < twenty_ms);  // nobody plays yet
  REQUIRE(tap_until(*pad, play, "Player 1 plays"));
  CHECK(us_of_a_round() < twenty_ms);
  pad->send({static_cast<std::uint16_t>(start_button | north)});
  REQUIRE(play.wait_for("Frozen: "));
  CHECK(us_of_a_round() < twenty_ms);
  pad.reset();
  REQUIRE(play.wait_for("is gone"));
  CHECK(us_of_a_round() < twenty_ms);
  Game game;
  const int id = game.upload(rumble_of(1, 1));
  game.play(id, 1);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  const auto start = std::chrono::steady_clock::now();
  game.close();
  CHECK(std::chrono::steady_clock::now() - start < std::chrono::seconds{1});
}

TEST_CASE("freezing stops the motors, and changes are felt", "[rumble]") {
  write_profile();
  MotorPad pad{"Felt Pad", {FF_CONSTANT}};
  REQUIRE(wait_for_nodes("Felt Pad", 1));
  Program play{{"/box/omnipar", "play", "/tmp/shake.toml", "--with-virtual", "--feel"}};
  REQUIRE(play.wait_for("Player 1: press any button"));
  press_until(pad, play, "Player 1 plays");
  Game game;
  const int id = game.upload(rumble_of(0xffff, 0));
  game.play(id, 1);
  REQUIRE(pad.pump_until([](const Effects& e) { return e.size() == 1 && e.begin()->second.times == 1; }));
  const int there = pad.effects().begin()->first;
  CHECK(pad.effects().at(there).what.type == FF_CONSTANT);
  CHECK(pad.effects().at(there).what.u.constant.level == 0x7fff);
  const auto chord = [&pad](int value) {
    pad.send(EV_KEY, BTN_START, value);
    pad.send(EV_KEY, BTN_NORTH, value);
    pad.sync();
  };
  chord(1);
  REQUIRE(pad.pump_until([&](const Effects& e) { return e.at(there).times == 0 && e.size() == 2; }));
  CHECK(pad.pump_until([](const Effects& e) { return e.rbegin()->second.times == 2; }));  // frozen: two pulses
  CHECK(play.wait_for("Frozen: "));
  chord(0);
  sleep_ms(100);
  game.play(id, 1);  // asked for while frozen: not done
  chord(1);
  CHECK(pad.pump_until([](const Effects& e) { return e.rbegin()->second.times == 1; }));  // it goes on: one pulse
  CHECK(pad.effects().at(there).times == 0);
  chord(0);
  sleep_ms(100);
  play.signal(SIGTERM);
  for (int tries = 0; tries < 500 && play.process() > 0; ++tries) {
    pad.pump();
    play.wait_for_end(0);
  }
  CHECK(play.process() == -1);
}
