// A box without udevd and without any setup: a first session from its first command on.
#include <catch2/catch.hpp>

#include <linux/uinput.h>

#include <csignal>

#include "made_units.hpp"

using namespace omnipar::test;

namespace {

/// A command's exit status and its whole output, both streams in order.
std::string said(const std::vector<std::string>& command, int status) {
  Program program{command};
  CHECK(program.wait_for_end() == status);
  return program.output();
}

}  // namespace

TEST_CASE("From a bare system to play: the doctor finds and fixes what is missing", "[bare]") {
  CHECK(said({"omnipar", "units"}, 1) == "No controller is connected. 'omnipar doctor' looks for the cause.\n");
  CHECK(said({"omnipar", "doctor"}, 1) ==
        "WRONG  Virtual controllers cannot be created: the kernel's uinput module is not loaded (no /dev/uinput).\n"
        "       fix it: sudo omnipar doctor --fix\n"
        "good   You have permission to read every connected pad and joystick.\n"
        "WRONG  The udev rule that gives the user at the screen access to uinput and pads is missing.\n"
        "       fix it: sudo omnipar doctor --fix\n"
        "WRONG  No controller is connected. Plug one in; if it is wireless, switch it on and press a button.\n"
        "hint   This computer has no Bluetooth: only wired units and units with their own receiver can connect.\n");
  CHECK(said({"omnipar", "play", "pad-2b"}, 3) ==
        "omnipar: /dev/uinput: cannot create virtual controllers: No such file or directory [no-uinput]\n"
        "  'sudo omnipar doctor --fix' fixes this permanently\n");
  CHECK(said({"omnipar", "doctor", "--fix"}, 3) ==  // this box has no udev
        "done:   load the kernel's uinput module (modprobe uinput)\n"
        "done:   wrote /etc/modules-load.d/omnipar.conf\n"
        "done:   wrote /etc/udev/rules.d/70-omnipar.rules\n"
        "failed: reload udev (udevadm control --reload)\n"
        "failed: apply the rule to connected devices (udevadm trigger)\n"
        "The failed steps are listed above. All others succeeded.\n");
  auto pad = std::make_unique<UhidPad>("Marrowby \x1b[31mPad", "m-1");
  REQUIRE(wait_for_nodes("Marrowby \x1b[31mPad", 1));
  const std::string node = nodes_named("Marrowby \x1b[31mPad").front();
  CHECK(said({"omnipar", "units"}, 0) ==
        "Marrowby ?[31mPad\n    16 buttons, 6 axes; 1209:0002; identified by serial m-1; " + node +
            "\n    without a role: BTN_C, BTN_Z and key:319; a sheet can assign them\n"
            "Next: omnipar play pad-2b\nTo see live which control is which: omnipar watch\n");
  CHECK(said({"omnipar", "doctor"}, 0) ==
        "good   Virtual controllers can be created (/dev/uinput).\n"
        "good   You have permission to read every connected pad and joystick.\n"
        "good   The udev rule that gives the user at the screen access to uinput and pads is installed.\n"
        "good   1 controller is connected; 'omnipar units' lists it.\n"
        "No problems found. Next: omnipar play pad-2b\n");
  Playing play{{"omnipar", "play", "pad-2b"}};
  pad->send({south});
  REQUIRE(play.wait_for("Player 1 plays"));
  pad->send({});
  NodeReader reader{nodes_named("Omnipar port 1 pad").front()};
  pad->send({south});
  CHECK(reader.wait_for(EV_KEY, BTN_SOUTH, 1));
  pad.reset();  // without udevd the kernel itself reports units that come and go
  CHECK(reader.wait_for(EV_KEY, BTN_SOUTH, 0));
  pad = std::make_unique<UhidPad>("Marrowby \x1b[31mPad", "m-1");
  CHECK(play.wait_for("Player 1 continues"));
  play.signal(SIGINT);
  CHECK(play.wait_for_end() == 0);
  CHECK(play.output().find('\x1b') == std::string::npos);
}
