// Player LEDs that a driver exposes in /sys.
#include <catch2/catch.hpp>

#include "host/leds.hpp"
#include "os/door.hpp"
#include "play/lights.hpp"
#include "support/folder.hpp"

using namespace omnipar;
using namespace omnipar::test;

TEST_CASE("LEDs in /sys are found in player order, set, and restored", "[leds]") {
  const Folder folder;
  const auto LED = [&](const std::string& name) { return folder / ("pad/leds/" + name + "/brightness"); };
  const std::string first = LED("pad:green:player-1"), second = LED("pad:green:player-2"),
                    tenth = LED("pad:green:player-10");
  put(first, "0\n");
  put(second, "255\n");
  put(tenth, "0\n");
  put(LED("pad:red:status"), "7\n");
  const auto lit = [&](const std::string& path) { return content(path).front(); };
  {
    host::Leds leds{os::real_door(), -1, folder / "pad/input/input5/event5"};
    REQUIRE(leds.count() == 3);
    CHECK(lit(second) == '2');  // querying changes nothing
    leds.show(0b101);
    CHECK((lit(first) == '1' && lit(second) == '0' && lit(tenth) == '1'));
  }
  CHECK((lit(first) == '0' && lit(second) == '1' && lit(tenth) == '0'));
  CHECK(content(LED("pad:red:status")) == "7\n");
}

TEST_CASE("A port is shown by the LED of its number, or by all LEDs", "[leds]") {
  for (int count = 1; count <= 8; ++count)
    for (int port = 1; port <= 8; ++port) {
      const std::uint32_t shown = play::leds_of(port, count) & ((1U << count) - 1);
      CHECK(shown == (port <= count ? 1U << (port - 1) : (1U << count) - 1));
    }
}
