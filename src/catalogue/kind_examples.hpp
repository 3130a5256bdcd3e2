// An example of each kind of file, as the reference shows it.
#pragma once

#include <string_view>

namespace omnipar::inline abi_0::catalogue {

constexpr std::string_view profile_example = R"(omnipar = 1
kind = "profile"
name = "Saturday"
system = "pad-2b"

[port.1]
seat = "sofa"

[port.1.bind]
outer = { use = "east", autofire = 12 }
inner = ["south", "right-trigger"]

[port.2]
seat = "shelf"
like = 1

[hotkeys]
freeze = { modifier = "select", press = "north" }
)";

constexpr std::string_view rig_example = R"(omnipar = 1
kind = "rig"

[[unit]]
name = "blue pad"
seat = "sofa"
vendor = 0x1209
product = 0x0001
model = "Fenwick Reading-Room Pad"
socket = "hall:1"

[[screen]]
name = "booth"
size = [1920, 1080]
)";

constexpr std::string_view unit_example = R"(omnipar = 1
kind = "unit"
name = "wold-pad"
title = "Wold Two-Button Pad"

[[identity]]
vendor = 0x1209
product = 0x0101

[[control]]
code = "ABS_HAT0X"
role = "dpad"
axis = "x"

[[control]]
code = "ABS_HAT0Y"
role = "dpad"
axis = "y"

[[control]]
code = "BTN_0"
role = "south"
label = "large button"

[[control]]
code = "BTN_1"
role = "start"
)";

constexpr std::string_view calibration_example = R"(omnipar = 1
kind = "calibration"
unit = "blue pad"

[[axis]]
code = "ABS_Z"
minimum = 4
maximum = 243
rest = 4
declared = [0, 255]
noise = 1
measured = "2026-05-02"
)";

constexpr std::string_view system_example = R"(omnipar = 1
kind = "system"
name = "wold-table"
title = "Wold table, two players"

[[port]]
number = 1
takes = ["wold-pad"]

[[port]]
number = 2
takes = ["wold-pad"]

[[controller]]
name = "wold-pad"
title = "pad, one button"
directions = ["dpad", "left-stick"]

[[controller.target]]
name = "fire"
default = ["south"]

[[controller.target]]
name = "start"
default = ["start"]
)";

}  // namespace omnipar::inline abi_0::catalogue
