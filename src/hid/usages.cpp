// Names of usages (HID Usage Tables 1.3).
#include <algorithm>
#include <charconv>

#include <fmt/format.h>

#include "hid/pages.hpp"
#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {
namespace {

struct Word {
  Usage usage;
  std::string_view word;
};

constexpr Word words[] = {
    {{page::desktop, 0x01}, "pointer"},
    {{page::desktop, 0x02}, "mouse"},
    {{page::desktop, 0x04}, "joystick"},
    {{page::desktop, 0x05}, "game-pad"},
    {{page::desktop, 0x06}, "keyboard"},
    {{page::desktop, 0x07}, "keypad"},
    {{page::desktop, 0x08}, "multi-axis"},
    {{page::desktop, 0x30}, "x"},
    {{page::desktop, 0x31}, "y"},
    {{page::desktop, 0x32}, "z"},
    {{page::desktop, 0x33}, "rx"},
    {{page::desktop, 0x34}, "ry"},
    {{page::desktop, 0x35}, "rz"},
    {{page::desktop, 0x36}, "slider"},
    {{page::desktop, 0x37}, "dial"},
    {{page::desktop, 0x38}, "wheel"},
    {{page::desktop, 0x39}, "hat-switch"},
    {{page::desktop, 0x3d}, "start"},
    {{page::desktop, 0x3e}, "select"},
    {{page::desktop, 0x40}, "vx"},
    {{page::desktop, 0x41}, "vy"},
    {{page::desktop, 0x42}, "vz"},
    {{page::desktop, 0x43}, "vbrx"},
    {{page::desktop, 0x44}, "vbry"},
    {{page::desktop, 0x45}, "vbrz"},
    {{page::desktop, 0x46}, "vno"},
    {{page::desktop, 0x48}, "resolution"},
    {{page::desktop, 0x80}, "system-control"},
    {{page::desktop, 0x90}, "dpad-up"},
    {{page::desktop, 0x91}, "dpad-down"},
    {{page::desktop, 0x92}, "dpad-right"},
    {{page::desktop, 0x93}, "dpad-left"},
    {{page::simulation, 0xb0}, "aileron"},
    {{page::simulation, 0xb8}, "elevator"},
    {{page::simulation, 0xba}, "rudder"},
    {{page::simulation, 0xbb}, "throttle"},
    {{page::simulation, 0xc4}, "accelerator"},
    {{page::simulation, 0xc5}, "brake"},
    {{page::simulation, 0xc6}, "clutch"},
    {{page::simulation, 0xc7}, "shifter"},
    {{page::simulation, 0xc8}, "steering"},
    {{page::consumer, 0x01}, "consumer-control"},
    {{page::consumer, 0xb0}, "play"},
    {{page::consumer, 0xb1}, "pause"},
    {{page::consumer, 0xb5}, "next-track"},
    {{page::consumer, 0xb6}, "previous-track"},
    {{page::consumer, 0xb7}, "stop"},
    {{page::consumer, 0xcd}, "play-or-pause"},
    {{page::consumer, 0xe2}, "mute"},
    {{page::consumer, 0xe9}, "volume-up"},
    {{page::consumer, 0xea}, "volume-down"},
    {{page::consumer, 0x223}, "home"},
    {{page::consumer, 0x224}, "back"},
    {{page::consumer, 0x238}, "pan"},
    {{page::digitizer, 0x04}, "touch-screen"},
    {{page::digitizer, 0x05}, "touch-pad"},
    {{page::digitizer, 0x22}, "finger"},
    {{page::digitizer, 0x30}, "tip-pressure"},
    {{page::digitizer, 0x32}, "in-range"},
    {{page::digitizer, 0x3d}, "x-tilt"},
    {{page::digitizer, 0x3e}, "y-tilt"},
    {{page::digitizer, 0x42}, "tip-switch"},
    {{page::digitizer, 0x51}, "contact"},
    {{page::digitizer, 0x54}, "contact-count"},
    {{page::leds, 0x4b}, "indicator"},
    {{page::leds, 0x61}, "player-1-led"},
    {{page::leds, 0x62}, "player-2-led"},
    {{page::leds, 0x63}, "player-3-led"},
    {{page::leds, 0x64}, "player-4-led"},
    {{page::leds, 0x65}, "player-5-led"},
    {{page::leds, 0x66}, "player-6-led"},
    {{page::leds, 0x67}, "player-7-led"},
    {{page::leds, 0x68}, "player-8-led"},
    {{page::forces, 0x21}, "set-effect"},
    {{page::forces, 0x50}, "duration"},
    {{page::forces, 0x70}, "magnitude"},
    {{page::forces, 0x7c}, "loop-count"},
    {{page::forces, 0x97}, "enable-actuators"},
    {{page::forces, 0xa7}, "start-delay"},
};

constexpr std::string_view button_word = "button-";
constexpr std::string_view key_word = "key-";
constexpr std::string_view led_word = "led-";

/// A page whose usages are numbers: the word before the number, and its format.
struct Numbered {
  std::uint16_t page;
  std::string_view word;
  int base;
};
constexpr Numbered numbered[] = {
    {page::button, button_word, 10}, {page::keyboard, key_word, 16}, {page::leds, led_word, 16}};

std::optional<std::uint16_t> number_in(std::string_view text, int base) {
  std::uint16_t number = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), number, base);
  if (read.ec != std::errc{} || read.ptr != text.data() + text.size()) return std::nullopt;
  return number;
}

}  // namespace

std::string word_of(Usage usage) {
  const auto* const known = std::ranges::find(words, usage, &Word::usage);
  if (known != std::end(words)) return std::string{known->word};
  const auto* const family = std::ranges::find(numbered, usage.page, &Numbered::page);
  if (family == std::end(numbered)) return fmt::format("{:02x}.{:02x}", usage.page, usage.id);
  return family->base == 10 ? fmt::format("{}{}", family->word, usage.id)
                            : fmt::format("{}{:02x}", family->word, usage.id);
}

std::optional<Usage> usage_of(std::string_view word) {
  const auto* const known = std::ranges::find(words, word, &Word::word);
  if (known != std::end(words)) return known->usage;
  for (const Numbered& family : numbered) {
    if (!word.starts_with(family.word)) continue;
    const auto number = number_in(word.substr(family.word.size()), family.base);
    return number ? std::optional{Usage{family.page, *number}} : std::nullopt;
  }
  const std::size_t point = word.find('.');
  if (point == std::string_view::npos) return std::nullopt;
  const auto page = number_in(word.substr(0, point), 16);
  const auto id = number_in(word.substr(point + 1), 16);
  if (!page || !id) return std::nullopt;
  return Usage{*page, *id};
}

}  // namespace omnipar::inline abi_0::hid
