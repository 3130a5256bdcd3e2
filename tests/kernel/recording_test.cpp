// Recording real nodes, and replaying the recordings.
#include <catch2/catch.hpp>

#include <sys/ioctl.h>
#include <sys/stat.h>

#include <array>
#include <csignal>
#include <cstdio>
#include <fstream>

#include "hid/descriptors.hpp"
#include "made_units.hpp"

using namespace omnipar::test;

namespace {

constexpr const char* file = "/tmp/evening.trace";

}  // namespace

TEST_CASE("A recording replays identically", "[record]") {
  std::remove(file);
  const UhidPad late{"Late Pad", "l"};
  REQUIRE(wait_for_nodes("Late Pad", 1));
  Program record{{"/box/omnipar", "trace", "record", file, "--about", "two pads"}};
  REQUIRE(record.wait_for("recording \"Late Pad\""));
  late.send({start_button});
  sleep_ms(50);
  late.send({});
  sleep_ms(50);
  {
    const UhidPad visitor{"Guest Pad", "g"};
    REQUIRE(record.wait_for("recording \"Guest Pad\""));
    for (const std::uint16_t button : {south, east, south}) {
      visitor.send({button});
      sleep_ms(50);
      visitor.send({});
      sleep_ms(50);
    }
    visitor.send({south, 2, 255, 0});
    sleep_ms(50);
  }
  REQUIRE(wait_for_nodes("Guest Pad", 0));
  sleep_ms(100);
  record.signal(SIGINT);
  REQUIRE(record.wait_for_end() == 0);
  const std::string trace = contents(file);
  INFO(trace);
  CHECK(count(trace, "\"plug\":\"in\"") == 2);
  CHECK(count(trace, "\"plug\":\"out\"") == 1);
  CHECK(count(trace, "Omnipar") == 0);

  Program replay{{"/box/omnipar", "trace", "replay", file, "--profile", "pad-2b", "--json"}};
  REQUIRE(replay.wait_for_end() == 0);
  const std::string samples = replay.output();
  INFO(samples);
  CHECK(count(samples, "\"unit\":\"Late Pad\",\"event\":\"seated\"") == 1);
  CHECK(count(samples, "\"unit\":\"Guest Pad\",\"event\":\"seated\"") == 1);
  CHECK(count(samples, "\"event\":\"gone\"") == 1);
  // The first press claimed the seat; the others and the last one, which the unplugging released, are recorded.
  CHECK(count(samples, "\"port\":2,\"changed\":{\"outer\":1}") == 1);
  CHECK(count(samples, "\"inner\":1") == 2);
  CHECK(count(samples, "\"right\":1,\"inner\":1") + count(samples, "\"up\":1,\"right\":1,\"inner\":1") >= 1);
  CHECK(count(samples, "\"inner\":0") == 2);

  Program again{{"/box/omnipar", "trace", "record", file}};
  CHECK(again.wait_for_end() == 2);
  CHECK(contents(file) == trace);
}

TEST_CASE("Raw reports are recorded on request, except those of keyboards", "[record]") {
  std::remove(file);
  const UhidPad pad{"Raw Pad", "r"};
  const UhidUnit keys{"Raw Keys", "k", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Raw Pad", 1));
  REQUIRE(wait_for_nodes("Raw Keys", 1));
  std::ofstream{"/tmp/keys.toml"} << R"(omnipar = 1
[[sheet]]
kind = "unit"
name = "keys"
title = "Keys"
identity = [{ vendor = 0x1209, product = 6 }]
control = [{ code = "KEY_Q", role = "south" }]
)";
  Program record{{"/box/omnipar", "trace", "record", file, "--raw", "--data", "/tmp/keys.toml"}};
  REQUIRE(record.wait_for("recording \"Raw Pad\""));
  REQUIRE(record.wait_for("recording \"Raw Keys\""));
  sleep_ms(200);
  pad.send({south, 8, 1, 2, 3, 4});
  sleep_ms(50);
  pad.send({south, 8, 1, 2, 3, 4});  // which produces no event on the event node
  pad.send({});
  keys.send_bytes({0, 0, 0x1a, 0, 0, 0, 0, 0});
  REQUIRE(record.wait_for("the raw reports of \"Raw Keys\" are not recorded because they contain typed text"));
  record.signal(SIGINT);
  REQUIRE(record.wait_for_end() == 0);
  const std::string trace = contents(file);
  INFO(trace);
  CHECK(count(trace, "\"raw\":\"01 00 08 01 02 03 04\"") == 2);
  CHECK(count(trace, "\"raw\":\"00 00 08 80 80 80 80\"") == 1);
  CHECK(count(trace, "\"descriptor\":\"05 01 09 05 a1 01 ") == 1);
  CHECK(count(trace, "\"descriptor\"") == 1);
  CHECK(count(trace, "1a") == 0);
  CHECK(record.output().find("and 3 raw ones") != std::string::npos);
  Program replay{{"/box/omnipar", "trace", "replay", file, "--profile", "pad-2b"}};
  CHECK(replay.wait_for_end() == 0);
}

TEST_CASE("An adapter that the kernel merges into one node is recorded and replayed by its raw reports", "[record]") {
  std::remove(file);
  const UhidUnit adapter{"Folded Adapter", "", 9, adapter_with_ids()};
  REQUIRE(wait_for_nodes("Folded Adapter", 1));
  Program record{{"/box/omnipar", "trace", "record", file}};
  REQUIRE(record.wait_for("recording \"Folded Adapter\""));
  sleep_ms(200);
  for (int times = 0; times < 2; ++times)
    for (const std::uint8_t player : std::array<std::uint8_t, 2>{1, 2})
      for (const std::uint8_t button : std::array<std::uint8_t, 2>{1, 0}) {
        adapter.send_bytes({player, 128, 128, button});
        sleep_ms(50);
      }
  record.signal(SIGINT);
  REQUIRE(record.wait_for_end() == 0);
  CHECK(record.output().find("and 8 raw ones") != std::string::npos);
  Program replay{{"/box/omnipar", "trace", "replay", file, "--profile", "pad-2b", "--json"}};
  CHECK(replay.wait_for_end() == 0);
  INFO(replay.output());
  CHECK(count(replay.output(), "\"port\":2,\"changed\":{\"inner\":1}") == 1);
}

