// The whole path on a real kernel, from units to a program that reads virtual pads.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/uinput.h>
#include <sys/ioctl.h>

#include <csignal>
#include <ctime>

#include "made_units.hpp"
#include "support/settings.hpp"

using namespace omnipar::test;

namespace {

template <typename Pad>
void press_and_release(const Pad& pad, std::uint16_t button) {
  pad.send({button});
  sleep_ms(60);
  pad.send({});
}

void udev_settles() { Program{{"udevadm", "settle"}}.wait_for_end(); }

}  // namespace

TEST_CASE("Two pads, plugged in in either order, become two virtual pads in port order", "[play]") {
  const bool red_first = GENERATE(true, false);
  const UhidPad first{red_first ? "Red Pad" : "Blue Pad", red_first ? "r1" : "b1"};
  const UhidPad second{red_first ? "Blue Pad" : "Red Pad", red_first ? "b1" : "r1"};
  REQUIRE(wait_for_nodes("Red Pad", 1));
  REQUIRE(wait_for_nodes("Blue Pad", 1));
  const UhidPad& red = red_first ? first : second;
  const UhidPad& blue = red_first ? second : first;
  Playing playing{"pad-2b"};
  red.send({start_button});
  playing.expect("Player 1 plays with \"Red Pad\"");
  red.send({});
  blue.send({south});
  playing.expect("Player 2 plays with \"Blue Pad\"");
  blue.send({});
  NodeReader one{node_of(port_1)};
  NodeReader two{node_of(port_2)};
  CHECK(node_of(port_1) < node_of(port_2));
  for (const auto* reader : {&one, &two}) {
    input_id id{};
    REQUIRE(::ioctl(reader->descriptor(), EVIOCGID, &id) >= 0);
    CHECK(id.bustype == BUS_VIRTUAL);
    CHECK(id.vendor == 0x1209);
    CHECK(id.product == 1);
    CHECK(id.version == (reader == &one ? 1 : 2));
  }
  red.send({east, 2});
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 1));
  CHECK(one.wait_for(EV_ABS, ABS_HAT0X, 1));
  red.send({});
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 0));
  CHECK(one.wait_for(EV_ABS, ABS_HAT0X, 0));
  blue.send({south});
  CHECK(two.wait_for(EV_KEY, BTN_SOUTH, 1));
  CHECK(one.value(EV_KEY, BTN_SOUTH) == 0);
  blue.send({0, 8, 128, 0});
  CHECK(two.wait_for(EV_ABS, ABS_HAT0Y, -1));
}

TEST_CASE("udev classifies virtual pads as joysticks, and Omnipar never uses them as units", "[play]") {
  const UhidPad pad{"Classed Pad", "c"};
  REQUIRE(wait_for_nodes("Classed Pad", 1));
  Playing playing{"pad-2b"};
  press_and_release(pad, south);
  playing.expect("Player 1 plays");
  const std::string node = node_of(port_1);
  udev_settles();
  Program info{{"udevadm", "info", "--query=property", "--name=" + node}};
  REQUIRE(info.wait_for_end() == 0);
  CHECK(info.output().find("ID_INPUT_JOYSTICK=1") != std::string::npos);
  Program units{{"/box/omnipar", "units", "--with-virtual"}};
  REQUIRE(units.wait_for_end() == 0);
  CHECK(units.output().find("Classed Pad") != std::string::npos);
  CHECK(units.output().find("Omnipar") == std::string::npos);
}

