#include "calibrate/readings.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <span>

#include "shape/turn.hpp"

namespace omnipar::inline abi_0::calibrate {

bool is_raw(double value) noexcept {
  return value >= std::numeric_limits<std::int32_t>::min() && value <= std::numeric_limits<std::int32_t>::max();
}
namespace {

/// A reading further than this fraction of the range from the median of its neighbours is a spike.
constexpr double spike = 0.12;

/// The number of readings per report: with one per time step, several readings of a slow unit are the same report.
/// Estimated from the runs of equal readings while it moves.
template <typename T>
std::size_t readings_in_report(const std::vector<T>& values) {
  std::vector<double> runs;
  std::size_t length = 1;
  for (std::size_t i = 1; i < values.size(); ++i) {
    if (values[i] == values[i - 1]) {
      ++length;
      continue;
    }
    runs.push_back(static_cast<double>(length));
    length = 1;
  }
  constexpr double slowest = 9;  // 30 reports per second
  constexpr std::size_t least = 20;
  if (runs.size() < least) return 1;
  return static_cast<std::size_t>(std::clamp(std::ceil(quantile(runs, 0.3)), 1.0, slowest));
}

/// Enough readings that four bad reports are fewer than half of them.
template <typename T>
std::size_t window_for(const std::vector<T>& values) {
  return 8 * readings_in_report(values) + 3;
}

/// The medians of the windows that end at, are centred on, and begin at each reading.
struct Medians {
  std::vector<double> before, around, after;
};
Medians medians_of(const std::vector<double>& values, std::size_t window) {
  const std::size_t count = values.size(), width = std::min(window, count);
  std::vector<double> sorted, by_first;  // the current window; its median, by starting index
  for (std::size_t last = 0; last < count; ++last) {
    sorted.insert(std::ranges::upper_bound(sorted, values[last]), values[last]);
    if (sorted.size() < width) continue;
    by_first.push_back(sorted[width / 2]);
    sorted.erase(std::ranges::lower_bound(sorted, values[last + 1 - width]));
  }
  Medians all;
  for (std::size_t i = 0; i < count; ++i) {
    const auto from = [&](std::size_t first) { return by_first[std::min(first, by_first.size() - 1)]; };
    all.before.push_back(from(i < width - 1 ? 0 : i - (width - 1)));
    all.around.push_back(from(i < width / 2 ? 0 : i - width / 2));
    all.after.push_back(from(i));
  }
  return all;
}

/// Finds spikes: readings far from the positions before, around and after them. Readings between those positions are
/// part of a movement.
std::vector<bool> spikes_of(const std::vector<double>& values, std::size_t window, double far) {
  std::vector<bool> spikes(values.size());
  if (values.empty()) return spikes;
  const Medians medians = medians_of(values, window);
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto [least, most] = std::minmax({medians.before[i], medians.around[i], medians.after[i]});
    spikes[i] = values[i] < least - far || values[i] > most + far;
  }
  return spikes;
}

RawPoint median_of(std::span<const RawPoint> points) {
  return median(std::vector<RawPoint>{points.begin(), points.end()});
}

double distance(RawPoint a, RawPoint b) { return std::sqrt((a.x - b.x) * (a.x - b.x) + (a.y - b.y) * (a.y - b.y)); }

}  // namespace

double smallest_step(std::vector<double> values) {
  std::ranges::sort(values);
  double least = 0;
  for (std::size_t i = 1; i < values.size(); ++i)
    if (const double step = values[i] - values[i - 1]; step > 0 && (least == 0 || step < least)) least = step;
  return least;
}

double quantile(std::vector<double> values, double part) {
  if (values.empty()) return 0;
  const auto at =
      values.begin() + static_cast<std::ptrdiff_t>(std::lround(part * static_cast<double>(values.size() - 1)));
  std::nth_element(values.begin(), at, values.end());
  return *at;
}

