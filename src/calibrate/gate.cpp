#include "calibrate/gate.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include <Eigen/Dense>

#include "calibrate/readings.hpp"
#include "shape/turn.hpp"

namespace omnipar::inline abi_0::calibrate {
namespace {

using shape::Point;

constexpr int params = 5;  ///< width along both axes, rotation, offset along both axes
using Vector = Eigen::Matrix<double, params, 1>;
using Matrix = Eigen::Matrix<double, params, params>;

/// The distance of points beyond the edge with these parameters, as fractions of the distance to it.
class Errors {
 public:
  Errors(StickGate gate, const Vector& p) : gate_(gate), by_(shape::turn_by(-p[2])), p_(p) {}
  [[nodiscard]] double operator()(Point place) const {
    const Point turned = shape::turned({place.x / p_[0], place.y / p_[1]}, by_);
    return way_to(gate_, {turned.x - p_[3], turned.y - p_[4]}) - 1;
  }

 private:
  StickGate gate_;
  shape::Turn by_;
  Vector p_;
};

std::vector<double> errors(StickGate gate, const Vector& p, const std::vector<Point>& edge) {
  const Errors error{gate, p};
  std::vector<double> all(edge.size());
  for (std::size_t i = 0; i < edge.size(); ++i) all[i] = error(edge[i]);
  return all;
}

/// The two-thirds quantile of all errors: a side that was never pushed to does not affect the others.
double spread_of(const std::vector<double>& errors) {
  std::vector<double> sizes;
  for (const double error : errors) sizes.push_back(std::fabs(error));
  return sizes.empty() ? 1 : quantile(std::move(sizes), 0.66);
}

/// Tukey's weight of an error, for a spread of 1; 0 from `reach` on.
constexpr double reach = 4.685;
double weight(double error) {
  const double part = error / reach;
  return std::fabs(part) >= 1 ? 0 : (1 - part * part) * (1 - part * part);
}

double median_size(const std::vector<double>& errors) {
  std::vector<double> sizes;
  for (const double error : errors) sizes.push_back(std::fabs(error));
  return median(std::move(sizes));
}

double loss(StickGate gate, const Vector& p, const std::vector<Point>& edge, double scale) {
  if (!(p[0] > 0.2) || !(p[1] > 0.2) || p[0] > 5 || p[1] > 5) return 1e9;
  const Errors error{gate, p};
  double sum = 0;
  for (const Point& place : edge) {
    const double part = std::min(1.0, std::fabs(error(place) / scale) / reach);
    const double rest = 1 - part * part;
    sum += 1 - rest * rest * rest;
  }
  return sum;
}

/// One shape from one starting point.
Vector improved(StickGate gate, Vector p, const std::vector<Point>& edge) {
  constexpr int most_steps = 30;
  constexpr std::array<double, params> probe{1e-5, 1e-5, 1e-3, 1e-5, 1e-5};
  double damping = 1e-3;
  for (int step = 0; step < most_steps; ++step) {
    const std::vector<double> error = errors(gate, p, edge);
    const double scale = std::max(1.4826 * median_size(error), 5e-4);
    std::vector<Errors> beside;
    for (int k = 0; k < params; ++k) {
      Vector near = p;
      near[k] += probe.at(static_cast<std::size_t>(k));
      beside.emplace_back(gate, near);
    }
    Matrix left = Matrix::Zero();
    Vector right = Vector::Zero();
    for (std::size_t i = 0; i < edge.size(); ++i) {
      const double w = weight(error[i] / scale);
      if (w == 0) continue;
      Vector slope;
      for (int k = 0; k < params; ++k)
        slope[k] = (beside[static_cast<std::size_t>(k)](edge[i]) - error[i]) / probe.at(static_cast<std::size_t>(k));
      left += w * slope * slope.transpose();
      right -= w * error[i] * slope;
    }
    if (gate == StickGate::round) {  // a circle is the same under every rotation
      left.row(2).setZero();
      left.col(2).setZero();
      left(2, 2) = 1;
      right[2] = 0;
    }
    const double before = loss(gate, p, edge, scale);
    bool is_better = false;
    Vector way = Vector::Zero();
    for (int tries = 0; tries < 6 && !is_better; ++tries) {
      Matrix damped = left;
      damped.diagonal() *= 1 + damping;
      damped.diagonal().array() += 1e-9;
      way = damped.ldlt().solve(right);
      is_better = loss(gate, p + way, edge, scale) <= before;
      damping = is_better ? std::max(damping / 5, 1e-7) : damping * 10;
    }
    if (!is_better) break;
    p += way;
    if (way.cwiseAbs().maxCoeff() < 1e-6) break;
  }
  return p;
}

std::vector<double> first_turns(StickGate gate) {
  if (gate == StickGate::square) return {0, -15, 15, -30, 30, 45};
  if (gate == StickGate::octagon) return {0, -8, 8, -16, 16};
  return {0};
}

double within_half(double degrees, double whole) { return degrees - whole * std::round(degrees / whole); }

double cross(Point a, Point b, Point c) { return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x); }

}  // namespace

double way_to(StickGate gate, Point place) {
  const double across = std::fabs(place.x), down = std::fabs(place.y);
  if (gate == StickGate::square) return std::fmax(across, down);
  if (gate != StickGate::octagon) return std::sqrt(across * across + down * down);
  // the middle of each side is 22.5 degrees from an axis, at the cosine of that angle
  constexpr double cosine = 0.92387953251128675613, sine = 0.38268343236508977173;
  return std::fmax(across * cosine + down * sine, across * sine + down * cosine) / cosine;
}