TEST_CASE("Unplugging releases everything; reconnecting continues on the same port", "[play]") {
  auto red = std::make_unique<UhidPad>("Red Pad", "r");
  const UhidPad blue{"Blue Pad", "b"};
  REQUIRE(wait_for_nodes("Blue Pad", 1));
  Playing playing{"pad-2b"};
  press_and_release(*red, south);
  playing.expect("Player 1 plays");
  press_and_release(blue, south);
  playing.expect("Player 2 plays");
  NodeReader one{node_of(port_1)};
  NodeReader two{node_of(port_2)};
  for (int round = 1; round <= 3; ++round) {
    blue.send({east});
    red->send({static_cast<std::uint16_t>(south | east), 0});
    REQUIRE(one.wait_for(EV_KEY, BTN_SOUTH, 1));
    REQUIRE(one.wait_for(EV_ABS, ABS_HAT0Y, -1));
    REQUIRE(two.wait_for(EV_KEY, BTN_EAST, 1));
    red.reset();
    CHECK(one.wait_for(EV_KEY, BTN_SOUTH, 0));
    CHECK(one.wait_for(EV_ABS, ABS_HAT0Y, 0));
    CHECK(one.held() == 0);
    CHECK(two.value(EV_KEY, BTN_EAST) == 1);
    playing.expect("\"Red Pad\" was disconnected", round);
    red = std::make_unique<UhidPad>("Red Pad", "r");
    playing.expect("Player 1 continues with \"Red Pad\"", round);
    sleep_ms(200);
    red->send({east});
    CHECK(one.wait_for(EV_KEY, BTN_EAST, 1));
    red->send({});
    CHECK(one.wait_for(EV_KEY, BTN_EAST, 0));
    blue.send({});
    CHECK(two.wait_for(EV_KEY, BTN_EAST, 0));
  }
}

TEST_CASE("Units of one model without serial numbers keep their sockets' ports", "[play]") {
  GadgetPad left{"left", "Twin Pad"};
  GadgetPad right{"right", "Twin Pad"};
  left.plug_into(0);
  right.plug_into(1);
  REQUIRE(wait_for_nodes("Twin Pad", 2));
  Playing playing{"pad-2b"};
  press_and_release(right, south);
  playing.expect("Player 1 plays");
  press_and_release(left, south);
  playing.expect("Player 2 plays");
  NodeReader one{node_of(port_1)};
  NodeReader two{node_of(port_2)};
  left.pull_out();
  playing.expect("was disconnected", 1);
  right.pull_out();
  playing.expect("was disconnected", 2);
  REQUIRE(wait_for_nodes("Twin Pad", 0));
  left.plug_into(0);  // connected in the other order
  playing.expect("Player 2 continues");
  right.plug_into(1);
  playing.expect("Player 1 continues");
  sleep_ms(300);
  right.send({east});
  CHECK(one.wait_for(EV_KEY, BTN_EAST, 1));
  left.send({south});
  CHECK(two.wait_for(EV_KEY, BTN_SOUTH, 1));
  CHECK(two.value(EV_KEY, BTN_EAST) == 0);
  CHECK(one.value(EV_KEY, BTN_SOUTH) == 0);
}

TEST_CASE("However a session ends, readers see rest before the pads disappear", "[play]") {
  const int end = GENERATE(SIGINT, SIGTERM, SIGKILL);
  const UhidPad pad{"Ending Pad", "e"};
  REQUIRE(wait_for_nodes("Ending Pad", 1));
  Playing playing{"pad-2b"};
  press_and_release(pad, south);
  playing.expect("Player 1 plays");
  NodeReader reader{node_of(port_1)};
  pad.send({static_cast<std::uint16_t>(south | start_button), 3});
  REQUIRE(reader.wait_for(EV_KEY, BTN_SOUTH, 1));
  REQUIRE(reader.wait_for(EV_ABS, ABS_HAT0X, 1));
  playing.signal(end);
  CHECK(reader.wait_for(EV_KEY, BTN_SOUTH, 0));  // while it is still held
  CHECK(reader.wait_for(EV_ABS, ABS_HAT0X, 0));
  pad.send({});
  CHECK(reader.wait_for_end());
  CHECK(reader.held() == 0);
  CHECK(playing.wait_for_end() == (end == SIGKILL ? 128 + SIGKILL : 0));
  CHECK(wait_for_nodes(port_1, 0));
  CHECK(process_named("omnipar-keeper") == -1);
}