std::vector<double> of_x(const std::vector<RawPoint>& points) {
  std::vector<double> all;
  for (const RawPoint& point : points) all.push_back(point.x);
  return all;
}

std::vector<double> of_y(const std::vector<RawPoint>& points) {
  std::vector<double> all;
  for (const RawPoint& point : points) all.push_back(point.y);
  return all;
}

RawPoint median(const std::vector<RawPoint>& points) { return {median(of_x(points)), median(of_y(points))}; }

namespace {

/// Without spikes; the readings of one spike, which come one at a time, count once.
template <typename T>
Clean<T> without(const std::vector<T>& values, const std::vector<bool>& spikes) {
  Clean<T> result;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (!spikes[i])
      result.readings.push_back(values[i]);
    else if (i == 0 || !spikes[i - 1])
      ++result.spikes;
  }
  return result;
}

}  // namespace

Clean<double> clean(const std::vector<double>& values, double span) {
  return without(values, spikes_of(values, window_for(values), spike * span));
}

Clean<RawPoint> clean(const std::vector<RawPoint>& points, RawPoint span) {
  const std::size_t window = window_for(points);
  std::vector<bool> spikes = spikes_of(of_x(points), window, spike * span.x);
  const std::vector<bool> of_other = spikes_of(of_y(points), window, spike * span.y);
  for (std::size_t i = 0; i < spikes.size(); ++i) spikes[i] = spikes[i] || of_other[i];
  return without(points, spikes);
}

bool is_too_fast(const std::vector<RawPoint>& sweep, RawPoint rest, RawPoint half) {
  constexpr double most_step = 0.08, away = 0.5;  // of the circumference; of the distance to the edge
  std::vector<double> steps;
  std::optional<shape::Point> before;
  for (const RawPoint& raw : sweep) {
    const shape::Point now{(raw.x - rest.x) / half.x, (raw.y - rest.y) / half.y};
    if (before && now == *before) continue;
    const auto is_away = [](shape::Point p) { return p.x * p.x + p.y * p.y > away * away; };
    if (before && is_away(now) && is_away(*before))
      steps.push_back(std::fabs(std::remainder(shape::angle_of(now) - shape::angle_of(*before), 360)) / 360);
    before = now;
  }
  return quantile(steps, 0.75) > most_step;
}

Rest rest_of(const std::vector<RawPoint>& points, RawPoint span) {
  // nothing moves here, so a reading far from the overall median is a spike, however long it lasts
  const RawPoint middle = median(points);
  std::vector<bool> spikes;
  for (const RawPoint& point : points)
    spikes.push_back(std::fabs(point.x - middle.x) > spike * span.x || std::fabs(point.y - middle.y) > spike * span.y);
  Clean<RawPoint> good = without(points, spikes);
  constexpr double most_times = 0.88;
  if (static_cast<double>(good.readings.size()) < most_times * static_cast<double>(points.size()))
    good = {points, 0};  // the unit is like that
  std::vector<double> far;
  for (const RawPoint& point : good.readings) far.push_back(distance(point, middle));
  const double near = quantile(far, 0.9);
  Rest rest;
  rest.spikes = good.spikes;
  double count = 0;
  for (std::size_t i = 0; i < far.size(); ++i) {
    if (far[i] > near) continue;
    rest.at.x += good.readings[i].x;
    rest.at.y += good.readings[i].y;
    ++count;
  }
  if (count == 0) return rest;
  rest.at = {rest.at.x / count, rest.at.y / count};
  for (std::size_t i = 0; i < far.size(); ++i) far[i] = distance(good.readings[i], rest.at);
  rest.noise = quantile(far, 0.995);
  const std::size_t quarter = good.readings.size() / 4;
  if (quarter > 0)
    rest.drift =
        distance(median_of(std::span{good.readings}.first(quarter)), median_of(std::span{good.readings}.last(quarter)));
  return rest;
}

}  // namespace omnipar::inline abi_0::calibrate
