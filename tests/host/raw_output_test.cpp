// Motors and LEDs by output reports, without a unit: reports are read from a socket.
#include <catch2/catch.hpp>

#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <memory>

#include "hid/descriptors.hpp"
#include "host/raw_output.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

constexpr Time at_ms(int ms) { return Time{std::chrono::milliseconds{ms}}; }

/// The unit's end of the connection, with two players.
class UnitEnd {
 public:
  explicit UnitEnd(const Bytes& bytes) : descriptor_(hid::read_descriptor(bytes).value()) {
    REQUIRE(::socketpair(AF_UNIX, SOCK_SEQPACKET, 0, ends_.data()) == 0);
    const auto controls = hid::controls_of(descriptor_);
    std::vector<std::vector<std::size_t>> players;
    for (const hid::Part& part : hid::parts_of(descriptor_, controls)) players.push_back(part.controls);
    if (players.empty()) players.emplace_back();
    output_ = std::make_unique<host::RawOutput>(ends_[0], descriptor_, controls, players);
  }
  ~UnitEnd() {
    output_.reset();
    for (const int end : ends_) ::close(end);
  }
  UnitEnd(const UnitEnd&) = delete;
  UnitEnd& operator=(const UnitEnd&) = delete;

  [[nodiscard]] host::RawOutput& output() { return *output_; }
  void end() { output_.reset(); }
  /// Waits for the next report.
  [[nodiscard]] Bytes next() {
    Bytes report(64);
    report.resize(static_cast<std::size_t>(std::max<ssize_t>(::recv(ends_[1], report.data(), report.size(), 0), 0)));
    return report;
  }
  /// From now on writes fail.
  void jam() {
    for (const std::uint8_t byte = 0; ::send(ends_[0], &byte, 1, MSG_DONTWAIT) > 0;) {
    }
  }
  /// The reports that fill it up are not counted.
  [[nodiscard]] bool is_silent() {
    std::uint8_t byte = 0;
    return ::recv(ends_[1], &byte, 1, MSG_DONTWAIT | MSG_PEEK) < 0;
  }
  int put(int part, std::uint16_t strong, std::uint16_t weak, std::uint16_t length, std::uint16_t wait = 0) {
    ff_effect effect{};
    effect.type = FF_RUMBLE;
    effect.id = -1;
    effect.replay = {length, wait};
    effect.u.rumble = {strong, weak};
    CHECK(output_->put_effect(part, effect) == 0);
    return effect.id;
  }

 private:
  hid::Descriptor descriptor_;
  std::array<int, 2> ends_{-1, -1};
  std::unique_ptr<host::RawOutput> output_;
};

}  // namespace

TEST_CASE("Each player's motors run for the requested duration, also both at once", "[raw-output]") {
  UnitEnd unit{shaking_adapter()};
  host::RawOutput& output = unit.output();
  CHECK(output.has_motors(0));
  CHECK(output.has_motors(1));
  const int one = unit.put(0, 0xffff, 0x8080, 100);
  output.play_effect(one, 1, at_ms(1000));
  CHECK(unit.next() == Bytes{1, 255, 128, 0});
  const int two = unit.put(1, 0x1919, 0, 50, 20);
  output.play_effect(two, 2, at_ms(1010));
  CHECK(unit.is_silent());  // it waits
  REQUIRE(output.next_due() == at_ms(1030));
  output.advance(at_ms(1030));
  CHECK(unit.next() == Bytes{2, 25, 0, 0});
  output.advance(at_ms(1080));
  CHECK(unit.next() == Bytes{2, 0, 0, 0});
  REQUIRE(output.next_due() == at_ms(1100));
  output.advance(at_ms(1100));  // the first one's end and the second one's next turn, in either order
  std::array both{unit.next(), unit.next()};
  std::ranges::sort(both);
  CHECK(both == std::array{Bytes{1, 0, 0, 0}, Bytes{2, 25, 0, 0}});
  output.advance(at_ms(1150));
  CHECK(unit.next() == Bytes{2, 0, 0, 0});
  CHECK_FALSE(output.next_due());
  CHECK(unit.is_silent());
}

TEST_CASE("Simultaneous effects add up, end by themselves, and stop on request", "[raw-output]") {
  UnitEnd unit{application(0x05) + stick + buttons(1, 8, 0) + motors(1) + end_collection};
  host::RawOutput& output = unit.output();
  const int weak = unit.put(0, 0, 0x4040, 0);
  const int strong = unit.put(0, 0x8080, 0, 100);
  output.play_effect(weak, 1, at_ms(0));
  CHECK(unit.next() == Bytes{0, 64});
  output.play_effect(strong, 1, at_ms(10));
  CHECK(unit.next() == Bytes{0, 128});  // one motor gets the stronger half
  output.advance(at_ms(110));
  CHECK(unit.next() == Bytes{0, 64});
  output.play_effect(weak, 0, at_ms(120));
  CHECK(unit.next() == Bytes{0, 0});
  output.play_effect(strong, 3, at_ms(200));
  CHECK(unit.next() == Bytes{0, 128});
  output.erase_effect(strong, at_ms(210));
  CHECK(unit.next() == Bytes{0, 0});
  output.play_effect(strong, 1, at_ms(220));
  CHECK(unit.is_silent());
  ff_effect sine{};
  sine.type = FF_PERIODIC;
  CHECK(output.put_effect(0, sine) == -EINVAL);
  for (int free = 15; free > 0; --free) (void)unit.put(0, 1, 1, 1);
  ff_effect too_many{};
  too_many.type = FF_RUMBLE;
  too_many.id = -1;
  CHECK(output.put_effect(0, too_many) == -ENOSPC);
}

TEST_CASE("At the end motors are stopped and LEDs are off", "[raw-output]") {
  UnitEnd unit{shaking_adapter()};
  CHECK(unit.output().count_of_leds(1) == 4);
  unit.output().show_leds(1, 0b0110);
  CHECK(unit.next() == Bytes{2, 0, 0, 6});
  unit.output().play_effect(unit.put(0, 0xffff, 0, 0), 1, at_ms(0));
  CHECK(unit.next() == Bytes{1, 255, 0, 0});
  unit.end();
  std::array both{unit.next(), unit.next()};
  std::ranges::sort(both);
  CHECK(both == std::array{Bytes{1, 0, 0, 0}, Bytes{2, 0, 0, 0}});
  CHECK(unit.is_silent());
}

TEST_CASE("A unit that accepts no more reports is not waited for", "[raw-output]") {
  UnitEnd unit{shaking_adapter()};
  unit.jam();
  unit.output().play_effect(unit.put(0, 0xffff, 0, 0), 1, at_ms(0));
  unit.end();  // or the test hangs
  CHECK_FALSE(unit.is_silent());
}

TEST_CASE("Motor reports with a duration are repeated while rumbling", "[raw-output]") {
  const Bytes duration{0x09, 0x50, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x91, 0x02};
  UnitEnd unit{application(0x05) + stick + buttons(1, 8, 0) + motors(1) + duration + end_collection};
  unit.output().play_effect(unit.put(0, 0xffff, 0, 1200), 1, at_ms(0));
  for (const int ms : {500, 1000, 1200}) {
    CHECK(unit.next() == Bytes{0, 255, 255});
    REQUIRE(unit.output().next_due() == at_ms(ms));
    unit.output().advance(at_ms(ms));
  }
  CHECK(unit.next() == Bytes{0, 0, 255});
}
