// Report descriptors of existing kinds, and worse ones; written out so that a person can check them.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace omnipar::test {

/// What the kernel's own rules derive from a descriptor.
struct Expected {
  bool loses = false;   ///< some controls have no code
  bool shares = false;  ///< some codes are shared by several controls
  bool parts = false;   ///< it is divided into players
};

struct Made {
  std::string name;
  std::vector<std::uint8_t> bytes;
  Expected expected{};
};

/// Items that most of them share.
using Bytes = std::vector<std::uint8_t>;
[[nodiscard]] inline Bytes operator+(Bytes a, const Bytes& b) {
  a.insert(a.end(), b.begin(), b.end());
  return a;
}
[[nodiscard]] inline Bytes application(std::uint8_t usage) { return {0x05, 0x01, 0x09, usage, 0xa1, 0x01}; }
[[nodiscard]] inline Bytes numbered(std::uint8_t report) { return {0x85, report}; }
inline const Bytes end_collection{0xc0};
/// Buttons `from` to `to`, one bit each, and `unused` bits.
[[nodiscard]] inline Bytes buttons(std::uint8_t from, std::uint8_t to, std::uint8_t unused) {
  const auto count = static_cast<std::uint8_t>(to - from + 1);
  Bytes bytes{0x05, 0x09, 0x19, from, 0x29, to, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, count, 0x81, 0x02};
  if (unused > 0) bytes = bytes + Bytes{0x75, unused, 0x95, 0x01, 0x81, 0x03};
  return bytes;
}
/// X and Y, 0..255.
inline const Bytes stick{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x26,
                         0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02};
/// A hat of eight directions in four bits, four bits unused.
inline const Bytes hat{0x05, 0x01, 0x09, 0x39, 0x15, 0x00, 0x25, 0x07, 0x75, 0x04,
                       0x95, 0x01, 0x81, 0x42, 0x75, 0x04, 0x95, 0x01, 0x81, 0x03};

/// Two sockets in one interface. The kernel creates one node for them.
[[nodiscard]] inline Bytes adapter_with_ids() {
  const Bytes socket = stick + buttons(1, 4, 4) + end_collection;
  return application(0x04) + numbered(1) + socket + application(0x04) + numbered(2) + socket;
}
/// Two players side by side in one report, and three shared buttons.
[[nodiscard]] inline Bytes adapter_in_one_report() {
  const Bytes player = Bytes{0x05, 0x01, 0x09, 0x01, 0xa1, 0x00} + stick + buttons(1, 6, 2) + end_collection;
  return application(0x04) + player + player + buttons(17, 19, 5) + end_collection;
}
/// Two sticks, then the same buttons twice, without collections of their own.
[[nodiscard]] inline Bytes adapter_without_order() {
  return application(0x04) + stick + buttons(1, 2, 0) + buttons(1, 2, 4) + stick + end_collection;
}

/// An output report's motors, 0..255 each: magnitudes of effects.
[[nodiscard]] inline Bytes motors(std::uint8_t count) {
  return {0x05, 0x0f, 0x09, 0x70, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, count, 0x91, 0x02};
}
/// LEDs of players 1 to `count`, one bit each, and `unused` bits.
[[nodiscard]] inline Bytes player_leds(std::uint8_t count, std::uint8_t unused) {
  return {0x05, 0x08,  0x19, 0x61, 0x29, static_cast<std::uint8_t>(0x60 + count),
          0x15, 0x00,  0x25, 0x01, 0x75, 0x01,
          0x95, count, 0x91, 0x02, 0x75, unused,
          0x95, 0x01,  0x91, 0x03};
}
/// Two sockets with report ids, two motors and four LEDs each.
[[nodiscard]] inline Bytes shaking_adapter() {
  const Bytes socket = stick + buttons(1, 4, 4) + motors(2) + player_leds(4, 4) + end_collection;
  return application(0x04) + numbered(1) + socket + application(0x04) + numbered(2) + socket;
}

