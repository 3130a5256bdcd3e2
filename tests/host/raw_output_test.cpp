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
class Told {
 public:
  explicit Told(const Bytes& bytes) : descriptor_(hid::read_descriptor(bytes).value()) {
    REQUIRE(::socketpair(AF_UNIX, SOCK_SEQPACKET, 0, ends_.data()) == 0);
    const auto controls = hid::controls_of(descriptor_);
    std::vector<std::vector<std::size_t>> players;
    for (const hid::Part& part : hid::parts_of(descriptor_, controls)) players.push_back(part.controls);
    if (players.empty()) players.emplace_back();
    output_ = std::make_unique<host::RawOutput>(ends_[0], descriptor_, controls, players);
  }
  ~Told() {
    output_.reset();
    for (const int end : ends_) ::close(end);
  }
  Told(const Told&) = delete;
  Told& operator=(const Told&) = delete;

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
  Told told{shaking_adapter()};
  host::RawOutput& output = told.output();
  CHECK(output.has_motors(0));
  CHECK(output.has_motors(1));
  const int one = told.put(0, 0xffff, 0x8080, 100);
  output.play_effect(one, 1, at_ms(1000));
  CHECK(told.next() == Bytes{1, 255, 128, 0});
  const int two = told.put(1, 0x1919, 0, 50, 20);
  output.play_effect(two, 2, at_ms(1010));
  CHECK(told.is_silent());  // it waits
  REQUIRE(output.next_due() == at_ms(1030));
  output.advance(at_ms(1030));
  CHECK(told.next() == Bytes{2, 25, 0, 0});
  output.advance(at_ms(1080));
  CHECK(told.next() == Bytes{2, 0, 0, 0});
  REQUIRE(output.next_due() == at_ms(1100));
  output.advance(at_ms(1100));  // the first one's end and the second one's next turn, in either order
  std::array both{told.next(), told.next()};
  std::ranges::sort(both);
  CHECK(both == std::array{Bytes{1, 0, 0, 0}, Bytes{2, 25, 0, 0}});
  output.advance(at_ms(1150));
  CHECK(told.next() == Bytes{2, 0, 0, 0});
  CHECK_FALSE(output.next_due());
  CHECK(told.is_silent());
}

TEST_CASE("Simultaneous effects add up, end by themselves, and stop on request", "[raw-output]") {
  Told told{application(0x05) + stick + buttons(1, 8, 0) + motors(1) + end_collection};
  host::RawOutput& output = told.output();
  const int weak = told.put(0, 0, 0x4040, 0);
  const int strong = told.put(0, 0x8080, 0, 100);
  output.play_effect(weak, 1, at_ms(0));
  CHECK(told.next() == Bytes{0, 64});
  output.play_effect(strong, 1, at_ms(10));
  CHECK(told.next() == Bytes{0, 128});  // one motor gets the stronger half
  output.advance(at_ms(110));
  CHECK(told.next() == Bytes{0, 64});
  output.play_effect(weak, 0, at_ms(120));
  CHECK(told.next() == Bytes{0, 0});
  output.play_effect(strong, 3, at_ms(200));
  CHECK(told.next() == Bytes{0, 128});
  output.erase_effect(strong, at_ms(210));
  CHECK(told.next() == Bytes{0, 0});
  output.play_effect(strong, 1, at_ms(220));
  CHECK(told.is_silent());
  ff_effect sine{};
  sine.type = FF_PERIODIC;
  CHECK(output.put_effect(0, sine) == -EINVAL);
  for (int free = 15; free > 0; --free) (void)told.put(0, 1, 1, 1);
  ff_effect too_many{};
  too_many.type = FF_RUMBLE;
  too_many.id = -1;
  CHECK(output.put_effect(0, too_many) == -ENOSPC);
}

TEST_CASE("At the end motors are stopped and LEDs are off", "[raw-output]") {
  Told told{shaking_adapter()};
  CHECK(told.output().count_of_leds(1) == 4);
  told.output().show_leds(1, 0b0110);
  CHECK(told.next() == Bytes{2, 0, 0, 6});
  told.output().play_effect(told.put(0, 0xffff, 0, 0), 1, at_ms(0));
  CHECK(told.next() == Bytes{1, 255, 0, 0});
  told.end();
  std::array both{told.next(), told.next()};
  std::ranges::sort(both);
  CHECK(both == std::array{Bytes{1, 0, 0, 0}, Bytes{2, 0, 0, 0}});
  CHECK(told.is_silent());
}

TEST_CASE("A unit that accepts no more reports is not waited for", "[raw-output]") {
  Told told{shaking_adapter()};
  told.jam();
  told.output().play_effect(told.put(0, 0xffff, 0, 0), 1, at_ms(0));
  told.end();  // or the test hangs
  CHECK_FALSE(told.is_silent());
}

TEST_CASE("Motor reports with a duration are repeated while rumbling", "[raw-output]") {
  const Bytes duration{0x09, 0x50, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x91, 0x02};
  Told told{application(0x05) + stick + buttons(1, 8, 0) + motors(1) + duration + end_collection};
  told.output().play_effect(told.put(0, 0xffff, 0, 1200), 1, at_ms(0));
  for (const int ms : {500, 1000, 1200}) {
    CHECK(told.next() == Bytes{0, 255, 255});
    REQUIRE(told.output().next_due() == at_ms(ms));
    told.output().advance(at_ms(ms));
  }
  CHECK(told.next() == Bytes{0, 0, 255});
}
