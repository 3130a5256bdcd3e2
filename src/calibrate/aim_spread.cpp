#include "calibrate/aim_spread.hpp"

#include <algorithm>
#include <cmath>

#include "shape/power.hpp"

namespace omnipar::inline abi_0::calibrate {
namespace {

/// As a fraction of the screen's width: the scatter of people is in this range, uniform in its logarithm.
constexpr double steadiest = 0.0015, shakiest = 0.015;
/// Outside the range the weight falls like a normal distribution of the logarithm with this standard deviation.
constexpr double falls_steady = 0.5, falls_shaky = 0.45;
/// The first and the last value of the list.
constexpr double least = 0.0002, most = 0.2;

double square(double value) noexcept { return value * value; }

double log_prior(double hand) noexcept {
  if (hand < steadiest) return -square(shape::logarithm(hand / steadiest) / falls_steady) / 2;
  if (hand > shakiest) return -square(shape::logarithm(hand / shakiest) / falls_shaky) / 2;
  return 0;
}

/// The logarithm of a sum of numbers given by their logarithms.
template <typename Numbers>
double log_sum(const Numbers& logs) {
  const double largest = *std::ranges::max_element(logs);
  double sum = 0;
  for (const double log : logs)
    if (log - largest > -500) sum += shape::exponential(log - largest);
  return largest + shape::logarithm(sum);
}

}  // namespace

AimSpread::AimSpread(double of_gun) {
  const double ratio = shape::logarithm(most / least) / static_cast<double>(steps - 1);
  for (std::size_t i = 0; i < steps; ++i) {
    const double hand = least * shape::exponential(ratio * static_cast<double>(i));
    size_.at(i) = std::sqrt(square(hand) + square(of_gun));
    log_weight_.at(i) = log_prior(hand);
  }
  const double all = log_sum(log_weight_);
  for (double& weight : log_weight_) weight -= all;
}

double AimSpread::evidence(const Likelihood& observed) const {
  Likelihood all{};
  for (std::size_t i = 0; i < steps; ++i) all.at(i) = log_weight_.at(i) + observed.at(i);
  return log_sum(all);
}

void AimSpread::learn(const Likelihood& observed) {
  const double all = evidence(observed);
  for (std::size_t i = 0; i < steps; ++i)
    log_weight_.at(i) = std::max(log_weight_.at(i) + observed.at(i) - all, -500.0);
}

double AimSpread::typical() const {
  double sum = 0;
  for (std::size_t i = 0; i < steps; ++i) sum += shape::exponential(log_weight_.at(i)) * square(size_.at(i));
  return std::sqrt(sum);
}

double AimSpread::exceeded(const std::vector<double>& sizes, double bound) const {
  double sum = 0;
  for (std::size_t i = 0; i < steps; ++i) {
    const auto above = sizes.end() - std::ranges::upper_bound(sizes, bound / size_.at(i));
    sum += shape::exponential(log_weight_.at(i)) * static_cast<double>(above) / static_cast<double>(sizes.size());
  }
  return sum;
}

}  // namespace omnipar::inline abi_0::calibrate
