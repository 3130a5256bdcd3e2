// Facts of the kernel that the design relies on. If one of these fails on a newer kernel, the design must
// be reviewed.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/uinput.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdio>

#include "made_units.hpp"

using namespace omnipar::test;

namespace {

std::string only_node(const std::string& name) {
  REQUIRE(wait_for_nodes(name, 1));
  return nodes_named(name).front();
}

}  // namespace

TEST_CASE("Fact: a neutral report followed at once by removal is never seen; after 50 ms it is", "[fact]") {
  for (const int wait_ms : {0, 50}) {
    auto pad = std::make_unique<UinputPad>("fact pad");
    NodeReader reader{only_node("fact pad")};
    pad->send(EV_KEY, BTN_SOUTH, 1);
    pad->sync();
    REQUIRE(reader.wait_for(EV_KEY, BTN_SOUTH, 1));
    pad->send(EV_KEY, BTN_SOUTH, 0);
    pad->sync();
    if (wait_ms > 0) REQUIRE(reader.wait_for(EV_KEY, BTN_SOUTH, 0, wait_ms * 10));
    pad.reset();
    CHECK(reader.wait_for_end());
    CHECK(reader.value(EV_KEY, BTN_SOUTH) == (wait_ms > 0 ? 0 : 1));
  }
}

TEST_CASE("A misbehaving program that is killed with a button down", "[.own-a-held-pad]") {
  const UinputPad pad{"held pad"};
  pad.send(EV_KEY, BTN_SOUTH, 1);
  pad.sync();
  std::puts("south is held");
  std::fflush(stdout);
  for (;;) ::pause();
}

TEST_CASE("Fact: after its owner is killed, a late reader gets an error and no release", "[fact]") {
  Program owner{{"/box/kernel-tests", "[own-a-held-pad]"}};
  REQUIRE(owner.wait_for("south is held"));
  NodeReader reader{only_node("held pad")};
  unsigned char keys[KEY_CNT / 8 + 1] = {};
  REQUIRE(::ioctl(reader.descriptor(), EVIOCGKEY(sizeof(keys)), keys) >= 0);
  CHECK((keys[BTN_SOUTH / 8] >> (BTN_SOUTH % 8) & 1) == 1);
  owner.signal(SIGKILL);
  CHECK(wait_for_nodes("held pad", 0));
  CHECK_FALSE(reader.drain());
  CHECK(reader.events().empty());
}

TEST_CASE("Fact: an inherited descriptor keeps a virtual device alive", "[fact]") {
  auto pad = std::make_unique<UinputPad>("inherited pad");
  REQUIRE(wait_for_nodes("inherited pad", 1));
  ::fcntl(pad->descriptor(), F_SETFD, 0);
  {
    Program heir{{"/bin/sleep", "60"}};
    sleep_ms(200);
    pad.reset();
    CHECK(wait_for_nodes("inherited pad", 1));
  }
  CHECK(wait_for_nodes("inherited pad", 0));
}

TEST_CASE("Fact: at unplug reading fails at once, whatever was queued", "[fact]") {
  auto pad = std::make_unique<UhidPad>("unplugged pad", "");
  NodeReader reader{only_node("unplugged pad")};
  pad->send({south});
  REQUIRE(reader.wait_for(EV_KEY, BTN_SOUTH, 1));
  pad.reset();
  sleep_ms(200);
  input_event event{};
  CHECK(::read(reader.descriptor(), &event, sizeof(event)) == -1);
  CHECK(errno == ENODEV);
}

TEST_CASE("Fact: axes read 0 before the first report, and held buttons must be queried", "[fact]") {
  const UhidPad pad{"opened pad", ""};
  const std::string node = only_node("opened pad");
  {
    const NodeReader early{node};
    input_absinfo axis{};
    REQUIRE(::ioctl(early.descriptor(), EVIOCGABS(ABS_X), &axis) >= 0);
    CHECK(axis.value == 0);
    CHECK(axis.maximum == 255);
    pad.send({south});
    sleep_ms(100);
  }
  NodeReader late{node};
  sleep_ms(100);
  late.drain();
  CHECK(late.events().empty());
  unsigned char keys[KEY_CNT / 8 + 1] = {};
  REQUIRE(::ioctl(late.descriptor(), EVIOCGKEY(sizeof(keys)), keys) >= 0);
  CHECK((keys[BTN_SOUTH / 8] >> (BTN_SOUTH % 8) & 1) == 1);
}

TEST_CASE("Fact: a large report arrives as two packets with the same time", "[fact]") {
  const UhidPad pad{"large pad", ""};
  NodeReader reader{only_node("large pad")};
  pad.send({});
  REQUIRE(reader.wait_for(EV_ABS, ABS_RY, 128));
  reader.forget_events();
  pad.send({0xffff, 1, 0, 255, 1, 254});
  REQUIRE(reader.wait_for(EV_ABS, ABS_RY, 254));
  std::vector<input_event> ends;
  for (const input_event& event : reader.events())
    if (event.type == EV_SYN && event.code == SYN_REPORT) ends.push_back(event);
  REQUIRE(ends.size() >= 2);
  CHECK(ends[0].value == 1);
  for (const input_event& end : ends) {
    CHECK(end.input_event_sec == ends[0].input_event_sec);
    CHECK(end.input_event_usec == ends[0].input_event_usec);
  }
}

TEST_CASE("The bare copier copies", "[fact]") {
  const UhidPad pad{"copied pad", ""};
  Program copier{{"/box/copier", only_node("copied pad")}};
  REQUIRE(copier.wait_for("ready"));
  NodeReader reader{only_node("bare copy")};
  pad.send({south});
  CHECK(reader.wait_for(EV_KEY, BTN_SOUTH, 1));
  pad.send({0, 8, 200});
  CHECK(reader.wait_for(EV_KEY, BTN_SOUTH, 0));
  CHECK(reader.wait_for(EV_ABS, ABS_X, 200));
}
