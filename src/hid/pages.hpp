// Pages of the HID usage tables, and usages that several files here need.
#pragma once

#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {

namespace page {
inline constexpr std::uint16_t desktop = 0x01, simulation = 0x02, keyboard = 0x07, leds = 0x08, button = 0x09,
                               telephony = 0x0b, consumer = 0x0c, digitizer = 0x0d, forces = 0x0f, custom = 0x00ff,
                               first_of_vendors = 0xff00;
}  // namespace page

namespace usage {
inline constexpr Usage pointer{page::desktop, 0x01}, mouse{page::desktop, 0x02}, joystick{page::desktop, 0x04},
    game_pad{page::desktop, 0x05}, multi_axis{page::desktop, 0x08}, hat_switch{page::desktop, 0x39},
    key_rollover{page::keyboard, 0x01}, dpad_up{page::desktop, 0x90}, dpad_down{page::desktop, 0x91},
    dpad_right{page::desktop, 0x92}, dpad_left{page::desktop, 0x93};
}  // namespace usage

/// One of the four buttons of a d-pad.
[[nodiscard]] constexpr bool is_dpad(Usage usage) noexcept {
  return usage >= usage::dpad_up && usage <= usage::dpad_left;
}

/// Applications of game controllers.
[[nodiscard]] constexpr bool is_played_on(Usage application) noexcept {
  return application == usage::joystick || application == usage::game_pad || application == usage::multi_axis;
}

}  // namespace omnipar::inline abi_0::hid
