// A calibration screen in 60 lines: asks for movements, fits, and shows a full push before and after. The movements are
// simulated here; your program passes the reports of its units to the guide.
#include <cmath>
#include <cstdio>

#include "omnipar/calibrating.hpp"
#include "omnipar/omnipar.hpp"

using namespace omnipar;

namespace {

constexpr double pi = 3.14159265358979323846;

/// A worn pad: its stick rests off-centre, has a square gate, and is mounted askew.
class WornPad {
 public:
  explicit WornPad(Calibrating& guide) : guide_(guide) {
    pad_.unit = "Marrowby Worn Pad";
    pad_.controls = {{code::abs_x, ControlType::two_sided, "left-stick", Axis::x, 0, 255, 128},
                     {code::abs_y, ControlType::two_sided, "left-stick", Axis::y, 0, 255, 128},
                     {code::btn_south, ControlType::button, "south"}};
    guide_.advance(now_);
    guide_.meet(1, pad_);
  }

  /// Holds a position for `ms` milliseconds and passes the reports to the guide.
  void push(double x, double y, int ms) {
    for (int t = 0; t < ms; t += 8) {
      now_ += Duration{8000};
      const double turn = 4 * pi / 180;
      const Change changes[] = {
          {code::abs_x, static_cast<std::int32_t>(std::lround(137 + 90 * (std::cos(turn) * x - std::sin(turn) * y)))},
          {code::abs_y, static_cast<std::int32_t>(std::lround(122 + 80 * (std::sin(turn) * x + std::cos(turn) * y)))}};
      guide_.feed(1, {now_, changes});
    }
  }
  void sweep() {
    for (int i = 0; i <= 600; ++i) {
      const double angle = 2 * pi * 2.5 * i / 600, x = std::cos(angle), y = std::sin(angle);
      const double reach = std::fmin(1, std::fmin(i, 600 - i) / 15.0) / std::fmax(std::fabs(x), std::fabs(y));
      push(reach * x, reach * y, 8);
    }
    push(0, 0, 1500);
  }
  /// Up, right, down or left, and released.
  void push_straight(int number) {
    constexpr int x[] = {0, 1, 0, -1}, y[] = {-1, 0, 1, 0};
    for (int part = 1; part <= 10; ++part) push(x[number] * part / 10.0, y[number] * part / 10.0, 8);
    push(x[number], y[number], 600);
    push(0, 0, 800);
  }
  void press() {
    for (const int down : {1, 0}) {
      now_ += Duration{100'000};
      const Change change[] = {{code::btn_south, down}};
      guide_.feed(1, {now_, change});
    }
  }

 private:
  Calibrating& guide_;
  Attachment pad_;
  Time now_{};
};

}  // namespace

int main() {
  Calibrating guide;
  WornPad pad{guide};
  while (!guide.over()) {
    while (const auto event = guide.next_event())
      if (const std::string words = to_text(*event); !words.empty()) std::printf("%s\n", words.c_str());
    if (guide.step() == CalibrateStep::sweep)
      pad.sweep();
    else if (guide.step() == CalibrateStep::push)
      pad.push_straight(guide.number());
    else if (guide.step() == CalibrateStep::done)
      pad.press();
    else
      pad.push(0, 0, 500);
  }
  const StickCalibration& stick = guide.found().sticks.at(0);
  std::printf("%s gate, rotated by %.1f degrees, rests at %.1f %.1f, a full push is %.0f by %.0f\n",
              std::string{word_of(stick.gate)}.c_str(), stick.turned, stick.rest.x, stick.rest.y, stick.width.x,
              stick.width.y);
  return guide.kept() ? 0 : 1;
}
