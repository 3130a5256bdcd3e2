// Rumble that a game requests of a virtual pad reaches the player's unit.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/uinput.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <initializer_list>
#include <optional>

#include "hid/descriptors.hpp"
#include "made_units.hpp"

using namespace omnipar::test;

namespace {

using Effects = std::map<int, MotorPad::Effect>;

/// A game that has opened a virtual pad.
class Game {
 public:
  explicit Game(const std::string& port = port_1)
      : file_(::open(nodes_named(port).front().c_str(), O_RDWR | O_NONBLOCK)) {
    REQUIRE(file_ >= 0);
  }
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

void write_shaking_profile() {
  std::ofstream{"/tmp/shake.toml"} << R"(omnipar = 1
kind = "profile"
name = "shake"
system = "pad-2b"
[port.1]
seat = "left"
[hotkeys]
freeze = { modifier = "start", press = "north" }
)";
}

/// The duration of an upload, a play and the close together, beyond the close itself, in which the kernel waits for all
/// its readers. The longest of several.
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

/// Ends the session while the units' drivers keep answering it.
bool ends_with_answers(Playing& play, std::initializer_list<MotorPad*> pads) {
  play.signal(SIGTERM);
  for (int tries = 0; tries < 500 && play.process() > 0; ++tries) {
    for (MotorPad* pad : pads) pad->pump();
    play.wait_for_end(0);
  }
  return play.process() == -1;
}

}  // namespace

