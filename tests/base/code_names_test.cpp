// The table of code names against libevdev's, code by code.
#include <libevdev/libevdev.h>

#include <catch2/catch.hpp>

#include "base/code_names.hpp"

using namespace omnipar;

TEST_CASE("Codes have the kernel's names", "[names]") {
  int named = 0;
  for (const std::uint16_t type : {ev_key, ev_rel, ev_abs})
    for (int number = 0; number <= libevdev_event_type_get_max(type); ++number) {
      const Code code{type, static_cast<std::uint16_t>(number)};
      const char* const theirs = libevdev_event_code_get_name(type, static_cast<unsigned>(number));
      const std::string ours = base::code_name(code);
      CAPTURE(type, number, ours);
      REQUIRE(base::code_of_name(ours) == code);
      // libevdev may be older than the names, and gives the end of a range that name.
      if (theirs == nullptr || std::string_view{theirs}.ends_with("_MAX")) continue;
      ++named;
      REQUIRE(base::code_of_name(theirs) == code);
      REQUIRE(ours == theirs);
    }
  REQUIRE(named > 600);
  REQUIRE(base::code_of_name("BTN_A") == code::btn_south);
  for (const char* none : {"", "BTN_", "btn_south", "key:", "key:99999", "key:1x", "KEY:1"})
    REQUIRE_FALSE(base::code_of_name(none));
}
