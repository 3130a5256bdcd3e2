// The laws of shapes.
#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>
#include <random>
#include <vector>

#include "stage/laws.hpp"
#include "stage/table.hpp"

using namespace omnipar;
using shape::Point;
using stage::Kind;
using stage::Trail;
using stage::Values;

namespace {

double length(Point p) { return std::sqrt(p.x * p.x + p.y * p.y); }

/// Positions of sticks and axes: the centre, ends, diagonals, and random ones; none is longer than 1.
std::vector<Point> positions() {
  std::vector<Point> all{{0, 0}, {1, 0}, {-1, 0}, {0, 1}, {0, -1}, {1e-9, 0}, {0.6, -0.8}, {-0.6, -0.8}};
  std::mt19937 dice{3};
  std::uniform_real_distribution<double> any{-0.7, 0.7};
  for (int i = 0; i < 300; ++i) all.push_back({any(dice), i % 3 == 0 ? 0 : any(dice)});
  return all;
}

Point moved(const Kind& kind, Values values, Point p, RoleKind role = RoleKind::stick) {
  return kind.move(kind.prepare(values, role), p);
}

/// Laws of shapes by length: rest stays rest, the direction is kept, longer is not shorter, and a full push
/// stays a full push.
void check_radial(const Kind& kind, Values values) {
  CAPTURE(kind.name, values[0]);
  CHECK(moved(kind, values, {}).at_rest());
  for (const Point& p : positions()) {
    const Point q = moved(kind, values, p);
    CAPTURE(p.x, p.y, q.x, q.y);
    CHECK(length(q) <= 1 + 1e-12);
    CHECK(std::abs(p.x * q.y - p.y * q.x) < 1e-12);
    CHECK(p.x * q.x + p.y * q.y >= 0);
    const Point opposite = moved(kind, values, {-p.x, -p.y});
    CHECK((opposite.x == -q.x && opposite.y == -q.y));
    CHECK(length(moved(kind, values, {p.x * 0.9, p.y * 0.9})) <= length(q) + 1e-12);
  }
  CHECK(moved(kind, values, {-1, 0}) == Point{-1, 0});
}

/// A push of that length in that direction, in degrees from right towards down.
Point push(double length, double degrees) {
  const double angle = degrees * std::numbers::pi / 180;
  return {length * std::cos(angle), length * std::sin(angle)};
}

double degrees_of(Point p) { return std::atan2(p.y, p.x) * 180 / std::numbers::pi; }

/// Antisymmetric, never shorter for a longer push in the same direction, and without a jump except where `jumps`.
void check_plain(const Kind& kind, Values values, bool jumps = false) {
  for (const Point& p : positions()) {
    CAPTURE(kind.name, p.x, p.y);
    const Point q = moved(kind, values, p), opposite = moved(kind, values, {-p.x, -p.y});
    CHECK((opposite.x == -q.x && opposite.y == -q.y));
    CHECK(length(moved(kind, values, {p.x * 0.9, p.y * 0.9})) <= length(q) + 1e-12);
    if (jumps) continue;
    const Point near = moved(kind, values, {p.x + 1e-9, p.y - 1e-9});
    CHECK(std::hypot(near.x - q.x, near.y - q.y) < 1e-6);
  }
}

/// All output for a sequence of positions, each held for a number of ticks.
std::vector<Point> followed(const Kind& kind, Values values, const std::vector<Point>& goals, int ticks) {
  const stage::Constants constants = kind.prepare(values, RoleKind::stick);
  Trail trail;
  std::vector<Point> out;
  for (const Point& goal : goals) {
    trail.goal = goal;
    out.push_back(kind.follow(constants, trail, false));
    for (int i = 0; i < ticks; ++i)
      if (trail.moves != 0) out.push_back(kind.follow(constants, trail, true));
  }
  return out;
}

}  // namespace

