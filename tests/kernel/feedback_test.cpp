// Signals for players who cannot see a terminal: LEDs and desktop notifications. (Rumble has its own tests.)
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/uhid.h>
#include <poll.h>
#include <systemd/sd-bus.h>
#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <fstream>

#include "made_units.hpp"
#include "test_bus.hpp"

using namespace omnipar::test;

namespace {

void write_feedback_profile() {
  std::ofstream{"/tmp/feedback.toml"} << R"(omnipar = 1
kind = "profile"
name = "feedback"
system = "pad-2b"
[port.1]
seat = "one"
[port.2]
seat = "two"
[hotkeys]
freeze = { modifier = "start", press = "north" }
swap-ports = { modifier = "start", press = "west" }
)";
}

/// A pad with three LEDs. Their usages differ because the kernel keeps only the first LED of each usage.
std::vector<std::uint8_t> descriptor_with_leds() {
  std::vector<std::uint8_t> bytes = pad_descriptor();
  bytes.pop_back();
  bytes.insert(bytes.end(), {0x05, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95,
                             0x03, 0x09, 0x4b, 0x09, 0x19, 0x09, 0x4d, 0x91, 0x02,  // indicator, message waiting, power
                             0x95, 0x05, 0x91, 0x03, 0xc0});
  return bytes;
}

class LedPad : public UhidUnit {
 public:
  explicit LedPad(const std::string& name) : UhidUnit(name, name, 6, descriptor_with_leds()) {}
  void send(const PadReport& report) const { send_bytes(report.bytes()); }
  /// Waits until the LEDs have matched these bits at least for a moment; false after 5 s.
  bool wait_for_leds(std::uint8_t wanted) {
    constexpr int ms = 5000;
    pollfd ready{descriptor(), POLLIN, 0};
    uhid_event event{};
    while (leds_ != wanted && ::poll(&ready, 1, ms) > 0 && ::read(descriptor(), &event, sizeof(event)) > 0)
      if (event.type == UHID_OUTPUT) leds_ = event.u.output.data[0] & 7;
    return leds_ == wanted;
  }

 private:
  int leds_ = -1;
};

template <typename Pad>
void chord(const Pad& pad, std::uint16_t button) {
  pad.send({static_cast<std::uint16_t>(start_button)});
  pad.send({static_cast<std::uint16_t>(start_button | button)});
  sleep_ms(100);
  pad.send({});
}

/// A desktop that shows notifications, on a private bus.
class FakeDesktop {
 public:
  FakeDesktop() {
    static const sd_bus_vtable methods[] = {SD_BUS_VTABLE_START(0),
                                            SD_BUS_METHOD("Notify", "susssasa{sv}i", "u", &FakeDesktop::notify, 0),
                                            SD_BUS_VTABLE_END};
    const char* name = "org.freedesktop.Notifications";
    bus_.offer(name, "/org/freedesktop/Notifications", name, methods, this);
  }

  /// Waits until a notification with these words has been shown; false after 5 s.
  bool wait_for(const std::string& words) {
    return bus_.serve_until([&] { return shown_.find(words) != std::string::npos; });
  }
  [[nodiscard]] std::uint32_t replaced() const { return replaced_; }
  void close_the_bus() { bus_.close(); }

 private:
  static int notify(sd_bus_message* call, void* self, sd_bus_error* /*error*/) {
    auto& desktop = *static_cast<FakeDesktop*>(self);
    const char *program = nullptr, *icon = nullptr, *summary = nullptr, *body = nullptr;
    sd_bus_message_read(call, "susss", &program, &desktop.replaced_, &icon, &summary, &body);
    desktop.shown_ += body;
    return sd_bus_reply_method_return(call, "u", ++desktop.number_);
  }

  TestBus bus_{"DBUS_SESSION_BUS_ADDRESS"};
  std::string shown_;
  std::uint32_t replaced_ = 0;
  std::uint32_t number_ = 40;
};

}  // namespace

TEST_CASE("Player LEDs show the port, are off while frozen, all on when a unit is lost, and are restored at the end",
          "[feedback]") {
  write_feedback_profile();
  LedPad one{"Led Pad A"};
  auto two = std::make_unique<LedPad>("Led Pad B");
  REQUIRE(wait_for_nodes("Led Pad A", 1));
  REQUIRE(wait_for_nodes("Led Pad B", 1));
  Playing play{"/tmp/feedback.toml --leds"};
  const auto seat = [&](const LedPad& pad, const std::string& words) {
    for (int tries = 0; tries < 20 && !play.wait_for(words, 1, 250); ++tries)
      for (const PadReport& tap : {PadReport{south}, PadReport{}}) pad.send(tap);
    REQUIRE(play.wait_for(words));
  };
  seat(one, "Player 1 plays");
  CHECK(one.wait_for_leds(0b001));
  seat(*two, "Player 2 plays");
  CHECK(two->wait_for_leds(0b010));
  chord(one, north);
  CHECK(one.wait_for_leds(0));
  CHECK(two->wait_for_leds(0));
  chord(*two, north);
  CHECK(one.wait_for_leds(0b001));
  CHECK(two->wait_for_leds(0b010));
  chord(one, west);
  CHECK(one.wait_for_leds(0b010));
  CHECK(two->wait_for_leds(0b001));
  two.reset();
  CHECK(one.wait_for_leds(0b111));
  CHECK(one.wait_for_leds(0b010));  // after a while
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  CHECK(one.wait_for_leds(0));
}

TEST_CASE("Changes are shown as notifications, and play continues without a desktop", "[feedback]") {
  write_feedback_profile();
  auto unit = std::make_unique<UhidPad>("Told Pad", "t");
  const UhidPad& pad = *unit;
  const std::vector<std::string> command{"/box/omnipar", "play", "/tmp/feedback.toml", "--notify"};
  {
    Program play{command};
    REQUIRE(play.wait_for("Desktop notifications are not available here"));
    REQUIRE(tap_until(pad, play, "Player 1 plays"));
    play.signal(SIGTERM);
    CHECK(play.wait_for_end() == 0);
  }
  FakeDesktop desktop;
  Playing play{command, pad};
  chord(pad, north);
  CHECK(desktop.wait_for("Frozen: the controllers now work on the desktop"));
  sleep_ms(200);  // until its answer has reached play
  chord(pad, north);
  CHECK(desktop.wait_for("Resumed."));
  CHECK(desktop.replaced() == 41);  // one notification at a time
  unit.reset();
  CHECK(desktop.wait_for("\"Told Pad\" was disconnected"));
  unit = std::make_unique<UhidPad>("Told Pad", "t");
  REQUIRE(wait_for_nodes("Told Pad", 1));
  CHECK(desktop.wait_for("continues with \"Told Pad\""));
  CHECK(desktop.replaced() == 43);  // and so has the notification about the unit
  desktop.close_the_bus();
  sleep_ms(200);
  chord(*unit, north);
  CHECK(play.wait_for("Frozen: ", 2));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}
