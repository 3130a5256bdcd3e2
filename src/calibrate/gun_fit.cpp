// Fits of shots. Raw numbers are first brought to about 1 (from their middle, by their spread), so that the equations
// are well conditioned whatever a gun's range is; errors are in widths of the screen.
#include "omnipar/gun_fit.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

#include <Eigen/Dense>

#include "shape/power.hpp"
#include "shape/projection.hpp"

namespace omnipar {
namespace {

constexpr std::size_t parameters = 8;
using Parameters = Eigen::Matrix<double, parameters, 1>;
using Covariance = Eigen::Matrix<double, parameters, parameters>;
using Jacobian = Eigen::Matrix<double, 2, parameters>;

/// What a steady hand itself adds to each shot; never blamed on the shot.
constexpr double hand = 0.0003;

double square(double value) noexcept { return value * value; }

/// Raw numbers as the equations have them.
struct Frame {
  RawPoint middle{};
  RawPoint spread{1, 1};

  explicit Frame(const std::vector<Shot>& shots) {
    for (const Shot& shot : shots) {
      middle.x += shot.raw.x / static_cast<double>(shots.size());
      middle.y += shot.raw.y / static_cast<double>(shots.size());
    }
    double x = 0, y = 0;
    for (const Shot& shot : shots) {
      x += square(shot.raw.x - middle.x) / static_cast<double>(shots.size());
      y += square(shot.raw.y - middle.y) / static_cast<double>(shots.size());
    }
    if (x > 0) spread.x = std::sqrt(x);
    if (y > 0) spread.y = std::sqrt(y);
  }
  [[nodiscard]] Eigen::Vector2d of(RawPoint raw) const {
    return {(raw.x - middle.x) / spread.x, (raw.y - middle.y) / spread.y};
  }
  [[nodiscard]] RawPoint back(const shape::Point& p) const {
    return {middle.x + p.x * spread.x, middle.y + p.y * spread.y};
  }
};

/// (x, y) goes to ((p0 x + p1 y + p2) / w, (p3 x + p4 y + p5) / w), w = p6 x + p7 y + 1.
shape::Projection projection_of(const Parameters& p) { return {{p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], 1}}; }

Eigen::Vector2d mapped(const Parameters& p, const Eigen::Vector2d& at) {
  const double w = p[6] * at.x() + p[7] * at.y() + 1;
  return {(p[0] * at.x() + p[1] * at.y() + p[2]) / w, (p[3] * at.x() + p[4] * at.y() + p[5]) / w};
}

/// How a place moves with the parameters.
Jacobian by_parameters(const Parameters& p, const Eigen::Vector2d& at) {
  const double w = p[6] * at.x() + p[7] * at.y() + 1;
  const Eigen::Vector2d to = mapped(p, at);
  Jacobian j = Jacobian::Zero();
  for (Eigen::Index row = 0; row < 2; ++row) {
    j(row, row * 3) = at.x() / w;
    j(row, row * 3 + 1) = at.y() / w;
    j(row, row * 3 + 2) = 1 / w;
    j(row, 6) = -to[row] * at.x() / w;
    j(row, 7) = -to[row] * at.y() / w;
  }
  return j;
}

/// How a place moves with where the gun points.
Eigen::Matrix2d by_place(const Parameters& p, const Eigen::Vector2d& at) {
  const double w = p[6] * at.x() + p[7] * at.y() + 1;
  const Eigen::Vector2d to = mapped(p, at);
  Eigen::Matrix2d j;
  for (Eigen::Index row = 0; row < 2; ++row) {
    j(row, 0) = (p[row * 3] - to[row] * p[6]) / w;
    j(row, 1) = (p[row * 3 + 1] - to[row] * p[7]) / w;
  }
  return j;
}

/// Chosen shots in the units of the fit.
struct Places {
  std::vector<Eigen::Vector2d> from, to;
};

/// Which parameters are free in a model; the others stay as they are.
std::vector<int> free_in(AimModel model) {
  switch (model) {
    case AimModel::scale:
      return {0, 2, 4, 5};
    case AimModel::affine:
      return {0, 1, 2, 3, 4, 5};
    default:
      return {0, 1, 2, 3, 4, 5, 6, 7};
  }
}

/// Least squares by Gauss and Newton; linear models are there at once. Nothing if the equations are singular.
std::optional<Parameters> solve(const Places& places, AimModel model, Parameters p) {
  const std::vector<int> free = free_in(model);
  const auto count = static_cast<Eigen::Index>(places.from.size() * 2), width = static_cast<Eigen::Index>(free.size());
  constexpr int most_rounds = 20;
  for (int round = 0; round < most_rounds; ++round) {
    Eigen::MatrixXd a(count, width);
    Eigen::VectorXd b(count);
    for (std::size_t i = 0; i < places.from.size(); ++i) {
      const Jacobian j = by_parameters(p, places.from[i]);
      const auto row = static_cast<Eigen::Index>(2 * i);
      for (Eigen::Index c = 0; c < width; ++c) a.block<2, 1>(row, c) = j.col(free[static_cast<std::size_t>(c)]);
      b.segment<2>(row) = places.to[i] - mapped(p, places.from[i]);
    }
    const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(a);
    constexpr double singular = 1e-6;
    if (std::fabs(qr.matrixR()(width - 1, width - 1)) < singular * qr.maxPivot()) return std::nullopt;
    const Eigen::VectorXd step = qr.solve(b);
    for (Eigen::Index c = 0; c < width; ++c) p[free[static_cast<std::size_t>(c)]] += step[c];
    constexpr double there = 1e-12;
    if (!step.allFinite()) return std::nullopt;
    if (model != AimModel::projective || step.norm() < there) break;
  }
  return p;
}

std::optional<Parameters> solve(const Places& places, AimModel model) {
  auto p = solve(places, model == AimModel::projective ? AimModel::affine : model, Parameters::Zero());
  if (p && model == AimModel::projective) p = solve(places, model, *p);
  if (!p) return std::nullopt;
  // No screen is seen whose far side lies behind the gun.
  for (const Eigen::Vector2d& at : places.from)
    if (!((*p)[6] * at.x() + (*p)[7] * at.y() + 1 > 0)) return std::nullopt;
  return p;
}

double left_over(const Places& places, const Parameters& p) {
  double sum = 0;
  for (std::size_t i = 0; i < places.from.size(); ++i) sum += (places.to[i] - mapped(p, places.from[i])).squaredNorm();
  return sum;
}

/// What so many squares of normal deviations are above in 1 of 100 (E. Wilson, M. Hilferty, "The Distribution of
/// Chi-Square", 1931).
double one_in_hundred(std::size_t degrees) noexcept {
  constexpr double normal = 2.326;
  const double part = 2.0 / (9.0 * static_cast<double>(degrees));
  const double root = 1 - part + normal * std::sqrt(part);
  return static_cast<double>(degrees) * root * root * root;
}

/// The variance of a median of so many normal values, as a part of that of one; to some per cent for any odd number.
double of_median(int count) noexcept { return std::numbers::pi / (2.0 * count + std::numbers::pi - 2); }

/// Numbers that are always the same, everywhere: G. Marsaglia, "Xorshift RNGs", 2003; the sum of twelve even ones is
/// nearly normal.
std::vector<Parameters> make_draws(std::size_t count) {
  std::uint64_t state = 88172645463325252ULL;
  const auto uniform = [&state] {
    state ^= state << 13U;
    state ^= state >> 7U;
    state ^= state << 17U;
    constexpr double whole = 9007199254740992.0;  // 2^53
    return static_cast<double>(state >> 11U) / whole;
  };
  std::vector<Parameters> draws(count);
  for (Parameters& draw : draws)
    for (double& value : draw) {
      constexpr int even_ones = 12;
      value = -even_ones / 2.0;
      for (int i = 0; i < even_ones; ++i) value += uniform();
    }
  return draws;
}

class Fitter {
 public:
  Fitter(const std::vector<Shot>& shots, PixelSize screen)
      : shots_(shots), aspect_(screen.height / screen.width), frame_(shots) {
    for (const Shot& shot : shots) {
      all_.from.push_back(frame_.of(shot.raw));
      all_.to.emplace_back(shot.target.x, shot.target.y * aspect_);
    }
  }

