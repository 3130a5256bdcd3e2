// Powers, from + - * / alone, so that results are the same everywhere (C libraries differ between processors).
#pragma once

#include <bit>
#include <cstdint>

namespace omnipar::inline abi_0::shape {

/// The natural logarithm of a positive normal number: x = m 2^e, ln m = 2 artanh((m - 1) / (m + 1)).
[[nodiscard]] inline double logarithm(double x) noexcept {
  constexpr double ln_2 = 0.69314718055994530942;
  constexpr double root_2 = 1.41421356237309504880;
  constexpr std::uint64_t fraction = (std::uint64_t{1} << 52) - 1;
  const auto bits = std::bit_cast<std::uint64_t>(x);
  auto exponent = static_cast<std::int64_t>(bits >> 52) - 1023;
  double m = std::bit_cast<double>((bits & fraction) | (std::uint64_t{1023} << 52));
  if (m > root_2) {
    m /= 2;
    ++exponent;
  }
  const double s = (m - 1) / (m + 1);
  const double square = s * s;
  double sum = 0;
  for (int n = 23; n >= 1; n -= 2) sum = sum * square + 1.0 / n;  // |s| <= 0.172: the remainder is below 1e-18
  return static_cast<double>(exponent) * ln_2 + 2 * s * sum;
}

/// e to the x, for -600 to 600: x = k ln 2 + r, by the series of e^r.
[[nodiscard]] inline double exponential(double x) noexcept {
  constexpr double ln_2_high = 0.69314718055989033;  // its last 11 bits are 0, so k times it is exact
  constexpr double ln_2_low = 5.4979230187083711e-14;
  constexpr double per_ln_2 = 1.44269504088896340736;
  const auto k = static_cast<std::int64_t>(x * per_ln_2 + (x < 0 ? -0.5 : 0.5));
  const double r = (x - static_cast<double>(k) * ln_2_high) - static_cast<double>(k) * ln_2_low;
  double sum = 1;
  for (int n = 16; n >= 1; --n) sum = 1 + sum * r / n;  // |r| <= 0.347: the remainder is below 1e-21
  return sum * std::bit_cast<double>(static_cast<std::uint64_t>(k + 1023) << 52);
}

/// `base` to the `exponent`; the base is 0 to 2, the exponent above 0 and at most 100. The relative error is below
/// 1e-13; exact for 0 and 1.
[[nodiscard]] inline double power(double base, double exponent) noexcept {
  constexpr double smallest = 1e-300;
  if (base < smallest) return 0;
  const double x = exponent * logarithm(base);
  return x < -600 ? 0 : exponential(x);
}

}  // namespace omnipar::inline abi_0::shape