TEST_CASE("Effects reach the unit scaled, and are replaced, stopped and erased there", "[rumble]") {
  MotorPad pad{"Shaking Pad", {FF_RUMBLE}};
  Playing play{"pad-2b --with-virtual --rumble 60", pad};
  Game game;
  const int id = game.upload(rumble_of(0xffff, 0x8000));
  game.play(id, 3);
  REQUIRE(pad.pump_until([](const Effects& e) { return e.size() == 1 && e.begin()->second.times == 3; }));
  const int there = pad.effects().begin()->first;
  CHECK(pad.effects().at(there).what.u.rumble.strong_magnitude == 39321);  // 60 %
  CHECK(pad.effects().at(there).what.u.rumble.weak_magnitude == 19661);
  CHECK(pad.effects().at(there).what.replay.length == 500);
  CHECK(game.upload(rumble_of(0x4000, 0), id) == id);  // replaced, under the same id
  CHECK(pad.pump_until([&](const Effects& e) { return e.at(there).what.u.rumble.strong_magnitude == 9830; }));
  CHECK(pad.effects().size() == 1);
  game.play(id, 0);
  CHECK(pad.pump_until([&](const Effects& e) { return e.at(there).times == 0; }));
  // a missing effect type is replaced by an available one
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
  game.close();  // which erases the remaining effects
  CHECK(pad.pump_until([](const Effects& e) { return e.empty(); }));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("A game is answered at once: without motors, frozen, unplugged and at the end", "[clockwork]") {
  write_shaking_profile();
  auto pad = std::make_unique<UhidPad>("Still Pad", "s");
  REQUIRE(wait_for_nodes("Still Pad", 1));
  Playing play{"/tmp/shake.toml"};
  CHECK(us_of_a_round() < twenty_ms);  // no player yet
  REQUIRE(tap_until(*pad, play, "Player 1 plays"));
  CHECK(us_of_a_round() < twenty_ms);
  pad->send({static_cast<std::uint16_t>(start_button | north)});
  REQUIRE(play.wait_for("Frozen: "));
  CHECK(us_of_a_round() < twenty_ms);
  pad.reset();
  REQUIRE(play.wait_for("was disconnected"));
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

TEST_CASE("A unit with an unresponsive driver delays neither other players nor the removal of the pads", "[rumble]") {
  const OpenNodes open;
  const bool root = is_root();
  MotorPad mute{"Mute Motors", {FF_RUMBLE}};
  const UhidPad other{"Other Hand", "oh"};
  Playing play{run_by(root, "exec /box/omnipar play pad-2b --with-virtual -- sh -c 'sleep 3; exit 5'"), mute, other};
  Game game;
  const int id = game.upload(rumble_of(0xffff, 0));
  game.play(id, 1);  // from here on the unit's driver does not respond
  sleep_ms(200);
  NodeReader two{nodes_named("Omnipar port 2 pad").front()};
  const auto start = std::chrono::steady_clock::now();
  other.send({east});
  CHECK(two.wait_for(EV_KEY, BTN_EAST, 1, 1000));
  other.send({});
  CHECK(two.wait_for(EV_KEY, BTN_EAST, 0, 1000));
  CHECK(two.wait_for_end());
  CHECK(std::chrono::steady_clock::now() - start < std::chrono::seconds{8});
  while (play.wait_for_end(0) < 0 && std::chrono::steady_clock::now() - start < std::chrono::seconds{8}) mute.pump();
  CHECK(play.wait_for_end() == 5);  // the unit itself is closed once its driver has responded
}

TEST_CASE("Endless rumble follows a swap and continues after a reconnect", "[rumble]") {
  const OpenNodes open;
  const bool root = is_root();
  std::ofstream{"/tmp/swap.toml"} << "omnipar = 1\nkind = \"profile\"\nname = \"swap\"\nsystem = \"pad-2b\"\n"
                                     "[port.1]\nseat = \"left\"\n[port.2]\nseat = \"right\"\n"
                                     "[hotkeys]\nswap-ports = { modifier = \"start\", press = \"north\" }\n";
  MotorPad one{"First Motors", {FF_RUMBLE}};
  auto two = std::make_unique<MotorPad>("Second Motors", std::vector<int>{FF_RUMBLE});
  Playing play{run_by(root, "exec /box/omnipar play /tmp/swap.toml --with-virtual"), one, *two};
  Game game;  // of port 1
  ff_effect endless = rumble_of(0xffff, 0);
  endless.replay.length = 0;
  const int id = game.upload(endless);
  game.play(id, 1);
  const auto shakes = [](const Effects& e) { return e.size() == 1 && e.begin()->second.times == 1; };
  const auto rests = [](const Effects& e) { return e.empty() || e.begin()->second.times == 0; };
  REQUIRE(one.pump_until(shakes));
  for (const auto& [code, value] : {std::pair{BTN_START, 1}, {BTN_NORTH, 1}, {BTN_NORTH, 0}, {BTN_START, 0}}) {
    one.send(EV_KEY, static_cast<std::uint16_t>(code), value);
    one.sync();
  }
  REQUIRE(play.wait_for("Swapped: port 1 is now played from right."));
  CHECK(one.pump_until(rests));  // the previous player's unit
  CHECK(two->pump_until(shakes));
  two.reset();
  REQUIRE(play.wait_for("was disconnected"));
  REQUIRE(wait_for_nodes("Second Motors", 0));
  two = std::make_unique<MotorPad>("Second Motors", std::vector<int>{FF_RUMBLE});
  REQUIRE(wait_for_nodes("Second Motors", 1));
  REQUIRE(tap_until(*two, play, "Player 1 continues"));
  CHECK(two->pump_until(shakes));
  game.play(id, 0);
  CHECK(two->pump_until(rests));
  CHECK(one.pump_until(rests));
  CHECK(ends_with_answers(play, {&one, &*two}));
}

TEST_CASE("Endless rumble pauses during a freeze and resumes with it", "[rumble]") {
  write_shaking_profile();
  MotorPad pad{"Endless Pad", {FF_RUMBLE}};
  Playing play{"/tmp/shake.toml --with-virtual", pad};
  Game game;
  ff_effect endless = rumble_of(0xffff, 0);
  endless.replay.length = 0;
  const int id = game.upload(endless);
  game.play(id, 1);
  const auto shakes = [](const Effects& e) { return e.size() == 1 && e.begin()->second.times == 1; };
  const auto rests = [](const Effects& e) { return e.empty() || e.begin()->second.times == 0; };
  REQUIRE(pad.pump_until(shakes));
  const auto chord = [&] {
    for (const int value : {1, 0}) {
      pad.send(EV_KEY, BTN_START, value);
      pad.send(EV_KEY, BTN_NORTH, value);
      pad.sync();
      sleep_ms(50);
    }
  };
  for (int round = 1; round <= 2; ++round) {
    chord();
    REQUIRE(play.wait_for("Frozen: ", round));
    CHECK(pad.pump_until(rests));
    chord();
    REQUIRE(play.wait_for("Resumed.", round));
    CHECK(pad.pump_until(shakes));
  }
  chord();
  REQUIRE(play.wait_for("Frozen: ", 3));
  game.play(id, 0);  // its end occurs during the freeze
  sleep_ms(100);
  chord();
  REQUIRE(play.wait_for("Resumed.", 3));
  for (int i = 0; i < 40; ++i, sleep_ms(10)) pad.pump();
  CHECK(rests(pad.effects()));
  CHECK(ends_with_answers(play, {&pad}));
}

TEST_CASE("An unresponsive driver does not delay the end of a session", "[rumble]") {
  MotorPad mute{"Silent Motors", {FF_RUMBLE}};
  Playing play{"pad-2b --with-virtual", mute};
  Game game;
  const int id = game.upload(rumble_of(0xffff, 0));
  game.play(id, 1);  // from here on the unit's driver does not respond
  sleep_ms(300);
  const auto start = std::chrono::steady_clock::now();
  play.signal(SIGTERM);
  CHECK(play.wait_for("Ended."));
  CHECK(play.wait_for_end() == 0);
  CHECK(std::chrono::steady_clock::now() - start < std::chrono::milliseconds{2500});
  game.close();
  for (int i = 0; i < 100; ++i, sleep_ms(10)) mute.pump();  // the current holder of its node gets the response
}

TEST_CASE("Freezing stops the motors, and changes are signalled by rumble", "[rumble]") {
  write_shaking_profile();
  MotorPad pad{"Felt Pad", {FF_CONSTANT}};
  Playing play{"/tmp/shake.toml --with-virtual --feel", pad};
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
  game.play(id, 1);  // requested while frozen: rejected
  chord(1);
  CHECK(pad.pump_until([](const Effects& e) { return e.rbegin()->second.times == 1; }));  // it resumes: one pulse
  CHECK(pad.effects().at(there).times == 0);
  chord(0);
  sleep_ms(100);
  CHECK(ends_with_answers(play, {&pad}));
}

TEST_CASE("With rumble off, changes are not signalled either", "[rumble]") {
  write_shaking_profile();
  MotorPad pad{"Quiet Motors", {FF_RUMBLE}};
  Playing play{"/tmp/shake.toml --with-virtual --feel --rumble 0", pad};
  for (const int value : {1, 0}) {
    for (const int code : {BTN_START, BTN_NORTH}) pad.send(EV_KEY, static_cast<std::uint16_t>(code), value);
    pad.sync();
    sleep_ms(100);
  }
  REQUIRE(play.wait_for("Frozen: "));
  sleep_ms(300);
  pad.pump();
  CHECK(pad.effects().empty());
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("Output reports drive the motors and LEDs of each player of an adapter separately", "[rumble]") {
  const UhidUnit adapter{"Shaking Adapter", "", 9, shaking_adapter()};
  REQUIRE(wait_for_nodes("Shaking Adapter", 1));
  Program play{{"/box/omnipar", "play", "pad-8b", "--leds", "--rumble", "50"}};
  REQUIRE(play.wait_for("\"Shaking Adapter\" is read through its raw reports"));
  REQUIRE(play.wait_for("Player 1: press any button"));
  sleep_ms(200);
  for (const std::uint8_t player : std::array<std::uint8_t, 2>{1, 2}) {
    adapter.send_bytes({player, 128, 128, 1});
    adapter.send_bytes({player, 128, 128, 0});
    REQUIRE(play.wait_for("Player " + std::to_string(player) + " plays"));
    CHECK(adapter.wait_for_output({player, 0, 0, player}));  // the LED of its port
  }
  Game one;
  Game two{"Omnipar port 2 pad"};
  two.play(two.upload(rumble_of(0xffff, 0x8000)), 1);
  CHECK(adapter.wait_for_output({2, 128, 64, 2}));
  one.play(one.upload(rumble_of(0, 0xffff)), 1);
  CHECK(adapter.wait_for_output({1, 0, 128, 1}));
  CHECK(adapter.wait_for_outputs({{2, 0, 0, 2}, {1, 0, 0, 1}}));  // each for the requested duration
  const int id = one.upload(rumble_of(0x8000, 0));
  one.play(id, 100);
  CHECK(adapter.wait_for_output({1, 64, 0, 1}));
  const int end = GENERATE(SIGTERM, SIGKILL);
  if (end == SIGKILL) REQUIRE(keeper_after_a_kill() > 0);  // the final reports are written to the next unit, too
  play.signal(end);
  if (end == SIGKILL)
    CHECK(adapter.wait_for_outputs({{1, 0, 0, 0}, {2, 0, 0, 0}}));
  else
    CHECK(adapter.wait_for_output({1, 0, 0, 0}));
  CHECK(play.wait_for_end() == (end == SIGKILL ? 128 + SIGKILL : 0));
}

TEST_CASE("The keeper closes an unplugged unit", "[rumble]") {
  std::optional<UhidUnit> adapter{std::in_place, "Leaving Adapter", "", std::uint16_t{9}, shaking_adapter()};
  REQUIRE(wait_for_nodes("Leaving Adapter", 1));
  Playing play{"pad-8b"};
  sleep_ms(200);
  const std::string open_files = "/proc/" + std::to_string(process_named("omnipar-keeper")) + "/fd";
  const auto raw_nodes = [&] {
    std::ptrdiff_t count = 0;
    for (const std::string& file : names_in(open_files)) {
      std::error_code closed_meanwhile;
      const auto open = std::filesystem::read_symlink(std::filesystem::path{open_files} / file, closed_meanwhile);
      count += open.string().starts_with("/dev/hidraw") ? 1 : 0;
    }
    return count;
  };
  CHECK(raw_nodes() == 2);  // one report per player
  adapter.reset();
  for (int tries = 0; tries < 100 && raw_nodes() > 0; ++tries) sleep_ms(20);
  CHECK(raw_nodes() == 0);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("Motors that only the report descriptor shows are driven by raw reports", "[rumble]") {
  std::vector<std::uint8_t> bytes = pad_descriptor();
  bytes.pop_back();
  // two LEDs whose meaning only the kernel knows
  const Bytes LEDs{0x05, 0x08, 0x09, 0x19, 0x09, 0x4d, 0x15, 0x00, 0x25, 0x01, 0x75,
                   0x01, 0x95, 0x02, 0x91, 0x02, 0x75, 0x06, 0x95, 0x01, 0x91, 0x03};
  const UhidUnit pad{"Quiet Pad", "", 9, Bytes{bytes} + motors(1) + LEDs + end_collection};
  REQUIRE(wait_for_nodes("Quiet Pad", 1));
  Program play{{"/box/omnipar", "play", "pad-2b", "--leds"}};
  REQUIRE(play.wait_for("\"Quiet Pad\" is read through its raw reports: its event node has no motors."));
  REQUIRE(play.wait_for("Player 1: press any button"));
  sleep_ms(200);
  for (const PadReport& tap : {PadReport{south}, PadReport{}}) pad.send_bytes(tap.bytes());
  REQUIRE(play.wait_for("Player 1 plays"));
  CHECK(pad.wait_for_output({0, 1}));  // by the event node: the LED of the port
  NodeReader reader{nodes_named(port_1).front()};
  pad.send_bytes(PadReport{south}.bytes());
  CHECK(reader.wait_for(EV_KEY, BTN_SOUTH, 1));
  pad.send_bytes(PadReport{}.bytes());
  Game game;
  game.play(game.upload(rumble_of(0xffff, 0)), 1);
  CHECK(pad.wait_for_output({0, 255, 0}));
  CHECK(pad.wait_for_output({0, 0, 0}));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}