  tl::expected<GunFit, ShotFault> run(const AreaBox& over) {
    if (auto fault = refuse(); fault.why != ShotRefusal::none) return tl::unexpected(std::move(fault));
    const AimModel model = shots_.size() == 2   ? AimModel::scale
                           : shots_.size() == 3 ? AimModel::affine
                                                : AimModel::projective;
    const auto p = solve(all_, model);
    GunFit fit;
    if (!p || !lay(*p, fit)) return tl::unexpected(ShotFault{ShotRefusal::no_sense, {}});
    fit.aim.model = model;
    fit.aim.shots = static_cast<int>(shots_.size());
    for (std::size_t i = 0; i < shots_.size(); ++i) {
      const Eigen::Vector2d off = mapped(*p, all_.from[i]) - all_.to[i];
      fit.off.push_back({off.x(), off.y()});
    }
    constexpr std::size_t error_from = 5;
    fit.error_known = shots_.size() >= error_from;
    if (!fit.error_known) return fit;
    const double noise = noise_of(*p);
    fit.aim.residual = std::sqrt(left_over(all_, *p) / static_cast<double>(shots_.size()));
    fit.aim.bound = bound(*p, noise, over);
    find_bad(*p, noise, fit);
    return fit;
  }

  /// Each of five shots may be the bad one, and then the others say where the gun points at a sixth target. Of the
  /// targets at the middle of an edge the one is taken at which the six are hardest to explain by any other bad shot.
  [[nodiscard]] AreaPoint most_telling() const {
    constexpr double near = target_inset, far = 1 - target_inset, middle = 0.5;
    AreaPoint best{middle, near};
    double most = -1;
    for (const AreaPoint target : {best, AreaPoint{far, middle}, AreaPoint{middle, far}, AreaPoint{near, middle}}) {
      double told = 0;
      for (std::size_t bad = 0; bad < shots_.size(); ++bad) told += left_by_others(bad, target) * likely(bad);
      if (told <= most) continue;
      most = told;
      best = target;
    }
    return best;
  }

