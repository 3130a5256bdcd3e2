// Robust statistics of readings: medians, quantiles, and readings without spikes.
#pragma once

#include <vector>

#include "omnipar/calibration.hpp"

namespace omnipar::inline abi_0::calibrate {

/// The quantile for that fraction; 0 without readings.
[[nodiscard]] double quantile(std::vector<double> values, double part);
[[nodiscard]] inline double median(std::vector<double> values) { return quantile(std::move(values), 0.5); }
[[nodiscard]] RawPoint median(const std::vector<RawPoint>& points);
[[nodiscard]] std::vector<double> of_x(const std::vector<RawPoint>& points);
[[nodiscard]] std::vector<double> of_y(const std::vector<RawPoint>& points);

/// A value that a unit with 32 bits can report: finite, and not NaN.
[[nodiscard]] bool is_raw(double value) noexcept;
[[nodiscard]] inline bool is_raw(RawPoint at) noexcept { return is_raw(at.x) && is_raw(at.y); }

/// The smallest difference between two distinct readings; 0 if all are equal.
[[nodiscard]] double smallest_step(std::vector<double> values);

/// Readings without those that are far from the ones just before and after them: up to four invalid reports.
template <typename T>
struct Clean {
  std::vector<T> readings;
  int spikes = 0;
};
/// `span`: the whole range.
[[nodiscard]] Clean<RawPoint> clean(const std::vector<RawPoint>& points, RawPoint span);
[[nodiscard]] Clean<double> clean(const std::vector<double>& values, double span);

/// True if a sweep was too fast for the readings: more than 28 degrees from one to the next, for a quarter
/// of all readings away from rest. `half`: half the range.
[[nodiscard]] bool is_too_fast(const std::vector<RawPoint>& sweep, RawPoint rest, RawPoint half);

/// The rest position, finer than one step if noise covers several steps.
struct Rest {
  RawPoint at;
  double noise = 0;  ///< raw: 995 of 1000 readings are closer
  double drift = 0;  ///< raw: from the first quarter of the time to the last
  int spikes = 0;
};
[[nodiscard]] Rest rest_of(const std::vector<RawPoint>& points, RawPoint span);

}  // namespace omnipar::inline abi_0::calibrate
