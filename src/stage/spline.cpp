#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double quarter = 0.25;
constexpr Field fields[] = {
    {"at-quarter", Measure::number, "output at a quarter of a push; default 0.25", 0, 1,
     [](std::string_view, const Values&) noexcept { return quarter; }},
    {"at-half", Measure::number, "output at half a push; default 0.5", 0, 1,
     [](std::string_view, const Values&) noexcept { return 2 * quarter; }},
    {"at-three-quarters", Measure::number, "output at three quarters of a push; default 0.75", 0, 1,
     [](std::string_view, const Values&) noexcept { return 3 * quarter; }},
};

/// numbers: the three values, and the slopes at all five points (F. N. Fritsch and J. Butland, 1984: the harmonic mean
/// of the slopes on both sides, so that the curve rises wherever its points do). At both ends, the slope of the
/// segment.
Constants prepare(const Values& values, RoleKind) {
  const double at[] = {0, values[0], values[1], values[2], 1};
  Constants constants;
  constants.numbers = {values[0], values[1], values[2]};
  const auto slope = [&at](std::size_t side) { return (at[side + 1] - at[side]) / quarter; };
  constants.numbers[3] = slope(0);
  for (std::size_t i = 1; i < 4; ++i) {
    const double before = slope(i - 1), after = slope(i);
    constants.numbers.at(3 + i) = before * after <= 0 ? 0 : 2 * before * after / (before + after);
  }
  constants.numbers[7] = slope(3);
  return constants;
}

/// The cubic through two points with the given slopes, a quarter apart.
double curved(const Constants& constants, double length) noexcept {
  const auto side = static_cast<std::size_t>(std::fmin(3, length / quarter));
  const auto at = [&constants](std::size_t i) { return i == 0 ? 0 : i == 4 ? 1 : constants.numbers.at(i - 1); };
  const double t = length / quarter - static_cast<double>(side), u = 1 - t;
  return u * u * (1 + 2 * t) * at(side) + t * t * (1 + 2 * u) * at(side + 1) +
         quarter * t * u * (u * constants.numbers.at(3 + side) - t * constants.numbers.at(4 + side));
}

shape::Point move(const Constants& constants, shape::Point point) noexcept {
  const double length = std::fmin(1, length_of(point));
  return length == 0 ? point : scaled(point, curved(constants, length) / length_of(point));
}

}  // namespace

constinit const Kind spline{
    .name = "points",
    .about = "Applies a curve from rest to the end through three points.",
    .formula =
        "a piecewise cubic through (0, 0), the three points in non-decreasing order, and (1, 1); the slope at each "
        "point is the harmonic mean of the adjacent slopes, at both ends the adjacent slope; lengths above 1 count as "
        "1",
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] > values[1] || values[1] > values[2] ? "not below the points before it"
                                                                                 : ""};
        },
    .acts =
        [](const Values& values) noexcept {
          return values[0] != quarter || values[1] != 2 * quarter || values[2] != 3 * quarter;
        },
    .words =
        [](const Values& values) { return fmt::format("through {:g}, {:g}, {:g}", values[0], values[1], values[2]); },
    .prepare = prepare,
    .move = move};

}  // namespace omnipar::inline abi_0::stage