 private:
  /// How likely it is that somebody misses by as much as that shot has, by what the others say: by a little more often
  /// than by much. Cauchy's distribution in the plane, by the part of the width that half of all bad shots stay within.
  [[nodiscard]] double likely(std::size_t shot, const Parameters& by_others) const {
    constexpr double half = 0.2, root_of_three = 1.7320508075688772;
    const double part = (mapped(by_others, all_.from[shot]) - all_.to[shot]).norm() / (half / root_of_three);
    return 1 / ((1 + square(part)) * std::sqrt(1 + square(part)));
  }
  [[nodiscard]] double likely(std::size_t shot) const {
    const auto its = solve(without(all_, shot), AimModel::projective);
    return its ? likely(shot, *its) : 0;
  }

  /// If that shot is the bad one: what is left at least when another one is taken for it; at most what is enough.
  [[nodiscard]] double left_by_others(std::size_t bad, AreaPoint target) const {
    const auto truth = solve(without(all_, bad), AimModel::projective);
    if (!truth) return 0;
    const shape::Point from = shape::inverse(projection_of(*truth))(target.x, target.y * aspect_);
    Places six = all_;
    six.from.emplace_back(from.x, from.y);
    six.to.emplace_back(target.x, target.y * aspect_);
    constexpr double enough = 0.008;
    double least = square(enough);
    for (std::size_t other = 0; other < shots_.size(); ++other) {
      if (other == bad) continue;
      const Places rest = without(six, other);
      if (const auto its = solve(rest, AimModel::projective)) least = std::min(least, left_over(rest, *its));
    }
    return std::sqrt(least);
  }

