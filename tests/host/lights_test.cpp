// Player lights that a driver has in /sys.
#include <catch2/catch.hpp>

#include "host/lights.hpp"
#include "os/door.hpp"
#include "play/feedback.hpp"
#include "support/folder.hpp"

using namespace omnipar;
using namespace omnipar::test;

TEST_CASE("lamps in /sys are found in the order of their players, shown, and put back", "[lights]") {
  const Folder folder;
  const auto lamp = [&](const std::string& name) { return folder / ("pad/leds/" + name + "/brightness"); };
  const std::string first = lamp("pad:green:player-1"), second = lamp("pad:green:player-2"),
                    tenth = lamp("pad:green:player-10");
  put(first, "0\n");
  put(second, "255\n");
  put(tenth, "0\n");
  put(lamp("pad:red:status"), "7\n");
  const auto lit = [&](const std::string& path) { return content(path).front(); };
  {
    host::Lights lights{os::real_door(), -1, folder / "pad/input/input5/event5"};
    REQUIRE(lights.count() == 3);
    CHECK(lit(second) == '2');  // nothing is changed by looking
    lights.show(0b101);
    CHECK((lit(first) == '1' && lit(second) == '0' && lit(tenth) == '1'));
  }
  CHECK((lit(first) == '0' && lit(second) == '1' && lit(tenth) == '0'));
  CHECK(content(lamp("pad:red:status")) == "7\n");
}

TEST_CASE("a port is shown by the lamp of its number, or by all", "[lights]") {
  for (int count = 1; count <= 8; ++count)
    for (int port = 1; port <= 8; ++port) {
      const std::uint32_t shown = play::lights_of(port, count) & ((1U << count) - 1);
      CHECK(shown == (port <= count ? 1U << (port - 1) : (1U << count) - 1));
    }
}
