// How far a person's shots scatter: what is known before the first one, and what the shots add to that.
#pragma once

#include <array>
#include <vector>

namespace omnipar::inline abi_0::calibrate {

/// The unknown standard deviation of a shot on each axis, in widths of the screen, as a weighted list of values. Before
/// the first shot, the weights cover everyone from a rested elbow to a tired arm.
class AimSpread {
 public:
  static constexpr std::size_t steps = 48;
  /// Of an observation: the logarithm of how likely it is for each value of the list, up to a constant.
  using Likelihood = std::array<double, steps>;

  /// `of_gun`: what the gun alone adds to each shot.
  explicit AimSpread(double of_gun);

  /// The list, in rising order.
  [[nodiscard]] const std::array<double, steps>& sizes() const noexcept { return size_; }
  /// The logarithm of how likely the observation is by the present weights.
  [[nodiscard]] double evidence(const Likelihood& observed) const;
  /// Updates the weights by the observation.
  void learn(const Likelihood& observed);

  /// The typical value, by the present weights.
  [[nodiscard]] double typical() const;
  /// Of sizes that were drawn for a standard deviation of 1, in rising order: how likely one is above this size.
  [[nodiscard]] double exceeded(const std::vector<double>& sizes, double bound) const;

 private:
  std::array<double, steps> size_{};
  std::array<double, steps> log_weight_{};
};

}  // namespace omnipar::inline abi_0::calibrate