  [[nodiscard]] ShotFault refuse() const {
    if (shots_.size() < 2) return {ShotRefusal::too_few, {}};
    double widest = 0;
    for (const Eigen::Vector2d& one : all_.from)
      for (const Eigen::Vector2d& other : all_.from) widest = std::max(widest, (one - other).norm());
    constexpr double same = 0.03;  // of the way between the two that are furthest apart
    for (std::size_t i = 0; i < shots_.size(); ++i)
      for (std::size_t k = i + 1; k < shots_.size(); ++k) {
        const bool one_target = shots_[i].target == shots_[k].target;
        if (!one_target && (widest == 0 || (all_.from[i] - all_.from[k]).norm() < same * widest))
          return {ShotRefusal::equal, {i, k}};
      }
    if (shots_.size() == 2) {
      const bool flat = shots_[0].raw.x == shots_[1].raw.x || shots_[0].raw.y == shots_[1].raw.y;
      const bool one_row = shots_[0].target.x == shots_[1].target.x || shots_[0].target.y == shots_[1].target.y;
      return {flat || one_row ? ShotRefusal::in_line : ShotRefusal::none, {}};
    }
    Eigen::Matrix2d spread = Eigen::Matrix2d::Zero();
    for (const Eigen::Vector2d& at : all_.from) spread += at * at.transpose();
    const Eigen::Vector2d sizes = Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d>(spread).eigenvalues();
    constexpr double thin = 0.05;
    return {sizes[0] < square(thin) * sizes[1] ? ShotRefusal::in_line : ShotRefusal::none, {}};
  }

  /// What the gun says at the screen's corners.
  bool lay(const Parameters& p, GunFit& fit) const {
    const shape::Projection back = shape::inverse(projection_of(p));
    const std::array<std::array<double, 2>, 4> at{{{0, 0}, {1, 0}, {1, aspect_}, {0, aspect_}}};
    double sign = 0;
    for (std::size_t i = 0; i < at.size(); ++i) {
      const double w = back.m[6] * at.at(i)[0] + back.m[7] * at.at(i)[1] + back.m[8];
      if (!std::isfinite(w) || w == 0 || (sign != 0 && (w > 0) != (sign > 0))) return false;
      sign = w;
      fit.aim.corners.at(i) = frame_.back(back(at.at(i)[0], at.at(i)[1]));
    }
    return shape::to_corners(fit.aim.corners).has_value();
  }

  /// The standard deviation of a shot, each way, from the spread of the reports within the shots.
  [[nodiscard]] double noise_of(const Parameters& p) const {
    double sum = 0;
    for (std::size_t i = 0; i < shots_.size(); ++i) {
      const Shot& shot = shots_[i];
      constexpr double steps = 1.0 / 12;  // of numbers that are whole
      const Eigen::Vector2d raw{std::sqrt(square(shot.spread.x) + steps) / frame_.spread.x,
                                std::sqrt(square(shot.spread.y) + steps) / frame_.spread.y};
      const Eigen::Matrix2d by = by_place(p, all_.from[i]) * raw.asDiagonal();
      sum += by.squaredNorm() / 2 * of_median(std::max(1, shot.reports));
    }
    return std::sqrt(sum / static_cast<double>(shots_.size()));
  }

