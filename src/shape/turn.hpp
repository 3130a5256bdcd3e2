// Turns by an angle, from + - * / alone, so that they are the same everywhere.
#pragma once

#include <cmath>

#include "shape/shape.hpp"

namespace omnipar::shape {

/// The cosine and the sine of an angle.
struct Turn {
  double cosine = 1;
  double sine = 0;
};

/// Of degrees from -360 to 360; exact for quarters. By the series of both around 0, for at most half a right angle.
[[nodiscard]] inline Turn turn_by(double degrees) noexcept {
  const double quarters = std::round(degrees / 90);
  constexpr double per_degree = 0.01745329251994329577;
  const double angle = (degrees - quarters * 90) * per_degree;
  const double square = angle * angle;
  double cosine = 1, sine = 1;
  for (int n = 20; n >= 2; n -= 2) {  // |angle| <= 0.786: what is left out is below 1e-24
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

}  // namespace omnipar::shape
