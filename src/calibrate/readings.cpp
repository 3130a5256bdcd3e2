#include "calibrate/readings.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

namespace omnipar::calibrate {
namespace {

/// A reading farther than this part of the way from the median of its five is a spike.
constexpr double spike = 0.12;

/// The median of the five around each.
std::vector<double> middles(const std::vector<double>& values) {
  std::vector<double> all(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    const std::size_t first = std::min(i < 2 ? 0 : i - 2, values.size() < 5 ? 0 : values.size() - 5);
    std::array<double, 5> five{};
    const std::size_t count = std::min<std::size_t>(5, values.size() - first);
    std::copy_n(values.begin() + static_cast<std::ptrdiff_t>(first), count, five.begin());
    std::sort(five.begin(), five.begin() + static_cast<std::ptrdiff_t>(count));
    all[i] = five.at(count / 2);
  }
  return all;
}

RawPoint median_of(std::span<const RawPoint> points) {
  return median(std::vector<RawPoint>{points.begin(), points.end()});
}

double distance(RawPoint a, RawPoint b) { return std::sqrt((a.x - b.x) * (a.x - b.x) + (a.y - b.y) * (a.y - b.y)); }

}  // namespace

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

Clean<double> clean(const std::vector<double>& values, double span) {
  const std::vector<double> middle = middles(values);
  Clean<double> result;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (std::fabs(values[i] - middle[i]) <= spike * span)
      result.readings.push_back(values[i]);
    else
      ++result.spikes;
  }
  return result;
}

Clean<RawPoint> clean(const std::vector<RawPoint>& points, RawPoint span) {
  const std::vector<double> x = middles(of_x(points)), y = middles(of_y(points));
  Clean<RawPoint> result;
  for (std::size_t i = 0; i < points.size(); ++i) {
    if (std::fabs(points[i].x - x[i]) <= spike * span.x && std::fabs(points[i].y - y[i]) <= spike * span.y)
      result.readings.push_back(points[i]);
    else
      ++result.spikes;
  }
  return result;
}

Rest rest_of(const std::vector<RawPoint>& points, RawPoint span) {
  const Clean<RawPoint> good = clean(points, span);
  const RawPoint middle = median(good.readings);
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

}  // namespace omnipar::calibrate