  /// The largest error over a part of the screen stays below this in 95 of 100 fits with that noise: the errors of the
  /// parameters are drawn by their covariance, and each draw's largest error along the edge of that part is taken.
  [[nodiscard]] double bound(const Parameters& p, double noise, const AreaBox& over) const {
    Covariance squares = Covariance::Zero();
    for (const Eigen::Vector2d& at : all_.from) {
      const Jacobian j = by_parameters(p, at);
      squares += j.transpose() * j;
    }
    const Covariance root = Eigen::LLT<Covariance>(squares.inverse()).matrixL();
    const shape::Projection back = shape::inverse(projection_of(p));
    constexpr Eigen::Index a_side = 4;
    constexpr Eigen::Index places = 4 * a_side;
    Eigen::Matrix<double, 2 * places, parameters> moves;
    for (Eigen::Index i = 0; i < places; ++i) {
      const double part = static_cast<double>(i % a_side) / a_side;
      const std::array<std::array<double, 2>, 4> along{{{part, 0}, {1, part}, {1 - part, 1}, {0, 1 - part}}};
      const auto& [x, y] = along.at(static_cast<std::size_t>(i / a_side));
      const shape::Point at = back(over.left + x * over.width, (over.top + y * over.height) * aspect_);
      moves.block<2, parameters>(2 * i, 0) = by_parameters(p, {at.x, at.y}) * root;
    }
    static const std::vector<Parameters> draws = make_draws(2000);
    std::vector<double> largest;
    largest.reserve(draws.size());
    for (const Parameters& draw : draws) {
      const Eigen::Matrix<double, 2 * places, 1> off = moves * draw;
      double most = 0;
      for (Eigen::Index i = 0; i < places; ++i) most = std::max(most, off.segment<2>(2 * i).squaredNorm());
      largest.push_back(most);
    }
    constexpr double part = 0.95;
    const auto at = largest.begin() + static_cast<std::ptrdiff_t>(part * static_cast<double>(largest.size()));
    std::ranges::nth_element(largest, at);
    return noise * std::sqrt(*at);
  }

  [[nodiscard]] static Places without(Places places, std::size_t shot) {
    places.from.erase(places.from.begin() + static_cast<std::ptrdiff_t>(shot));
    places.to.erase(places.to.begin() + static_cast<std::ptrdiff_t>(shot));
    return places;
  }

  /// One shot is bad if all together do not go together; it is that one without which the others do, if there is only
  /// one such.
  void find_bad(const Parameters& p, double noise, GunFit& fit) const {
    const double of_shot = square(noise) + square(hand);
    const auto degrees = [](std::size_t count) { return 2 * count - parameters; };
    if (left_over(all_, p) <= of_shot * one_in_hundred(degrees(shots_.size()))) return;
    fit.doubtful = true;
    constexpr std::size_t named_from = 6;
    if (shots_.size() < named_from) return;
    double best = 0, fits = 0, next = std::numeric_limits<double>::infinity();
    std::optional<std::size_t> without_it;
    for (std::size_t i = 0; i < shots_.size(); ++i) {
      const Places rest = without(all_, i);
      const auto its = solve(rest, AimModel::projective);
      if (!its) continue;
      const double left = left_over(rest, *its) / of_shot - 2 * shape::logarithm(likely(i, *its));
      if (!without_it || left < best) {
        next = without_it ? best : next;
        best = left;
        fits = left_over(rest, *its) / of_shot;
        without_it = i;
      } else {
        next = std::min(next, left);
      }
    }
    constexpr double clearly = 6;  // the next one is so much less likely: by a factor of exp(6 / 2), about 20
    if (!without_it || fits > one_in_hundred(degrees(shots_.size() - 1)) || next < best + clearly) return;
    fit.bad_shot = without_it;
    fit.doubtful = false;
  }

  const std::vector<Shot>& shots_;
  double aspect_;
  Frame frame_;
  Places all_;
};

}  // namespace

std::vector<AreaPoint> targets_for(int shots) {
  constexpr double near = target_inset, far = 1 - target_inset, middle = 0.5;
  switch (shots) {
    case 2:
      return {{near, near}, {far, far}};
    case 3:
      return {{near, near}, {far, near}, {middle, far}};
    case 4:
      return {{near, near}, {far, near}, {far, far}, {near, far}};
    case 5: {  // the first is on no line between two others: so any four of them fit a map, and a bad one is found
      constexpr double above = 0.35;
      return {{middle, above}, {near, near}, {far, near}, {far, far}, {near, far}};
    }
    case 9:
      return {{middle, middle}, {near, near},  {middle, near}, {far, near},   {far, middle},
              {far, far},       {middle, far}, {near, far},    {near, middle}};
    default:
      return {};
  }
}

