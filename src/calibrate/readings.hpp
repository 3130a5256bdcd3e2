// Robust numbers of readings: medians, quantiles, and readings without their spikes.
#pragma once

#include <vector>

#include "omnipar/calibration.hpp"

namespace omnipar::inline abi_0::calibrate {

/// The value below which that part of them is; 0 of none.
[[nodiscard]] double quantile(std::vector<double> values, double part);
[[nodiscard]] inline double median(std::vector<double> values) { return quantile(std::move(values), 0.5); }
[[nodiscard]] RawPoint median(const std::vector<RawPoint>& points);
[[nodiscard]] std::vector<double> of_x(const std::vector<RawPoint>& points);
[[nodiscard]] std::vector<double> of_y(const std::vector<RawPoint>& points);

/// What a unit can say, which has 32 bits: neither infinite, nor not a number.
[[nodiscard]] bool is_raw(double value) noexcept;
[[nodiscard]] inline bool is_raw(RawPoint at) noexcept { return is_raw(at.x) && is_raw(at.y); }

/// The smallest difference between two of them that differ; 0 if all are equal.
[[nodiscard]] double smallest_step(std::vector<double> values);

/// Readings without those that are far from what came right before and behind them: up to four reports of nonsense.
template <typename T>
struct Clean {
  std::vector<T> readings;
  int spikes = 0;
};
/// `span`: the whole way.
[[nodiscard]] Clean<RawPoint> clean(const std::vector<RawPoint>& points, RawPoint span);
[[nodiscard]] Clean<double> clean(const std::vector<double>& values, double span);

/// True if a sweep went around faster than readings follow: from one to the next by more than 28 degrees, in a quarter
/// of all that are away from the rest. `half`: half the way.
[[nodiscard]] bool is_too_fast(const std::vector<RawPoint>& sweep, RawPoint rest, RawPoint half);

/// Where it rests, finer than a reading where noise goes to and fro over several.
struct Rest {
  RawPoint at;
  double noise = 0;  ///< raw: 995 of 1000 readings are nearer
  double drift = 0;  ///< raw: from the first quarter of the time to the last
  int spikes = 0;
};
[[nodiscard]] Rest rest_of(const std::vector<RawPoint>& points, RawPoint span);

}  // namespace omnipar::inline abi_0::calibrate