TEST_CASE("A killed keeper is replaced, and readers see no change", "[play]") {
  const UhidPad pad{"Kept Pad", "k"};
  REQUIRE(wait_for_nodes("Kept Pad", 1));
  Playing playing{"pad-2b"};
  press_and_release(pad, south);
  playing.expect("Player 1 plays");
  NodeReader reader{node_of(port_1)};
  pad.send({south});
  REQUIRE(reader.wait_for(EV_KEY, BTN_SOUTH, 1));
  reader.forget_events();
  const pid_t second = keeper_after_a_kill();
  REQUIRE(second > 0);
  CHECK(reader.drain());
  CHECK(reader.events().empty());
  pad.send({east});
  CHECK(reader.wait_for(EV_KEY, BTN_EAST, 1));
  SECTION("the new keeper works") {
    playing.signal(SIGKILL);
    CHECK(reader.wait_for_end());
    CHECK(reader.held() == 0);
  }
  SECTION("with both killed the kernel removes the pads") {
    playing.signal(SIGSTOP);
    ::kill(second, SIGKILL);
    playing.signal(SIGKILL);
    CHECK(reader.wait_for_end());
    CHECK(wait_for_nodes(port_1, 0));
  }
}

namespace {

struct Taps {
  int seen = 0;  ///< presses seen by a reader that polls once per frame
  int late = 0;  ///< frames that the machine stretched beyond the shortest press, which prove nothing
};

constexpr int taps = 60;

std::int64_t now_us() {
  timespec t{};
  ::clock_gettime(CLOCK_MONOTONIC, &t);
  return std::int64_t{t.tv_sec} * 1'000'000 + t.tv_nsec / 1000;
}

/// Taps of one millisecond, one in each of several frames.
Taps tap(const UinputPad& pad, NodeReader& reader) {
  const auto set = [&](std::int32_t value) {
    pad.send(EV_KEY, BTN_SOUTH, value);
    pad.sync();
  };
  constexpr int frames_between = 5;
  Taps result;
  bool was_down = false;
  std::int64_t before = now_us();
  int tapped = 0;
  for (int frame = 0; tapped < taps || frame % frames_between != 0; ++frame) {
    if (frame % frames_between == 0) {
      set(1);
      ::usleep(1000);
      set(0);
      ++tapped;
    }
    const std::int64_t next = before + 16'667;
    if (const std::int64_t left = next - now_us(); left > 0) ::usleep(static_cast<useconds_t>(left));
    const std::int64_t now = now_us();
    if (now - before > 19'500) ++result.late;
    before = now;
    reader.drain();
    const bool is_down = reader.value(EV_KEY, BTN_SOUTH) != 0;
    result.seen += is_down && !was_down ? 1 : 0;
    was_down = is_down;
  }
  return result;
}

}  // namespace

TEST_CASE("A reader that polls once a frame sees each of 60 taps of one millisecond", "[clockwork]") {
  const UinputPad pad{"Tapped Pad"};
  REQUIRE(wait_for_nodes("Tapped Pad", 1));
  Playing playing{"pad-2b --with-virtual"};
  pad.send(EV_KEY, BTN_SOUTH, 1);
  pad.sync();
  sleep_ms(50);
  pad.send(EV_KEY, BTN_SOUTH, 0);
  pad.sync();
  playing.expect("Player 1 plays");
  NodeReader reader{node_of(port_1)};
  sleep_ms(200);
  reader.drain();
  const Taps result = tap(pad, reader);
  CAPTURE(result.late);
  CHECK(result.seen >= taps - result.late);
  CHECK(result.late < taps / 2);
  int presses = 0;
  for (const input_event& event : reader.events()) presses += event.type == EV_KEY && event.value == 1 ? 1 : 0;
  CHECK(presses == taps);
}

// Uses the clock that counts instructions: otherwise a busy machine may halt the writer between the halves for longer
// than Omnipar waits for a second half.
TEST_CASE("A report that the kernel splits in two arrives whole", "[clockwork]") {
  const UhidPad pad{"Chordal Pad", "w"};
  REQUIRE(wait_for_nodes("Chordal Pad", 1));
  Playing playing{"pad-2b"};
  press_and_release(pad, south);
  playing.expect("Player 1 plays");
  NodeReader reader{node_of(port_1)};
  sleep_ms(200);
  reader.drain();
  reader.forget_events();
  pad.send({0xffff, 1, 255, 0, 1, 254});
  REQUIRE(reader.wait_for(EV_KEY, BTN_START, 1));
  sleep_ms(100);
  reader.drain();
  // all of the two-button pad at once: a, b, start, select, up and right, and one end
  CHECK(reader.held() == 6);
  int ends = 0;
  for (const input_event& event : reader.events()) ends += event.type == EV_SYN ? 1 : 0;
  CHECK(ends == 1);
  pad.send({});  // so that it is released at once
}

TEST_CASE("After lost events the state is correct", "[play]") {
  const UinputPad pad{"Stormy Pad"};
  REQUIRE(wait_for_nodes("Stormy Pad", 1));
  Playing playing{"pad-2b --with-virtual --stats"};
  pad.send(EV_KEY, BTN_START, 1);
  pad.sync();
  pad.send(EV_KEY, BTN_START, 0);
  pad.sync();
  playing.expect("Player 1 plays");
  NodeReader reader{node_of(port_1)};
  playing.signal(SIGSTOP);
  for (int i = 0; i < 600; ++i) {
    pad.send(EV_KEY, BTN_SOUTH, i % 2 == 0 ? 1 : 0);
    pad.send(EV_ABS, ABS_X, i % 2 == 0 ? 30000 : -30000);
    pad.sync();
  }
  pad.send(EV_KEY, BTN_EAST, 1);
  pad.sync();
  playing.signal(SIGCONT);
  CHECK(reader.wait_for(EV_KEY, BTN_EAST, 1));
  CHECK(reader.wait_for(EV_ABS, ABS_HAT0X, -1));
  sleep_ms(300);
  reader.drain();
  CHECK(reader.value(EV_KEY, BTN_SOUTH) == 0);
  playing.expect("The kernel lost events");
  pad.send(EV_KEY, BTN_EAST, 0);
  pad.sync();
  CHECK(reader.wait_for(EV_KEY, BTN_EAST, 0));
  playing.signal(SIGTERM);
  playing.expect("the kernel lost events 1 time,");
}

TEST_CASE("The kernel's fuzz is off while a unit is played and restored afterwards", "[play]") {
  const UinputPad pad{"Fuzzy Pad", 255};
  const std::string node = node_of("Fuzzy Pad");
  const auto fuzz = [&node] {
    const NodeReader reader{node};
    input_absinfo axis{};
    REQUIRE(::ioctl(reader.descriptor(), EVIOCGABS(ABS_X), &axis) >= 0);
    return axis.fuzz;
  };
  REQUIRE(fuzz() == 255);
  {
    Playing playing{"pad-2b --with-virtual"};
    CHECK(fuzz() == 0);
  }
  CHECK(fuzz() == 255);
}

TEST_CASE("Start and select held for two seconds end play, and programs inherit no descriptor", "[play]") {
  const UhidPad pad{"Chord Pad", "h"};
  REQUIRE(wait_for_nodes("Chord Pad", 1));
  Playing playing{"pad-2b"};
  press_and_release(pad, south);
  playing.expect("Player 1 plays");
  const std::string folder = "/proc/" + std::to_string(playing.process()) + "/fdinfo/";
  for (int descriptor = 3; descriptor < 40; ++descriptor) {
    const std::string info = contents(folder + std::to_string(descriptor));
    if (info.empty()) continue;
    CAPTURE(descriptor, info);
    const auto flags = std::stoul(info.substr(info.find("flags:") + 6), nullptr, 8);
    CHECK((flags & O_CLOEXEC) != 0);
  }
  pad.send({static_cast<std::uint16_t>(start_button | select_button)});
  CHECK(playing.wait_for_end(8000) == 0);
  INFO(playing.output());
  CHECK(playing.output().find("Ended from a controller.") != std::string::npos);
}
