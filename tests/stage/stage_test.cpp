// The laws of every stage, and what follows from its table row.
#include <catch2/catch.hpp>

#include <cmath>
#include <functional>
#include <map>
#include <random>

#include <fmt/format.h>

#include "engine/slow_twin.hpp"
#include "stage/laws.hpp"
#include "shape/power.hpp"
#include "stage/table.hpp"
#include "support/units.hpp"

using namespace omnipar;
using shape::Point;
using stage::FixedPoint;
using stage::Kind;
using stage::Values;
using test::Laws;

namespace {

/// The position of a moving value after this many ticks.
FixedPoint travelled(const Kind& kind, Values values, Point towards, int ticks) {
  FixedPoint place;
  for (int i = 0; i < ticks; ++i) kind.travel(kind.prepare(values, RoleKind::stick), place, towards, 0);
  return place;
}

/// Which of the pressed directions arrive, one at a time.
std::vector<unsigned> settled(const Kind& kind, double how, const std::vector<unsigned>& on) {
  stage::Directions state;
  std::vector<unsigned> arrive;
  for (const unsigned now : on) {
    state = kind.settle(kind.prepare({how}, RoleKind::dpad), state, static_cast<std::uint8_t>(now));
    arrive.push_back(state.arrive & 15U);
  }
  return arrive;
}

/// A gate's output for "##..#" with one character per millisecond; '#' is on. It receives changes and its deadlines.
std::string passed(const Kind& kind, Values values, std::string_view in) {
  const stage::Constants constants = kind.prepare(values, RoleKind::button);
  constexpr std::int64_t ms = 1000;
  std::string out;
  bool on = false;
  bool before = false;
  std::int64_t wake = stage::Gated::never;
  const auto call = [&](bool now_in, stage::Cause cause, std::int64_t now) {
    const stage::Gated next = kind.step(constants, {now_in, on, wake != stage::Gated::never}, cause, now);
    on = next.out;
    if (next.wake != stage::Gated::as_before) wake = next.wake;
  };
  for (std::size_t i = 0; i < in.size(); ++i) {
    const auto now = static_cast<std::int64_t>(i) * ms;
    if (wake <= now) {
      wake = stage::Gated::never;
      call(before, stage::Cause::deadline, now);
    }
    const bool now_in = in[i] == '#';
    if (now_in != before) call(before = now_in, stage::Cause::input, now);
    out += on ? '#' : '.';
  }
  return out;
}

const Laws& other_laws() {
  static const Laws all{
      {"threshold",
       [](const Kind& kind) {
         CHECK(kind.prepare({0.7, 0.3}, RoleKind::stick).numbers[0] == 0.7);
         CHECK(kind.prepare({0.7, 0}, RoleKind::stick).numbers[1] > 0);  // at rest it is released
         CHECK(kind.conflict({0.5, 0.6}) == "0 to the threshold");
         CHECK(kind.conflict({0.5, 0.5}).empty());
         const stage::Constants passing = kind.prepare({0.7, 0.3}, RoleKind::stick);
         for (const auto& [was, push, is] : {std::tuple{false, 0.69, false},
                                             {false, 0.7, true},
                                             {true, 0.3, true},
                                             {true, 0.29, false},
                                             {false, 0.3, false},
                                             {true, 0.7, true}})
           CHECK(kind.pass(passing, was, push) == is);
       }},
      {"debounce",
       [](const Kind& kind) {
         CHECK(passed(kind, {3000}, "#.#.#....##..#....") == "###......###......");
         CHECK(passed(kind, {3000}, "#####.....") == "#####.....");
       }},
      {"long press", [](const Kind& kind) { CHECK(passed(kind, {3000}, "##..#####.##") == ".......##..."); }},
      {"toggle", [](const Kind& kind) { CHECK(passed(kind, {1}, "##...#.##.#..") == "#####..###..."); }},
      {"autofire",
       [](const Kind& kind) {
         CHECK(passed(kind, {125}, "##########..#####") == "####....##..####.");  // 4 ms on, 4 ms off
         CHECK(kind.conflict({0.01, 0}) == "0, or 0.1 to 100 presses per second");
       }},
      {"ramp",
       [](const Kind& kind) {
         constexpr double full = 281474976710656.0;
         for (const double speed : {0.01, 1.0, 3.0, 1000.0}) {
           const auto step = kind.prepare({speed, speed, speed}, RoleKind::button).numbers[0];
           CHECK(step >= speed / 1000 * full);
           CHECK(step < speed / 1000 * full + 1);
         }
         CHECK(kind.conflict({0.001, 0}) == "0, or 0.01 to 1000 full pushes per second");
         // out, back when released, back from the other side, each at its own speed, and never beyond
         const stage::Constants own = kind.prepare({2, 4, 8}, RoleKind::button);
         FixedPoint lever;
         const auto ticks_to = [&](Point towards) {
           int ticks = 0;
           for (bool there = false; !there; ++ticks) {
             const FixedPoint before = lever;
             there = kind.travel(own, lever, towards, 0);
             const std::int64_t goal = stage::to_fixed(towards.x);
             CHECK((before.x <= goal ? before.x <= lever.x && lever.x <= goal : lever.x >= goal));
           }
           return ticks;
         };
         CHECK(ticks_to({1, 0}) == 500);
         CHECK(ticks_to({0, 0}) == 250);
         CHECK(ticks_to({-1, 0}) == 500);
         CHECK(ticks_to({1, 0}) == 125 + 500);
         CHECK(ticks_to({0.5, 0}) == 250);     // a shorter push in the same direction is not a reversal
         FixedPoint against{stage::whole, 0};  // released while the other side is down
         int ticks = 0;
         while (!kind.travel(own, against, {}, 1)) ++ticks;
         CHECK(ticks + 1 == 125);
         CHECK(travelled(kind, {3, 3, 3}, {0.6, -0.8}, 1000) == FixedPoint{stage::to_fixed(Point{0.6, -0.8})});
         FixedPoint place;
         CHECK_FALSE(kind.travel(kind.prepare({3, 3, 3}, RoleKind::button), place, {1, 0}, 0));
         CHECK(kind.travel(kind.prepare({3, 3, 3}, RoleKind::button), place, {0.003, 0}, 0));
       }},
      {"glide",
       [](const Kind& kind) {
         for (const double speed : {0.3, 1.0, 20.0}) {
           const FixedPoint place = travelled(kind, {speed}, {0.5, -1}, 250);
           CHECK(std::abs(stage::from_fixed(place).x - speed * 0.5 / 4) < 1e-12);
           CHECK(std::abs(stage::from_fixed(place).y + speed / 4) < 1e-12);
           const FixedPoint back = travelled(kind, {speed}, {-0.5, 1}, 250);
           CHECK((back.x == -place.x && back.y == -place.y));
         }
         FixedPoint place;
         CHECK(kind.travel(kind.prepare({1}, RoleKind::stick), place, {}, 0));
         CHECK(place == FixedPoint{});
       }},
      {"drag",
       [](const Kind& kind) {
         for (const double across : {10.0, 1000.0, 100'000.0}) {
           const stage::Constants constants = kind.prepare({across}, RoleKind::movement);
           FixedPoint at_once, bit_by_bit, beyond;
           CHECK(kind.travel(constants, at_once, {across, -across}, 0));
           for (int i = 0; i < 10; ++i) kind.travel(constants, bit_by_bit, {across / 10, -across / 10}, 0);
           kind.travel(constants, beyond, {2e9, -2e9}, 0);
           CHECK(at_once == bit_by_bit);
           CHECK(at_once == beyond);
           CHECK(std::abs(stage::from_fixed(at_once.x) - 1) < 1e-9);
           CHECK(at_once.x == -at_once.y);
         }
       }},
      {"edge",
       [](const Kind& kind) {
         CHECK(kind.words({0.02, 0.1}) == "edge margin 0.02, up to 0.1 beyond the edge");
         CHECK(kind.words({0, 0.5}) == "up to 0.5 beyond the edge");
         CHECK_FALSE(kind.acts({0, 0}));
       }},
      {"hold aim",
       [](const Kind& kind) {
         CHECK(kind.words({60'000}) == "aim held for 60 ms");
         CHECK_FALSE(kind.acts({0}));
       }},
      {"opposites",
       [](const Kind& kind) {
         constexpr unsigned up = 1, down = 2, left = 4, right = 8;
         CHECK(settled(kind, 1, {up, up | down, down, right, right | left}) ==
               std::vector<unsigned>{up, 0, down, right, 0});
         CHECK(settled(kind, 2, {up, up | down, up | down | left, up, down, up | down, 0}) ==
               std::vector<unsigned>{up, down, down | left, up, down, up, 0});
         for (unsigned on = 0; on < 16; ++on) {  // a single direction always arrives
           const bool alone = (on & 3) != 3 && (on & 12) != 12;
           for (const double how : {1.0, 2.0})
             if (alone) CHECK(settled(kind, how, {15, on}).back() == on);
         }
       }},
  };
  return all;
}

}  // namespace

TEST_CASE("Every stage obeys its laws, and the slow twin plays it", "[stage]") {
  for (const Kind* kind : stage::table()) {
    INFO(kind->name);
    const auto& laws = test::shape_laws().contains(kind->name) ? test::shape_laws() : other_laws();
    const auto law = laws.find(kind->name);
    REQUIRE(law != laws.end());
    law->second(*kind);
    CHECK(test::SlowTwin::stages().contains(std::string{kind->name}));
    CHECK(kind->about.ends_with('.'));
    const int steps = (kind->move != nullptr) + (kind->pass != nullptr) + (kind->step != nullptr) +
                      (kind->travel != nullptr) + (kind->settle != nullptr) + (kind->follow != nullptr);
    CHECK(steps == (kind->of_aims ? 0 : 1));  // stages that act on pointers are in the engine
  }
}

TEST_CASE("A stage's table row alone defines reading, checks, writing and documentation", "[stage]") {
  for (const Kind* kind : stage::of_uses())
    for (const stage::Field& field : kind->fields) {
      CAPTURE(field.name);
      const bool flag = field.measure == stage::Measure::flag;
      const double scale = field.measure == stage::Measure::milliseconds ? 1000 : 1;
      const auto with = [&](const std::string& value) {
        return read_sheets("t.toml", fmt::format("omnipar = 1\nkind = \"profile\"\nname = \"t\"\nsystem = \"kit\"\n"
                                                 "[port.1]\nseat = \"one\"\n[port.1.bind]\n"
                                                 "stick = {{ use = \"left-stick\", {} = {} }}\n",
                                                 field.name, value));
      };
      const std::string value = flag ? "true" : fmt::format("{}", field.high / scale);
      const Sheets sheets = with(value);
      REQUIRE(sheets.problems.empty());
      const Profile& profile = sheets.profiles.at(0);
      CHECK(profile.ports[0].bind[0].uses[0].settings.find(field.name) == (flag ? 1 : field.high));
      CHECK(to_toml(profile).find(fmt::format("{} = {}", field.name, value)) != std::string::npos);
      CHECK_FALSE(with(flag ? "1" : fmt::format("{}", field.high / scale + 1)).problems.empty());
      const stage::Values values = stage::values_of(*kind, profile.ports[0].bind[0].uses[0]);
      if (kind->acts(values)) CHECK_FALSE(kind->words(values).empty());
      Profile beyond = profile;
      beyond.ports[0].bind[0].uses[0].settings.set(field.name, field.high + 1);
      const auto refused = compile(test::kit_catalogue(), beyond);
      REQUIRE_FALSE(refused);
      CHECK(refused.error()[0].id == "bad-number");
      CHECK(refused.error()[0].message.find(field.name) != std::string::npos);
    }
  Profile unknown = propose(test::kit_catalogue(), "kit").value();
  Use odd{"left-stick"};
  odd.settings.set("dead-zon", 0.2);
  unknown.ports[0].bind = {{"stick", {odd}}};
  const auto refused = compile(test::kit_catalogue(), unknown);
  REQUIRE_FALSE(refused);
  CHECK(refused.error()[0].id == "unknown-field");
  CHECK(refused.error()[0].hint == "did you mean 'dead-zone'?");
}

TEST_CASE("Powers agree with the C library's, and are exact where an exact result exists", "[stage]") {
  std::mt19937 dice{11};
  std::uniform_real_distribution<double> bases{1e-6, 1.5};
  std::uniform_real_distribution<double> exponents{0.2, 5};
  for (int i = 0; i < 20'000; ++i) {
    const double base = bases(dice);
    const double exponent = exponents(dice);
    const double exact = std::pow(base, exponent);
    CAPTURE(base, exponent);
    REQUIRE(std::abs(shape::power(base, exponent) - exact) <= exact * 1e-13);
  }
  for (const double exponent : {0.2, 1.0, 2.7, 5.0}) {
    CHECK(shape::power(1, exponent) == 1);
    CHECK(shape::power(0, exponent) == 0);
  }
}
