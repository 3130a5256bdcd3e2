// The machine's own numbers: every corner, both ends and exact rest are reached, and nothing flickers.
#include <catch2/catch.hpp>

#include <cmath>
#include <random>

#include "shape/shape.hpp"
#include "support/laid_table.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

struct StickTable {
  explicit StickTable(NativeRange range, TargetGate gate = TargetGate::round, double corner = 0.75)
      : catalogue(kit_catalogue()), table([&] {
          TargetSheet& stick = catalogue.systems[0].controllers[0].targets[4];
          stick.native = range;
          stick.gate = gate;
          stick.corner = corner;
          Profile profile = propose(catalogue, "kit").value();
          Use exact{"left-stick"};
          exact.settings.set("dead-zone", 0);
          profile.ports[0].bind = {{"stick", {exact}}};
          return plan_of(catalogue, profile);
        }()) {
    Attachment unit;
    unit.unit = "Marrowby Stick";
    unit.seat = "seat-1";
    constexpr std::int32_t end = 1'000'000;
    unit.controls = {{code::abs_x, ControlType::two_sided, "left-stick", Axis::x, -end, end, 0},
                     {code::abs_y, ControlType::two_sided, "left-stick", Axis::y, -end, end, 0}};
    id = table.engine.attach(unit).value();
  }
  std::pair<std::int32_t, std::int32_t> at(double x, double y = 0) {
    const auto raw = [](double side) { return static_cast<std::int32_t>(std::lround(side * 1'000'000)); };
    table.feed(id, ++time, {{code::abs_x, raw(x)}, {code::abs_y, raw(y)}});
    table.reader.next_frame();
    return {table.native("stick-x"), table.native("stick-y")};
  }
  Catalogue catalogue;
  Table table;
  UnitId id{};
  std::int64_t time = 0;
};

}  // namespace

TEST_CASE("Every corner of the machine's gate and its exact rest are reached", "[native]") {
  for (const NativeRange& range : {NativeRange{0, 255, 128}, NativeRange{-80, 80, 0}, NativeRange{255, 0, 127},
                                   NativeRange{10, 200, 60, 5, 0}, NativeRange{0, 255, 128, 1, 20}}) {
    CAPTURE(range.minimum, range.maximum, range.rest, range.step, range.dead_band);
    for (const auto& [gate, corner] :
         {std::pair{TargetGate::round, std::sqrt(0.5)}, {TargetGate::square, 1.0}, {TargetGate::octagon, 0.8}}) {
      StickTable stick{range, gate, 0.8};
      CHECK(stick.at(0, 0) == std::pair{range.rest, range.rest});
      CHECK(stick.at(1, 0) == std::pair{range.maximum, range.rest});
      CHECK(stick.at(-1, 0) == std::pair{range.minimum, range.rest});
      CHECK(stick.at(0, 1) == std::pair{range.rest, range.maximum});
      CHECK(stick.at(0, 0) == std::pair{range.rest, range.rest});
      for (const auto& [x, y] : {std::pair{1, 1}, {-1, 1}, {1, -1}, {-1, -1}}) {
        const auto [nx, ny] = stick.at(x, y);
        CHECK(nx == shape::native(range, corner * x));
        CHECK(ny == shape::native(range, corner * y));
        if (gate == TargetGate::square) CHECK(nx == (x > 0 ? range.maximum : range.minimum));
      }
      CHECK(stick.at(0, 0) == std::pair{range.rest, range.rest});
    }
  }
}

TEST_CASE("One degree off the diagonal still reaches the corner, without a jump", "[native]") {
  StickTable stick{{0, 255, 128}, TargetGate::square};
  for (const double off : {-1.1, -0.5, 0.5, 1.1}) {
    const double angle = (45 + off) * 3.14159265358979 / 180;
    CHECK(stick.at(std::cos(angle), std::sin(angle)) == std::pair{255, 255});
  }
  for (const double corner : {0.75, 1.0}) {
    shape::Point before = shape::within_gate({1, 0}, corner);
    for (double degrees = 0; degrees <= 360; degrees += 0.05) {
      const double angle = degrees * 3.14159265358979 / 180;
      const shape::Point now = shape::within_gate({std::cos(angle), std::sin(angle)}, corner);
      CHECK(std::hypot(now.x - before.x, now.y - before.y) < 0.004);
      CHECK(std::fabs(std::remainder(std::atan2(now.y, now.x) - angle, 6.283185307179586)) < 1.25 * 3.14159 / 180);
      before = now;
    }
  }
}

TEST_CASE("Rounding is unbiased, and steps and the dead band match the machine", "[native]") {
  const NativeRange plain{0, 256, 128};
  double sum = 0;
  for (int i = -1000; i <= 1000; ++i) {
    const double value = i / 1000.0;
    CHECK(shape::native(plain, value) - 128 == -(shape::native(plain, -value) - 128));  // asymmetric around rest
    sum += shape::native(plain, value) - (128 + 128 * value);
    CHECK(std::fabs(shape::native(plain, value) - (128 + 128 * value)) <= 0.5);
  }
  CHECK(std::fabs(sum / 2001) < 1e-9);
  const NativeRange coarse{0, 255, 128, 8, 0};
  for (int i = -999; i <= 999; ++i)
    if (const int native = shape::native(coarse, i / 1000.0); native != 0 && native != 255)
      CHECK((native - 128) % 8 == 0);
  const NativeRange banded{0, 255, 128, 1, 20};
  CHECK(shape::native(banded, 0) == 128);
  CHECK(shape::native(banded, 1e-9) == 148);  // the smallest push is visible
  CHECK(shape::native(banded, -1e-9) == 108);
  CHECK(shape::native(banded, 1) == 255);
  int before = 0;
  for (int i = -1000; i <= 1000; ++i) {
    CHECK(shape::native(banded, i / 1000.0) >= before);
    before = shape::native(banded, i / 1000.0);
  }
}

TEST_CASE("A value that jitters between two numbers is shown as one of them", "[native]") {
  StickTable stick{{0, 255, 128}};
  std::mt19937 dice{4};
  std::uniform_real_distribution<double> noise{-0.3, 0.3};
  int changes = 0;
  std::int32_t before = stick.at(0.5).first;
  for (int i = 0; i < 2000; ++i) {  // around the boundary between two numbers, by less than one
    const std::int32_t now = stick.at((63.5 + noise(dice)) / 127).first;
    changes += now != before ? 1 : 0;
    before = now;
  }
  CHECK(changes <= 1);
  // a continued movement is followed at once, never more than one step behind
  for (const double way : {1.0, -1.0})
    for (int i = 0; i <= 2540; ++i) {
      const double exact = way > 0 ? i / 2540.0 : 1 - i / 2540.0;
      const std::int32_t native = stick.at(exact).first;
      CHECK(std::fabs(native - (128 + 127 * exact)) <= 1);
    }
  CHECK(stick.at(0).first == 128);
  CHECK(stick.at(1).first == 255);
}