const test::Laws& test::shape_laws() {
  static const Laws all{
      {"inversion",
       [](const Kind& kind) {
         for (const Point& p : positions()) {
           CHECK(moved(kind, {1, 0}, p) == Point{-p.x, p.y});
           CHECK(moved(kind, {0, 1}, p) == Point{p.x, -p.y});
           CHECK(moved(kind, {1, 1}, moved(kind, {1, 1}, p)) == p);
         }
         CHECK(moved(kind, {1, 0}, {0, 0}, RoleKind::one_sided).x == 1);  // a trigger's ends are exchanged
         CHECK(moved(kind, {1, 0}, {1, 0}, RoleKind::one_sided).x == 0);
       }},
      {"dead zone",
       [](const Kind& kind) {
         for (const double size : {0.0, 0.15, 0.5, 0.9}) check_radial(kind, {size});
         CHECK(moved(kind, {0.5}, {0.3, 0.4}).at_rest());
         CHECK(moved(kind, {0.5}, {0.75, 0}).x == Approx(0.5));
         CHECK(length(moved(kind, {0}, {1, 1})) == Approx(1));  // the corners of a square stick
         for (const double outer : {0.1, 0.4}) {
           check_radial(kind, {0.2, outer});
           CHECK(moved(kind, {0.2, outer}, {1 - outer, 0}).x == 1);
           CHECK(moved(kind, {0.2, outer}, {0.2 + (0.8 - outer) / 2, 0}).x == Approx(0.5));
         }
         CHECK_FALSE(kind.conflict({0.5, 0.6}).empty());
       }},
      {"curve",
       [](const Kind& kind) {
         for (const double power : {0.2, 0.5, 1.0, 2.0, 5.0}) check_radial(kind, {power});
         CHECK(moved(kind, {2}, {0.5, 0}).x == Approx(0.25));
         CHECK(moved(kind, {0.5}, {0.15, 0.2}).y == Approx(0.4));
       }},
      {"anti-dead zone",
       [](const Kind& kind) {
         for (const double begin : {0.1, 0.2, 0.9}) check_radial(kind, {begin});
         CHECK(moved(kind, {0.2}, {1e-9, 0}).x == Approx(0.2));
         CHECK(moved(kind, {0.2}, {0, 0.5}).y == Approx(0.6));
         // a game's dead zone is compensated
         const Point p{0.3, 0.2};
         const Point q = moved(stage::dead_zone, {0.2}, moved(kind, {0.2}, p));
         CHECK((q.x == Approx(p.x) && q.y == Approx(p.y)));
       }},
      {"mounting",
       [](const Kind& kind) {
         for (const double degrees : {-180.0, -90.0, -7.0, 0.5, 45.0, 90.0, 170.0}) {
           check_plain(kind, {0, degrees});
           for (const Point& p : positions()) {
             CHECK(length(moved(kind, {0, degrees}, p)) == Approx(length(p)).margin(1e-12));
             const Point back = moved(kind, {0, -degrees}, moved(kind, {0, degrees}, p));
             CHECK(std::hypot(back.x - p.x, back.y - p.y) < 1e-12);
             CHECK(moved(kind, {1, 0}, p) == Point{p.y, p.x});
           }
           CHECK(std::remainder(degrees_of(moved(kind, {0, degrees}, {1, 0})) - degrees, 360) ==
                 Approx(0).margin(1e-9));
         }
         CHECK(moved(kind, {0, 90}, {1, 0}) == Point{0, 1});
       }},
      {"side",
       [](const Kind& kind) {
         CHECK(moved(kind, {1}, {0.7, 0}, RoleKind::one_sided) == Point{-0.7, 0});
         CHECK(moved(kind, {1}, {0, 0}, RoleKind::one_sided).at_rest());
       }},
      {"axial dead zone",
       [](const Kind& kind) {
         for (const double size : {0.1, 0.5, 0.9}) {
           check_plain(kind, {size});
           CHECK(moved(kind, {size}, {1, 0}) == Point{1, 0});
           CHECK(moved(kind, {size}, {size, -size}).at_rest());
         }
         CHECK(moved(kind, {0.2}, {0.6, 0.1}).y == 0);
         CHECK(moved(kind, {0.2}, {0.6, 0.1}).x == Approx(0.5));
       }},
      {"snap",
       [](const Kind& kind) {
         check_plain(kind, {10}, true);
         for (const double border : {5.0, 10.0, 44.0})
           for (double at = 0; at < 360; at += 0.5) {
             const double off = std::fabs(std::remainder(at, 90));
             if (std::fabs(off - border) < 1e-6) continue;
             const Point q = moved(kind, {border}, push(0.8, at));
             CHECK(length(q) == Approx(0.8));  // a jump of direction, never of length
             if (off < border) CHECK((q.x == 0 || q.y == 0));
             if (off > border) CHECK(q == push(0.8, at));
           }
       }},
      {"ways",
       [](const Kind& kind) {
         for (const double ways : {4.0, 8.0})
           for (const double more : {0.0, 6.0, 20.0}) {
             const double half = 180 / ways;
             // slowly all around, back and forth: the direction changes only when the push is past the border by the
             // hysteresis
             for (const double sign : {1.0, -1.0}) {
               std::vector<Point> goals;
               for (double at = 0; at < 720; at += 0.25) goals.push_back(push(0.5, sign * at));
               const std::vector<Point> out = followed(kind, {ways, more}, goals, 0);
               REQUIRE(out.size() == goals.size());
               for (std::size_t i = 0; i < out.size(); ++i) {
                 const double middle = degrees_of(out[i]);
                 CHECK(std::fabs(std::remainder(middle, 2 * half)) < 1e-9);
                 CHECK(length(out[i]) == Approx(0.5));
                 const double off = std::remainder(sign * 0.25 * double(i) - middle, 360);
                 CHECK(std::fabs(off) <= half + more + 1e-9);
                 if (i > 200) CHECK(sign * off >= -half + more - 0.26);  // and the change came late, never early
               }
             }
           }
         CHECK(followed(kind, {4, 6}, {{0.5, 0.1}, {0, 0}, {0.1, 0.5}}, 0)[2] == Point{0, length({0.1, 0.5})});
         CHECK_FALSE(kind.conflict({5, 6}).empty());
       }},
      {"points",
       [](const Kind& kind) {
         std::mt19937 dice{5};
         std::uniform_real_distribution<double> any{0, 1};
         for (int i = 0; i < 60; ++i) {
           Values values{any(dice), any(dice), any(dice)};
           std::ranges::sort(values);
           check_radial(kind, values);
           check_plain(kind, values);
           for (std::size_t at = 0; at < 3; ++at)
             CHECK(moved(kind, values, {0.25 * double(at + 1), 0}).x == Approx(values[at]));
           double before = 0;
           for (double x = 0; x <= 1; x += 1e-3) {
             const double y = moved(kind, values, {x, 0}).x;
             CHECK(y >= before - 1e-12);
             before = y;
           }
         }
         for (const Point& p : positions()) {  // the identity curve changes nothing
           const Point q = moved(kind, {0.25, 0.5, 0.75}, p);
           CHECK(std::hypot(q.x - p.x, q.y - p.y) < 1e-12);
         }
         CHECK_FALSE(kind.conflict({0.5, 0.4, 0.6}).empty());
       }},
      {"outline",
       [](const Kind& kind) {
         check_plain(kind, {1, 0});
         check_plain(kind, {0, 1});
         for (double at = 0; at < 360; ++at) {
           const Point corner = moved(kind, {1, 0}, push(1, at));
           CHECK(std::fmax(std::fabs(corner.x), std::fabs(corner.y)) == Approx(1));
           for (const double far : {0.01, 0.5, 1.0}) {
             const Point p = push(far, at), there = moved(kind, {0, 1}, moved(kind, {1, 0}, p));
             CHECK(std::hypot(there.x - p.x, there.y - p.y) < 1e-6);
             CHECK(degrees_of(moved(kind, {1, 0}, p)) == Approx(degrees_of(p)).margin(1e-9));
           }
         }
         CHECK_FALSE(kind.conflict({1, 1}).empty());
       }},
      {"range",
       [](const Kind& kind) {
         check_plain(kind, {0.4});
         CHECK(moved(kind, {0.4}, {0.6, -0.8}) == Point{0.6 * 0.4, -0.8 * 0.4});
       }},
      {"slew limit",
       [](const Kind& kind) {
         for (const double speed : {0.5, 4.0, 1000.0}) {
           const Point goal{0.6, -0.8};
           const std::vector<Point> out = followed(kind, {speed}, {goal}, 100'000);
           CHECK(out.back() == goal);
           CHECK(double(out.size() - 1) == Approx(1000 / speed).margin(1.01));
           for (std::size_t i = 1; i < out.size(); ++i) {
             CHECK(length({out[i].x - out[i - 1].x, out[i].y - out[i - 1].y}) <= speed / 1000 + 1e-12);
             CHECK(length(out[i]) <= 1);                                      // never beyond
             CHECK(std::fabs(out[i].x * goal.y - out[i].y * goal.x) < 1e-9);  // and straight
           }
         }
       }},
      {"smoothing",
       [](const Kind& kind) {
         // the formula as published, on a grid of one value per millisecond
         std::mt19937 dice{8};
         std::normal_distribution<double> noise{0, 0.01};
         for (const auto& [lowest, by_speed] : {std::pair{1.0, 0.0}, {0.5, 3.0}, {10.0, 50.0}}) {
           const stage::Constants constants = kind.prepare({lowest, by_speed}, RoleKind::two_sided);
           Trail trail;
           double smooth = 0, speed = 0;
           for (int i = 0; i < 3000; ++i) {
             const double x = (i > 1000 && i < 2000 ? 0.8 : 0.1) + noise(dice);
             trail.goal = {x, 0};
             kind.follow(constants, trail, false);
             if (i > 0) kind.follow(constants, trail, true);
             const auto share = [](double cutoff) {
               const double tau = 1 / (2 * std::numbers::pi * cutoff);
               return 1 / (1 + tau / 0.001);
             };
             if (i == 0) {
               smooth = x;
             } else {
               speed = share(1) * ((x - smooth) / 0.001) + (1 - share(1)) * speed;
               const double a = share(lowest + by_speed * std::fabs(speed));
               smooth = a * x + (1 - a) * smooth;
             }
             REQUIRE(std::fabs(trail.at.x - smooth) < 1e-6);
           }
         }
         CHECK(followed(kind, {0.05, 0}, {{0.2, 0}, {0.9, 0}}, 1'000'000).back() == Point{0.9, 0});  // it arrives
         CHECK(followed(kind, {1, 2}, {{0.4, 0.3}}, 5).size() == 1);  // the first position is reached at once
       }},
  };
  return all;
}
