// A hand-written equivalent of the engine for one plan: what a programmer would write for exactly these four units on
// these four ports, with the same guarantees: a report is processed as a whole, presses are counted, sticks are handled
// as pairs, and values are in the machine's native range. Straight code without tables or calls. Frozen: the engine is
// measured against it, so it does not change with the engine.
#pragma once

#include <cmath>
#include <cstdint>

#include "omnipar/report.hpp"

namespace bench {

struct HandPanel {
  std::uint32_t down = 0;
  std::uint32_t presses[12] = {};

  static std::uint32_t with(std::uint32_t all, std::uint32_t bit, bool on) { return on ? all | bit : all & ~bit; }

  /// The buttons after a change; bits 0..7 are the buttons, 8..11 up, down, left, right.
  static std::uint32_t changed(std::uint32_t now, const omnipar::Change& c) {
    if (c.code.type == omnipar::ev_key) {
      switch (c.code.number) {
        case 0x130:
          return with(now, 1U << 0, c.value != 0);
        case 0x131:
          return with(now, 1U << 1, c.value != 0);
        case 0x134:
          return with(now, 1U << 2, c.value != 0);
        case 0x133:
          return with(now, 1U << 3, c.value != 0);
        case 0x136:
          return with(now, 1U << 4, c.value != 0);
        case 0x137:
          return with(now, 1U << 5, c.value != 0);
        case 0x13a:
          return with(now, 1U << 6, c.value != 0);
        case 0x13b:
          return with(now, 1U << 7, c.value != 0);
        default:
          return now;
      }
    }
    if (c.code.number == 0x10) return with(with(now, 1U << 10, c.value < 0), 1U << 11, c.value > 0);
    if (c.code.number == 0x11) return with(with(now, 1U << 8, c.value < 0), 1U << 9, c.value > 0);
    return now;
  }

  void commit(std::uint32_t now) {
    for (std::uint32_t fresh = now & ~down; fresh != 0; fresh &= fresh - 1) ++presses[__builtin_ctz(fresh)];
    down = now;
  }

  void feed(const omnipar::Report& report) {
    std::uint32_t now = down;
    for (const omnipar::Change& c : report.changes) now = changed(now, c);
    commit(now);
  }
};

struct HandStick {
  std::int32_t raw_x = 0, raw_y = 0;
  double x = 0, y = 0;

  static double normalised(std::int32_t raw) {
    const double value = raw < 0 ? raw / 32768.0 : raw / 32767.0;
    return value < -1 ? -1 : (value > 1 ? 1 : value);
  }
  static std::int32_t native(double value) {
    const double exact = value < 0 ? 128 + value * 128 : 128 + value * 127;
    return static_cast<std::int32_t>(exact + 0.5);
  }
  void settle() {
    const double px = normalised(raw_x);
    const double py = normalised(raw_y);
    const double square = px * px + py * py;
    double factor = 0;
    if (square > 0.15 * 0.15) {
      const double length = std::sqrt(square);
      const double wanted = length >= 1 ? 1 : (length - 0.15) / (1 - 0.15);
      factor = wanted / length;
    }
    x = px * factor;
    y = py * factor;
  }
  std::int32_t native_x() const { return native(x); }
  std::int32_t native_y() const { return native(y); }
};

struct HandTrigger {
  double value = 0;
  std::int32_t native() const { return static_cast<std::int32_t>(value * 255 + 0.5); }
  void set(std::int32_t raw) {
    const double part = raw / 255.0;
    const double wanted = part >= 1 ? 1 : (part - 0.15) / (1 - 0.15);
    value = part * part <= 0.15 * 0.15 ? 0 : part * (wanted / part);
  }
};

struct HandPad {
  HandPanel panel;
  HandStick move, look;
  HandTrigger brake, speed;

  void feed(const omnipar::Report& report) {
    std::uint32_t now = panel.down;
    bool moved = false;
    bool looked = false;
    for (const omnipar::Change& c : report.changes) {
      if (c.code.type == omnipar::ev_abs && c.code.number < 0x10) {
        switch (c.code.number) {
          case 0:
            move.raw_x = c.value;
            moved = true;
            break;
          case 1:
            move.raw_y = c.value;
            moved = true;
            break;
          case 2:
            brake.set(c.value);
            break;
          case 3:
            look.raw_x = c.value;
            looked = true;
            break;
          case 4:
            look.raw_y = c.value;
            looked = true;
            break;
          case 5:
            speed.set(c.value);
            break;
          default:
            break;
        }
      } else {
        now = HandPanel::changed(now, c);
      }
    }
    if (moved) move.settle();
    if (looked) look.settle();
    panel.commit(now);
  }
};

/// All four ports. Units are numbered as in the session.
struct HandTwin {
  std::int64_t now = 0;
  HandPanel panel_1, panel_2;
  HandPad pad_3, pad_4;

  void feed(std::uint32_t unit, const omnipar::Report& report) {
    const std::int64_t time = report.time.time_since_epoch().count();
    if (time > now) now = time;
    switch (unit) {
      case 0:
        return panel_1.feed(report);
      case 1:
        return panel_2.feed(report);
      case 2:
        return pad_3.feed(report);
      default:
        return pad_4.feed(report);
    }
  }
};

}  // namespace bench
