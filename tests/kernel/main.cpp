// Runs inside the box. With --own-a-held-pad it is a bad program instead: one that holds a button of a
// virtual pad and waits to be killed.
#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

#include <linux/uinput.h>
#include <unistd.h>

#include <cstdio>
#include <string_view>

#include "made_units.hpp"

int main(int count, char** words) {
  if (count == 2 && std::string_view{words[1]} == "--own-a-held-pad") {
    const omnipar::test::UinputPad pad{"held pad"};
    pad.send(EV_KEY, BTN_SOUTH, 1);
    pad.sync();
    std::puts("held");
    std::fflush(stdout);
    for (;;) ::pause();
  }
  return Catch::Session().run(count, words);
}
