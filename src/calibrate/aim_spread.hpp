// The scatter of a person's shots: a prior distribution, updated by each shot.
#pragma once

#include <array>
#include <vector>

namespace omnipar::inline abi_0::calibrate {

/// The unknown standard deviation of a shot on each axis, in widths of the screen, as a weighted list of values. Before
/// the first shot, the weights cover everyone from a rested elbow to a tired arm.
class AimSpread {
 public:
  static constexpr std::size_t steps = 48;
  /// The log-likelihood of an observation for each value of the list, up to a constant.
  using Likelihood = std::array<double, steps>;

  /// `of_gun`: the gun's own contribution to each shot.
  explicit AimSpread(double of_gun);

  /// The list, in ascending order.
  [[nodiscard]] const std::array<double, steps>& sizes() const noexcept { return size_; }
  /// The log-likelihood of the observation under the current weights.
  [[nodiscard]] double evidence(const Likelihood& observed) const;
  /// Updates the weights with the observation.
  void learn(const Likelihood& observed);

  /// The typical value under the current weights.
  [[nodiscard]] double typical() const;
  /// For sizes drawn with a standard deviation of 1, in ascending order: the probability of exceeding this size.
  [[nodiscard]] double exceeded(const std::vector<double>& sizes, double bound) const;

 private:
  std::array<double, steps> size_{};
  std::array<double, steps> log_weight_{};
};

}  // namespace omnipar::inline abi_0::calibrate