GateFit fit_gate(StickGate gate, const std::vector<Point>& edge) {
  GateFit best;
  best.gate = gate;
  std::vector<double> across, down;
  for (const Point& place : edge) {
    across.push_back(place.x);
    down.push_back(place.y);
  }
  const double left = quantile(across, 0.01), right = quantile(across, 0.99);
  const double top = quantile(down, 0.01), bottom = quantile(down, 0.99);
  // starting points: from side to side; and symmetric around rest, if one side was not pushed to its end
  const std::array<std::array<double, 4>, 2> boxes{
      {{left, right, top, bottom},
       {-std::max(-left, right), std::max(-left, right), -std::max(-top, bottom), std::max(-top, bottom)}}};
  for (const auto& [from_x, to_x, from_y, to_y] : boxes)
    for (const double turn : first_turns(gate)) {
      Vector p;
      p << (to_x - from_x) / 2, (to_y - from_y) / 2, turn, 0, 0;
      if (gate == StickGate::square) {  // a rotated square is wider
        const shape::Turn by = shape::turn_by(turn);
        const double wider = std::fabs(by.cosine) + std::fabs(by.sine);
        p[0] /= wider;
        p[1] /= wider;
      }
      const shape::Point off =
          shape::turned({(from_x + to_x) / 2 / p[0], (from_y + to_y) / 2 / p[1]}, shape::turn_by(-turn));
      p[3] = off.x;
      p[4] = off.y;
      p = improved(gate, p, edge);
      const double spread = spread_of(errors(gate, p, edge));
      if (spread >= best.spread) continue;
      best = {gate, {p[0], p[1]}, p[2], {p[3], p[4]}, spread};
    }
  // the same shape, rotated by its period: the offset rotates with it
  if (gate != StickGate::round) {
    const double turn = within_half(best.turned, gate == StickGate::square ? 90 : 45);
    best.off = shape::turned(best.off, shape::turn_by(best.turned - turn));
    best.turned = turn;
  }
  return best;
}

std::vector<double> errors_of(const GateFit& fit, const std::vector<Point>& edge) {
  Vector p;
  p << fit.wide.x, fit.wide.y, fit.turned, fit.off.x, fit.off.y;
  return errors(fit.gate, p, edge);
}

std::vector<Point> corners_of(const GateFit& fit) {
  std::vector<Point> corners;
  constexpr int of_circle = 40;
  if (fit.gate == StickGate::square) {
    corners = {{1, -1}, {1, 1}, {-1, 1}, {-1, -1}};
  } else {
    const int count = fit.gate == StickGate::octagon ? 8 : of_circle;
    // as far outside at its corners as inside between them
    const double far = fit.gate == StickGate::octagon ? 1 : (1 + 1 / shape::turn_by(180.0 / of_circle).cosine) / 2;
    for (int i = 0; i < count; ++i) {
      const shape::Turn by = shape::turn_by(360.0 * i / count);
      corners.push_back({far * by.cosine, far * by.sine});
    }
  }
  const shape::Turn by = shape::turn_by(fit.turned);
  for (Point& corner : corners) {
    corner = shape::turned({corner.x + fit.off.x, corner.y + fit.off.y}, by);
    corner = {corner.x * fit.wide.x, corner.y * fit.wide.y};
  }
  return corners;
}

std::vector<Point> hull_of(std::vector<Point> points) {
  // by lower and upper hull (A. M. Andrew, 1979)
  std::ranges::sort(points, {}, [](const Point& p) { return std::pair{p.x, p.y}; });
  std::vector<Point> hull;
  const auto add = [&hull](Point point, std::size_t least) {
    while (hull.size() >= least + 2 && cross(hull[hull.size() - 2], hull.back(), point) <= 0) hull.pop_back();
    hull.push_back(point);
  };
  for (const Point& point : points) add(point, 0);
  const std::size_t lower = hull.empty() ? 0 : hull.size() - 1;
  for (auto point = points.rbegin(); point != points.rend(); ++point) add(*point, lower);
  if (hull.size() > 1) hull.pop_back();
  return hull;
}

std::vector<Point> within(std::vector<Point> outline, Point low, Point high) {
  // clipped by each side of the box in turn (I. E. Sutherland, G. W. Hodgman, 1974)
  const auto cut = [&outline](auto&& beyond) {
    std::vector<Point> left;
    for (std::size_t i = 0; i < outline.size(); ++i) {
      const Point from = outline[i], to = outline[(i + 1) % outline.size()];
      const double a = beyond(from), b = beyond(to);
      if (a <= 0) left.push_back(from);
      if ((a < 0 && b > 0) || (a > 0 && b < 0)) {
        const double part = a / (a - b);
        left.push_back({from.x + part * (to.x - from.x), from.y + part * (to.y - from.y)});
      }
    }
    outline = std::move(left);
  };
  cut([&](Point p) { return low.x - p.x; });
  cut([&](Point p) { return p.x - high.x; });
  cut([&](Point p) { return low.y - p.y; });
  cut([&](Point p) { return p.y - high.y; });
  return outline;
}

}  // namespace omnipar::inline abi_0::calibrate
