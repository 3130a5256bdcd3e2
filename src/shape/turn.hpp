// Rotations by an angle, from + - * / alone, so that results are the same everywhere.
#pragma once

#include <cmath>

#include "shape/shape.hpp"

namespace omnipar::inline abi_0::shape {

/// The cosine and the sine of an angle.
struct Turn {
  double cosine = 1;
  double sine = 0;
};

/// For degrees from -360 to 360; exact for multiples of 90. By the series of both around 0, up to half a right angle.
[[nodiscard]] inline Turn turn_by(double degrees) noexcept {
  const double quarters = std::round(degrees / 90);
  constexpr double per_degree = 0.01745329251994329577;
  const double angle = (degrees - quarters * 90) * per_degree;
  const double square = angle * angle;
  double cosine = 1, sine = 1;
  for (int n = 20; n >= 2; n -= 2) {  // |angle| <= 0.786: the remainder is below 1e-24
    cosine = 1 - square / (n * (n - 1)) * cosine;
    sine = 1 - square / (n * (n + 1)) * sine;
  }
  sine *= angle;
  switch (((static_cast<int>(quarters) % 4) + 4) % 4) {
    case 1:
      return {-sine, cosine};
    case 2:
      return {-cosine, -sine};
    case 3:
      return {sine, -cosine};
    default:
      return {cosine, sine};
  }
}

/// From x towards y.
[[nodiscard]] inline Point turned(Point point, const Turn& by) noexcept {
  return {by.cosine * point.x - by.sine * point.y, by.sine * point.x + by.cosine * point.y};
}

/// The angle of a point, -180 to 180 degrees from right towards down; 0 for the origin. The series of the arc tangent
/// is applied after halving the angle twice: tan(a / 2) = t / (1 + sqrt(1 + t^2)).
[[nodiscard]] inline double angle_of(Point point) noexcept {
  const double across = std::fabs(point.x), down = std::fabs(point.y);
  const double longer = std::fmax(across, down);
  if (longer == 0) return 0;
  const auto half = [](double t) { return t / (1 + std::sqrt(1 + t * t)); };
  const double t = half(half(std::fmin(across, down) / longer));  // at most 0.199
  double sum = 0;
  for (int n = 25; n >= 1; n -= 2) sum = 1.0 / n - t * t * sum;  // the remainder is below 1e-20
  constexpr double degrees = 57.29577951308232087680;
  double angle = 4 * t * sum * degrees;
  if (down > across) angle = 90 - angle;
  if (point.x < 0) angle = 180 - angle;
  return point.y < 0 ? -angle : angle;
}

}  // namespace omnipar::inline abi_0::shape