AreaPoint extra_target(const std::vector<Shot>& shots, PixelSize screen) {
  return Fitter{shots, screen}.most_telling();
}

tl::expected<GunFit, ShotFault> fit_gun(const std::vector<Shot>& shots, PixelSize screen, const AreaBox& over) {
  return Fitter{shots, screen}.run(over);
}

std::optional<AreaPoint> aimed(const AimCalibration& aim, RawPoint raw) noexcept {
  const auto map = shape::screen_map(aim);
  if (!map || !shape::is_before(*map, raw.x, raw.y)) return std::nullopt;
  const shape::Point at = (*map)(raw.x, raw.y);
  return AreaPoint{at.x, at.y};
}

GunRange range_of(const AimCalibration& aim, PixelSize screen, const GameArea& area) noexcept {
  const auto edges = [&aim](double x, double y) { return aimed(aim, {x, y}).value_or(AreaPoint{-1, -1}); };
  const DeclaredRange &x = aim.declared_x, &y = aim.declared_y;
  const std::array<AreaPoint, 2> own{edges(x.minimum, y.minimum), edges(x.maximum, y.maximum)};
  const auto fits = [&](const AreaBox& box) {
    constexpr double near = 0.04;
    const double tall = screen.height / screen.width;
    const auto is_at = [tall](AreaPoint one, double to_x, double to_y) {
      return shape::length(one.x - to_x, (one.y - to_y) * tall) < near;
    };
    return is_at(own[0], box.left, box.top) && is_at(own[1], box.left + box.width, box.top + box.height);
  };
  if (fits({})) return GunRange::whole_screen;
  return fits(seen_part(area)) ? GunRange::game_area : GunRange::other;
}

AimMistake mistake_of(const std::vector<AreaPoint>& aimed_at, const std::vector<AreaPoint>& landed, PixelSize screen,
                      const GameArea& really, const GameArea& taken) noexcept {
  constexpr double near = 0.02;
  const double tall = screen.height / screen.width;
  const std::size_t count = std::min(aimed_at.size(), landed.size());
  const auto all_fit = [&](auto&& explained) {
    for (std::size_t i = 0; i < count; ++i) {
      const AreaPoint to = explained(aimed_at[i]);
      if (!(shape::length(landed[i].x - to.x, (landed[i].y - to.y) * tall) < near)) return false;
    }
    return count > 0;
  };
  if (all_fit([](AreaPoint p) { return p; })) return AimMistake::none;
  // The place of the game that is hit is by where it is taken to be, and is shown by where it is.
  if (really != taken && all_fit([&](AreaPoint p) { return to_screen(really, to_area(taken, p)); })) {
    if (taken == GameArea{}) return AimMistake::area_is_missing;
    return really == GameArea{} ? AimMistake::area_is_too_much : AimMistake::wrong_area;
  }
  AreaPoint way;
  for (std::size_t i = 0; i < count; ++i) {
    way.x += (landed[i].x - aimed_at[i].x) / static_cast<double>(count);
    way.y += (landed[i].y - aimed_at[i].y) / static_cast<double>(count);
  }
  if (all_fit([&](AreaPoint p) { return AreaPoint{p.x + way.x, p.y + way.y}; })) return AimMistake::beside;
  if (all_fit([](AreaPoint p) { return AreaPoint{1 - p.x, p.y}; })) return AimMistake::x_reversed;
  if (all_fit([](AreaPoint p) { return AreaPoint{p.x, 1 - p.y}; })) return AimMistake::y_reversed;
  return AimMistake::other;
}

}  // namespace omnipar
