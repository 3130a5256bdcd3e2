// For any stick and any way of holding it, the guide ends with a valid calibration or a true reason.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include <fmt/format.h>

#include "attach/measured.hpp"
#include "calibrate/hands.hpp"
#include "shape/measured.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;
using Kind = CalibrateEvent::Kind;

namespace {

constexpr double per_degree = std::numbers::pi / 180;

/// Sticks as found in practice.
MadeStick any_stick(std::mt19937& dice) {
  const auto any = [&dice](double low, double high) { return std::uniform_real_distribution<double>{low, high}(dice); };
  const auto one_in = [&dice](unsigned n) { return dice() % n == 0; };
  MadeStick stick;
  stick.gate = std::array{StickGate::round, StickGate::square, StickGate::octagon}.at(dice() % 3);
  const int bits = std::array{8, 10, 12, 16}.at(dice() % 4);
  const std::int32_t most = (1 << bits) - 1;
  stick.range = one_in(2) ? DeclaredRange{0, most} : DeclaredRange{-(most / 2) - 1, most / 2};
  const double half = stick.half_range(), middle = (double(stick.range.minimum) + stick.range.maximum) / 2;
  const double reach = one_in(4) ? any(0.08, 0.35) : any(0.6, 1.0);
  stick.width_x = reach * half;
  stick.width_y = stick.width_x * any(0.8, 1);
  stick.rest_x = middle + any(-0.15, 0.15) * reach * half;
  stick.rest_y = middle + any(-0.15, 0.15) * reach * half;
  stick.turned = (one_in(3) ? 45.0 * double(dice() % 8) : 0) + any(-4, 4);
  stick.mirrored = one_in(6);
  stick.noise = any(0, one_in(3) ? 0.06 : 0.015) * reach;
  stick.long_spikes = one_in(3) ? any(0.0002, 0.004) : 0;
  stick.hysteresis = one_in(2) ? any(0.01, 0.06) : 0;
  stick.creep = one_in(3) ? any(0, 0.03) : 0;
  stick.saturates = one_in(6) ? any(0.85, 1) : 9;
  stick.corner_radius = stick.gate == StickGate::square && one_in(3) ? any(0.1, 0.6) : 0;
  if (one_in(6)) stick.step = std::max(1.0, std::floor(2 * reach * half / 40));
  return stick;
}

double rate_ms(std::mt19937& dice) { return std::array{33.0, 16.0, 8.0, 4.0}.at(dice() % 4); }

struct Outcome {
  bool kept = false;
  double direction = 0;  ///< degrees off at full deflection, at most
  double missing = 0;    ///< of a full push
  double at_rest = 1;    ///< the share of releases that end at rest
};

Outcome judged(const MadeStick& stick, const StickCalibration& kept, std::mt19937& dice) {
  Outcome out{true, 0, 0, 0};
  const auto map = shape::stick_map(kept);
  REQUIRE(map);
  Attachment attachment;
  attachment.sticks = {kept};
  const double zone = attach::dead_zone_for(attachment, kept.x, 0.15);
  int rests = 0, all = 0;
  for (int degrees = 0; degrees < 360; degrees += 6) {
    const double angle = degrees * per_degree, far = stick.to_its_gate(angle);
    const RawPoint raw = stick.rounded(stick.exact(far * std::cos(angle), far * std::sin(angle)));
    const shape::Point full = shape::position(*map, raw.x, raw.y);
    out.direction =
        std::max(out.direction,
                 std::fabs(std::remainder(std::atan2(full.y, full.x) - angle, 2 * std::numbers::pi)) / per_degree);
    out.missing = std::max(out.missing, 1 - std::hypot(full.x, full.y));
    const double stops = stick.hysteresis * std::uniform_real_distribution<double>{0.7, 1}(dice) + stick.creep;
    const RawPoint rest = stick.reading(stops * std::cos(angle), stops * std::sin(angle), dice);
    const shape::Point at = shape::position(*map, rest.x, rest.y);
    rests += std::hypot(at.x, at.y) <= zone ? 1 : 0;
    ++all;
  }
  out.at_rest = double(rests) / all;
  return out;
}

}  // namespace

TEST_CASE("For any stick the guide ends with a valid calibration", "[calibrate]") {
  const int all = cases(120, 1500);
  int kept = 0, left_out = 0, turned_wrong = 0, short_of_it = 0, restless = 0;
  std::map<std::string, int> reasons;
  std::vector<double> directions;
  for (int i = 0; i < all; ++i) {
    std::mt19937 dice{static_cast<unsigned>(i)};
    const MadeStick stick = any_stick(dice);
    Hands hands{stick, static_cast<unsigned>(i), {.only = {"left-stick"}}};
    hands.report_ms = rate_ms(dice);
    hands.manner.sweep = std::uniform_real_distribution<double>{0.85, 1}(dice);
    hands.to_the_end();
    CAPTURE(i, hands.said);
    REQUIRE(hands.guide.over());
    if (!hands.guide.kept()) {
      ++left_out;
      constexpr std::string_view introduction = "because of the same problem again: ";
      const std::size_t reason = hands.said.find(introduction);
      REQUIRE(reason != std::string::npos);
      ++reasons[hands.said.substr(reason + introduction.size(), 30)];
      continue;
    }
    ++kept;
    const StickCalibration& found = hands.guide.found().sticks.at(0);
    CHECK(found.self_centering);
    const Outcome out = judged(stick, found, dice);
    directions.push_back(out.direction);
    turned_wrong += out.direction > 20 ? 1 : 0;
    short_of_it += out.missing > 0.06 ? 1 : 0;
    restless += out.at_rest < 0.97 ? 1 : 0;
  }
  std::ranges::sort(directions);
  std::string words = fmt::format(
      "of {} sticks {} kept, {} left out; more than 20 degrees off {}, a full push more than 6 % short {}, not at rest "
      "when released {}; directions: half within {:.1f}, 95 of 100 within {:.1f} degrees",
      all, kept, left_out, turned_wrong, short_of_it, restless, directions[directions.size() / 2],
      directions[directions.size() * 95 / 100]);
  for (const auto& [reason, count] : reasons) words += fmt::format("; {} {}", count, reason);
  if (full_counts()) WARN(words);
  INFO(words);
  CHECK(kept >= all * 98 / 100);
  CHECK(turned_wrong <= all / 100);
  CHECK(short_of_it <= std::max(6, all / 30));  // an incomplete sweep of a stick that saturates on one side
  CHECK(restless <= all / 50);
}