/// Two old plugs in one report: a stick, three fire buttons, ten keys and two switches each, with different stick
/// ranges; four buttons of the adapter; a vendor-defined byte with one bit for each filled socket.
[[nodiscard]] inline Bytes old_plugs_adapter() {
  const Bytes pointer{0x05, 0x01, 0x09, 0x01, 0xa1, 0x00};
  const Bytes other_stick{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x14, 0x26,
                          0xec, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02};  // 20..236
  const Bytes sign{0x06, 0x00, 0xff, 0x09, 0x20, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02};
  return application(0x04) + pointer + stick + buttons(1, 15, 1) + end_collection + pointer + other_stick +
         buttons(1, 15, 1) + end_collection + buttons(33, 36, 4) + sign + end_collection;
}

[[nodiscard]] inline std::vector<Made> made_descriptors() {
  const Bytes pad = application(0x05) + buttons(1, 16, 0) + hat + stick + end_collection;
  const Bytes two_hats = application(0x04) + buttons(1, 8, 0) + stick + hat + hat + end_collection;
  const Bytes throttle_behind_slider =
      application(0x04) + buttons(1, 20, 4) + stick +
      Bytes{0x05, 0x01, 0x09, 0x36, 0x09, 0x37, 0x05, 0x02, 0x09, 0xbb, 0x09, 0xba, 0x95, 0x04, 0x81, 0x02} +
      end_collection;
  // 10-bit signed axes between buttons: nothing is byte-aligned
  const Bytes unaligned = application(0x05) + buttons(1, 3, 0) +
                          Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x33, 0x16, 0x00,
                                0xfe, 0x26, 0xff, 0x01, 0x75, 0x0a, 0x95, 0x03, 0x81, 0x02} +
                          buttons(4, 10, 0) + end_collection;
  // 16-bit axes, -32768..32767 and 0..65535, by push and pop
  const Bytes wide = application(0x04) + Bytes{0xa4, 0x16, 0x00, 0x80, 0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x01,
                                               0x09, 0x30, 0x81, 0x02, 0xb4, 0x15, 0x00, 0x27, 0xff, 0xff, 0x00,
                                               0x00, 0x75, 0x10, 0x95, 0x01, 0x09, 0x31, 0x81, 0x02} +
                     buttons(1, 8, 0) + end_collection;
  const Bytes keyboard =
      application(0x06) +
      Bytes{0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x75,
            0x08, 0x95, 0x01, 0x81, 0x03, 0x95, 0x06, 0x15, 0x00, 0x25, 0x65, 0x19, 0x00, 0x29, 0x65, 0x81, 0x00} +
      end_collection;
  const Bytes mouse =
      Bytes{0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x01, 0xa1, 0x00} + buttons(1, 5, 3) +
      Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x06} +
      end_collection + end_collection;
  const Bytes gun = application(0x04) + Bytes{0x85, 0x01} + stick + end_collection + application(0x02) +
                    Bytes{0x85, 0x02} + buttons(1, 3, 5) + Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x26,
                                                                 0xff, 0x7f, 0x75, 0x10, 0x95, 0x02, 0x81, 0x02} +
                    end_collection + application(0x06) + Bytes{0x85, 0x03, 0x05, 0x07, 0x19, 0x04, 0x29, 0x0b, 0x15,
                                                               0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02} +
                    end_collection;
  const Bytes vendor = application(0x05) + buttons(1, 8, 0) + stick +
                       Bytes{0x06, 0x00, 0xff, 0x09, 0x20, 0x75, 0x08, 0x95, 0x14, 0x81, 0x02} + end_collection;
  // a page that no driver handles, media keys, and a d-pad of four buttons, which the kernel mixes up
  const Bytes other_pages =
      application(0x05) + buttons(1, 4, 4) +
      Bytes{0x06, 0x05, 0xff, 0x09, 0x20, 0x15, 0x00, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02, 0x05, 0x0c,
            0x0a, 0x23, 0x02, 0x0a, 0x24, 0x02, 0x09, 0xe9, 0x09, 0xea, 0x25, 0x01, 0x75, 0x01, 0x95, 0x04, 0x81,
            0x02, 0x05, 0x01, 0x09, 0x85, 0x09, 0x3d, 0x95, 0x02, 0x81, 0x02, 0x95, 0x02, 0x81, 0x03} +
      stick + end_collection;
  const Bytes dpad = application(0x05) + buttons(1, 4, 0) + Bytes{0x05, 0x01, 0x19, 0x90, 0x29, 0x93, 0x15, 0x00,
                                                                  0x25, 0x01, 0x75, 0x01, 0x95, 0x04, 0x81, 0x02} +
                     end_collection;
  const Bytes pedals = application(0x04) +
                       Bytes{0x05, 0x02, 0x09, 0xc4, 0x09, 0xc5, 0x09, 0xc8, 0x15, 0x00, 0x26, 0xff, 0x03,
                             0x75, 0x0a, 0x95, 0x03, 0x81, 0x02, 0x75, 0x02, 0x95, 0x01, 0x81, 0x03} +
                       buttons(1, 4, 4) + end_collection;
  const Bytes long_usages = application(0x05) +
                            Bytes{0x0b, 0x30, 0x00, 0x01, 0x00, 0x0b, 0x31, 0x00, 0x01, 0x00, 0x05, 0x09,
                                  0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02} +
                            buttons(1, 8, 0) + end_collection;
  const Bytes hat_of_four = application(0x04) + buttons(1, 4, 0) +
                            Bytes{0x05, 0x01, 0x09, 0x39, 0x15, 0x01, 0x25, 0x04, 0x75, 0x04, 0x95, 0x01, 0x81, 0x42} +
                            stick + end_collection;
  // a second trackball, which the kernel drops, and a second keyboard, whose keys it merges with the first one's
  const Bytes ball = buttons(1, 3, 5) + Bytes{0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x81,
                                              0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x06} +
                     end_collection;
  const Bytes two_balls = application(0x02) + numbered(1) + ball + application(0x02) + numbered(2) + ball;
  const Bytes few_keys{0x05, 0x07, 0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02};
  const Bytes two_keyboards = application(0x06) + numbered(1) + few_keys + end_collection + application(0x06) +
                              numbered(2) + few_keys + end_collection;
  // of two kinds: one node each
  const Bytes player = stick + buttons(1, 8, 0) + end_collection;
  const Bytes both_kinds = application(0x04) + numbered(1) + player + application(0x05) + numbered(2) + player;
  const Bytes mat = application(0x04) + buttons(1, 10, 6) + end_collection;
  constexpr Expected folded{true, true, true}, loses{true, false, false}, shares{false, true, false};
  return {{"pad", pad},
          {"two sockets with ids", adapter_with_ids(), folded},
          {"two players in one report", adapter_in_one_report(), folded},
          {"two players without order", adapter_without_order(), folded},
          {"two sockets of old plugs", old_plugs_adapter(), folded},
          {"joystick and game pad", both_kinds, {false, false, true}},
          {"two hats", two_hats, loses},
          {"two balls", two_balls, loses},
          {"two keyboards", two_keyboards, shares},
          {"throttle behind slider", throttle_behind_slider, loses},
          {"nothing at a byte", unaligned},
          {"wide axes", wide},
          {"keyboard", keyboard, shares},
          {"mouse", mouse},
          {"mat without axes", mat},
          {"gun of three", gun},
          {"vendor's page", vendor, loses},
          {"other pages", other_pages},
          {"two halves of a d-pad", dpad, shares},
          {"pedals", pedals},
          {"usages with their page", long_usages},
          {"hat of four", hat_of_four}};
}

}  // namespace omnipar::test