TEST_CASE("A recording stops at its limit, and a full disk is reported", "[record]") {
  const UhidPad pad{"Timed Pad", "t"};
  REQUIRE(wait_for_nodes("Timed Pad", 1));
  std::remove(file);
  Program timed{{"/box/omnipar", "trace", "record", file, "--seconds", "0.5"}};
  CHECK(timed.wait_for_end() == 0);
  CHECK(count(contents(file), "\n") >= 3);
  ::mkdir("/mnt", 0755);
  Program mount{{"mount", "-t", "tmpfs", "-o", "size=4k,nr_inodes=4", "none", "/mnt"}};
  REQUIRE(mount.wait_for_end() == 0);
  Program full{{"/box/omnipar", "trace", "record", "/mnt/full.trace"}};
  REQUIRE(full.wait_for("recording \"Timed Pad\""));
  int status = -1;
  for (int i = 0; i < 200 && status == -1; ++i) {
    pad.send({static_cast<std::uint16_t>(i % 2 == 0 ? south : 0)});
    status = full.wait_for_end(10);
  }
  CHECK(status == 3);
  CHECK(full.output().find("[cannot-write]") != std::string::npos);
  Program umount{{"umount", "/mnt"}};
  CHECK(umount.wait_for_end() == 0);
}

TEST_CASE("Typed text is recorded only on request", "[record]") {
  std::ofstream{"/tmp/panel.toml"} << R"(omnipar = 1
[[sheet]]
kind = "unit"
name = "panel"
title = "Panel that types"
identity = [{ vendor = 0x1209, product = 6 }]
control = [{ code = "KEY_Q", role = "south" }, { code = "KEY_1", role = "key-1" }]
)";
  const UhidUnit panel{"Typing Panel", "p", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Typing Panel", 1));
  const bool with_keys = GENERATE(false, true);
  std::remove(file);
  std::vector<std::string> command{"/box/omnipar", "trace", "record", file, "--data", "/tmp/panel.toml"};
  if (with_keys) command.emplace_back("--with-keys");
  Program record{command};
  REQUIRE(record.wait_for("recording \"Typing Panel\""));
  sleep_ms(200);
  constexpr std::uint8_t usage_q = 0x14, usage_w = 0x1a, usage_1 = 0x1e;
  for (const std::uint8_t usage : {usage_q, usage_w, usage_1, std::uint8_t{0}}) {
    panel.send_bytes({0, 0, usage, 0, 0, 0, 0, 0});
    sleep_ms(30);
  }
  record.signal(SIGINT);
  REQUIRE(record.wait_for_end() == 0);
  const std::string trace = contents(file);
  INFO(trace);
  CHECK(count(trace, "\"KEY_Q\",1") == 1);
  CHECK(count(trace, "\"KEY_W\",1") == (with_keys ? 1 : 0));
  CHECK(count(trace, "\"KEY_1\",1") == (with_keys ? 1 : 0));
  CHECK(count(record.output(), "2 presses of keyboard keys") == (with_keys ? 0 : 1));
}

TEST_CASE("All 16 bits of a gun's axes arrive, with and without the kernel's fuzz", "[record]") {
  const bool by_joystick = GENERATE(true, false);
  std::remove(file);
  const Bytes place{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x27, 0xff,
                    0xff, 0x00, 0x00, 0x75, 0x10, 0x95, 0x02, 0x81, 0x02};
  constexpr std::uint16_t a_gun_with_a_sheet = 0x000c;
  const std::string name = by_joystick ? "Fine Gun" : "Lark Booth Gun";
  const UhidUnit gun{name, "", by_joystick ? std::uint16_t{9} : a_gun_with_a_sheet,
                     application(by_joystick ? 0x04 : 0x02) + buttons(1, 3, 5) + place + end_collection};
  REQUIRE(wait_for_nodes(name, 1));
  const NodeReader node{nodes_named(name).front()};
  const auto fuzz = [&node] {
    input_absinfo axis{};
    REQUIRE(::ioctl(node.descriptor(), EVIOCGABS(ABS_X), &axis) == 0);
    return axis.fuzz;
  };
  CHECK((fuzz() > 0) == by_joystick);
  Program record{{"/box/omnipar", "trace", "record", file}};
  REQUIRE(record.wait_for("recording \"" + name + "\""));
  sleep_ms(200);
  constexpr int from = 30000, count_of_steps = 50;
  for (int x = from; x < from + count_of_steps; ++x) {
    const auto low = static_cast<std::uint8_t>(x), high = static_cast<std::uint8_t>(x >> 8);
    gun.send_bytes({0, low, high, low, high});
    sleep_ms(2);
  }
  sleep_ms(100);
  record.signal(SIGINT);
  REQUIRE(record.wait_for_end() == 0);
  const std::string trace = contents(file);
  for (int x = from; x < from + count_of_steps; ++x) {
    const std::string value = std::to_string(x);
    CHECK(count(trace, "[\"ABS_X\"," + value + ",\"ABS_Y\"," + value + "]") == 1);
  }
  CHECK((fuzz() > 0) == by_joystick);
}
