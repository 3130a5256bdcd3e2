// Fits of shots. Raw numbers are first normalised to about 1 (by their mean and spread), so that the equations
// are well conditioned for any range of a gun; errors are in widths of the screen. The scatter of the person's shots
// is learned from the residuals; the error bound and the detection of bad shots follow from it.
#include "omnipar/gun_fit.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include <Eigen/Dense>

#include "calibrate/aim_spread.hpp"
#include "calibrate/readings.hpp"
#include "shape/power.hpp"
#include "shape/projection.hpp"

namespace omnipar::inline abi_0 {
namespace {

constexpr std::size_t parameters = 8;
using Parameters = Eigen::Matrix<double, parameters, 1>;
using Covariance = Eigen::Matrix<double, parameters, parameters>;
using Jacobian = Eigen::Matrix<double, 2, parameters>;

/// From this many shots on, the error can be estimated.
constexpr std::size_t error_from = 5;
/// The fraction of shots that are far off.
constexpr double wild_shots = 1.0 / 30;
/// The share of all fits that may exceed their bound.
constexpr double not_kept = 0.05;
/// The share of all fits that may exceed twice their bound: a few shots may agree by chance.
constexpr double doubled = 0.0007;
/// The logarithm that stands for a probability of zero.
constexpr double never = -1e9;
/// The perspective under which people see a screen: the standard deviation of the map's last two parameters. At 0.06
/// one side of the screen looks larger than the other by a sixth.
constexpr double usual_view = 0.06;

double square(double value) noexcept { return value * value; }

/// Raw numbers in the normalisation of the equations.
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

/// The derivatives of a point by the parameters.
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

/// The derivatives of a point by the gun's aim.
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

/// The free parameters of a model; the others keep their values.
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

/// Gauss-Newton least squares; linear models need one step. Nothing if the equations are singular.
std::optional<Parameters> solve(const Places& places, AimModel model, Parameters p) {
  const std::vector<int> free = free_in(model);  // all of a projective map; with fewer, the last two are fixed
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
  // A screen whose far side would be behind the gun cannot be seen.
  for (const Eigen::Vector2d& at : places.from)
    if (!((*p)[6] * at.x() + (*p)[7] * at.y() + 1 > 0)) return std::nullopt;
  return p;
}

double left_over(const Places& places, const Parameters& p) {
  double sum = 0;
  for (std::size_t i = 0; i < places.from.size(); ++i) sum += (places.to[i] - mapped(p, places.from[i])).squaredNorm();
  return sum;
}

/// The contribution of rounding to the variance of a mean of many readings, relative to the square of a step: one
/// twelfth, and less where the noise of a reading covers several steps (B. Widrow, I. Kollar, "Quantization
/// Noise", 2008, chapter 5). `spread` is of readings, in steps.
double of_rounding(double spread) {
  constexpr double still = 1.0 / 12;
  const double noise = square(spread) - still;
  if (noise <= 0) return still;
  constexpr double four_squared_pi = 4 * std::numbers::pi * std::numbers::pi;
  return still * shape::exponential(-std::min(four_squared_pi * noise, 500.0));
}

/// The variance of a trimmed mean (middle four fifths) of `count` normal values, relative to one value.
double of_mean(int count) noexcept {
  constexpr double against_all = 1.06;
  return against_all / std::max(1, count);
}

/// Reproducible random numbers: G. Marsaglia, "Xorshift RNGs", 2003; the sum of twelve uniform ones is
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

using calibrate::AimSpread;

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
    const auto p = shots_.size() >= error_from ? as_people_see() : solve(all_, model);
    GunFit fit;
    if (!p || !lay(*p, fit)) return tl::unexpected(ShotFault{ShotRefusal::no_sense, {}});
    fit.aim.model = model;
    fit.aim.shots = static_cast<int>(shots_.size());
    for (std::size_t i = 0; i < shots_.size(); ++i) {
      const Eigen::Vector2d off = mapped(*p, all_.from[i]) - all_.to[i];
      fit.off.push_back({off.x(), off.y()});
    }
    fit.error_known = shots_.size() >= error_from;
    if (!fit.error_known) return fit;
    judge(*p, over, fit);
    return fit;
  }

  /// Any of five shots may be the bad one; the other four then predict the position for a sixth target. Returns the
  /// edge middle for which the six are hardest to explain by another bad shot.
  [[nodiscard]] AreaPoint most_telling() const {
    constexpr double near = target_inset, far = 1 - target_inset, middle = 0.5;
    AreaPoint best{middle, near};
    double most = -1;
    for (const AreaPoint target : {best, AreaPoint{far, middle}, AreaPoint{middle, far}, AreaPoint{near, middle}}) {
      double evidence = 0;
      for (std::size_t bad = 0; bad < shots_.size(); ++bad) evidence += left_by_others(bad, target) * density(bad);
      if (evidence <= most) continue;
      most = evidence;
      best = target;
    }
    return best;
  }

 private:
  /// The density of stray shots at that one's position, given the others: higher near the target than far from it.
  /// A Cauchy distribution in the plane, scaled by the distance within which half of all stray shots fall.
  [[nodiscard]] double density(std::size_t shot, const Parameters& by_others) const {
    constexpr double half = 0.2, root_of_three = 1.7320508075688772, size = half / root_of_three;
    const double part = square((mapped(by_others, all_.from[shot]) - all_.to[shot]).norm() / size);
    return 1 / (2 * std::numbers::pi * square(size) * (1 + part) * std::sqrt(1 + part));
  }
  [[nodiscard]] double density(std::size_t shot) const {
    const auto its = solve(without(all_, shot), AimModel::projective);
    return its ? density(shot, *its) : 0;
  }

  /// If that shot is the bad one: the smallest residual with another one taken for it, up to the sufficient value.
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
    constexpr double same = 0.03;  // of the distance between the two that are furthest apart
    for (std::size_t i = 0; i < shots_.size(); ++i)
      for (std::size_t k = i + 1; k < shots_.size(); ++k) {
        const bool one_target = shots_[i].target == shots_[k].target;
        if (!one_target && (widest == 0 || (all_.from[i] - all_.from[k]).norm() < same * widest))
          return {ShotRefusal::equal, {i, k}};
      }
    if (const ShotRefusal narrow = refuse_narrow(); narrow != ShotRefusal::none) return {narrow, {}};
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

  /// Shots that the gun can hardly distinguish, given its resolution and noise: one step would be more than 3
  /// % of the screen's width, or the noise of a reading more than 20 %; on both axes, or on one.
  [[nodiscard]] ShotRefusal refuse_narrow() const {
    AreaPoint low = shots_.front().target, high = low;
    RawPoint least = shots_.front().raw, most = least, step{}, noise{};
    for (const Shot& shot : shots_) {
      low = {std::min(low.x, shot.target.x), std::min(low.y, shot.target.y)};
      high = {std::max(high.x, shot.target.x), std::max(high.y, shot.target.y)};
      least = {std::min(least.x, shot.raw.x), std::min(least.y, shot.raw.y)};
      most = {std::max(most.x, shot.raw.x), std::max(most.y, shot.raw.y)};
      step = {std::max(step.x, shot.step.x), std::max(step.y, shot.step.y)};
      noise = {std::max(noise.x, shot.spread.x), std::max(noise.y, shot.spread.y)};
    }
    const double across = high.x - low.x, down = (high.y - low.y) * aspect_;
    constexpr double largest_step = 0.03, largest_noise = 0.2;
    const auto is_narrow = [&](double way, double raw_step, double raw_noise, double raw) {
      return way > 0 && (raw_step * way > largest_step * raw || raw_noise * way > largest_noise * raw);
    };
    // a gun may have its axes exchanged
    const double width = most.x - least.x, height = most.y - least.y;
    const double way = std::min(across, down) > 0 ? std::min(across, down) : std::max(across, down);
    const bool by_x = is_narrow(way, step.x, noise.x, width), by_y = is_narrow(way, step.y, noise.y, height);
    if (by_x && by_y) return ShotRefusal::cramped;
    return by_x || by_y ? ShotRefusal::in_line : ShotRefusal::none;
  }

  /// Computes the gun's raw values at the screen's corners.
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

  /// The gun's own contribution to the standard deviation of a shot, along each axis: from the spread of its readings
  /// and their
  /// steps.
  [[nodiscard]] double noise_of(const Parameters& p) const {
    double sum = 0;
    for (std::size_t i = 0; i < shots_.size(); ++i) {
      const Shot& shot = shots_[i];
      const auto variance = [&shot](double spread, double step) {
        return square(spread) * of_mean(shot.reports) + square(step) * of_rounding(spread / step);
      };
      const Eigen::Vector2d raw{std::sqrt(variance(shot.spread.x, shot.step.x)) / frame_.spread.x,
                                std::sqrt(variance(shot.spread.y, shot.step.y)) / frame_.spread.y};
      const Eigen::Matrix2d by = by_place(p, all_.from[i]) * raw.asDiagonal();
      sum += by.squaredNorm() / 2;
    }
    return std::sqrt(sum / static_cast<double>(shots_.size()));
  }

  /// A user who moves steadily while shooting shoots late by half of the movement, always to the same side, which no
  /// residual shows.
  [[nodiscard]] double lag_of(const Parameters& p) const {
    double sum = 0;
    for (std::size_t i = 0; i < shots_.size(); ++i) {
      const Eigen::Vector2d moved{shots_[i].moved.x / frame_.spread.x, shots_[i].moved.y / frame_.spread.y};
      sum += (by_place(p, all_.from[i]) * moved).norm() / 2;
    }
    return sum / static_cast<double>(shots_.size());
  }

  static int degrees_of(std::size_t shots) { return static_cast<int>(2 * shots) - static_cast<int>(parameters); }

  static Covariance information(const Places& places, const Parameters& p) {
    Covariance squares = Covariance::Zero();
    for (const Eigen::Vector2d& at : places.from) {
      const Jacobian j = by_parameters(p, at);
      squares += j.transpose() * j;
    }
    return squares;
  }

  /// The largest errors over a part of the screen, in ascending order, for shots with a standard deviation of 1:
  /// parameter errors are drawn from their covariance, and the largest error along the edge of that part is recorded
  /// for each draw.
  [[nodiscard]] std::vector<double> largest_errors(const Parameters& p, double scatter, const AreaBox& over) const {
    Covariance known = information(all_, p);
    known.bottomRightCorner<2, 2>() += square(scatter / usual_view) * Eigen::Matrix2d::Identity();
    const Covariance root = Eigen::LLT<Covariance>(known.inverse()).matrixL();
    Eigen::Matrix<double, 2 * places, parameters> moves;
    const std::vector<Eigen::Vector2d> edge = edge_of(p, over);
    for (Eigen::Index i = 0; i < places; ++i)
      moves.block<2, parameters>(2 * i, 0) = by_parameters(p, edge[static_cast<std::size_t>(i)]) * root;
    static const std::vector<Parameters> draws = make_draws(2000);
    std::vector<double> largest;
    largest.reserve(draws.size());
    for (const Parameters& draw : draws) {
      const Eigen::Matrix<double, 2 * places, 1> off = moves * draw;
      double most = 0;
      for (Eigen::Index i = 0; i < places; ++i) most = std::max(most, off.segment<2>(2 * i).squaredNorm());
      largest.push_back(std::sqrt(most));
    }
    std::ranges::sort(largest);
    return largest;
  }

  [[nodiscard]] static Places without(Places places, std::size_t shot) {
    places.from.erase(places.from.begin() + static_cast<std::ptrdiff_t>(shot));
    places.to.erase(places.to.begin() + static_cast<std::ptrdiff_t>(shot));
    return places;
  }

  // -- residuals --------------------------------------------------------------------------------------------------
  /// A hypothesis: all shots were aimed, or one of them strayed.
  struct Hypothesis {
    Parameters by = Parameters::Zero();  ///< its map
    AimSpread::Likelihood likelihood{};  ///< of its residuals
    double weight = never;               ///< the logarithm of its likelihood; later its probability
  };

  /// How precisely these points determine the last two parameters, marginalised over the others.
  static Eigen::Matrix2d known_of_view(const Covariance& information) {
    return information.bottomRightCorner<2, 2>() -
           information.bottomLeftCorner<2, 6>() *
               information.topLeftCorner<6, 6>().ldlt().solve(information.topRightCorner<6, 2>());
  }

  /// Least squares, regularised towards a view from straight ahead according to this scatter of the shots.
  static std::optional<Parameters> drawn(const Places& places, double scatter) {
    auto p = solve(places, AimModel::affine, Parameters::Zero());
    if (!p) return std::nullopt;
    const double hard = square(scatter / usual_view);
    constexpr int rounds = 8;
    for (int round = 0; round < rounds; ++round) {
      Covariance left = Covariance::Zero();
      Parameters right = Parameters::Zero();
      for (std::size_t i = 0; i < places.from.size(); ++i) {
        const Jacobian j = by_parameters(*p, places.from[i]);
        left += j.transpose() * j;
        right += j.transpose() * (places.to[i] - mapped(*p, places.from[i]));
      }
      left.bottomRightCorner<2, 2>() += hard * Eigen::Matrix2d::Identity();
      right.tail<2>() -= hard * p->tail<2>();
      *p += left.ldlt().solve(right);
      if (!p->allFinite()) return std::nullopt;
    }
    for (const Eigen::Vector2d& at : places.from)
      if (!((*p)[6] * at.x() + (*p)[7] * at.y() + 1 > 0)) return std::nullopt;
    return p;
  }

  /// The likelihood of these points over all maps, with a prior against oblique views: from the least-squares residual
  /// and from the view that the points require, relative to the regularised map.
  [[nodiscard]] std::optional<Hypothesis> hypothesis(const Places& places, const AimSpread& spread) const {
    constexpr double usual_scatter = 0.004;
    const auto p = drawn(places, usual_scatter);
    if (!p) return std::nullopt;
    const Covariance all = information(places, *p);
    const double volume = all.determinant();
    const Eigen::Matrix2d view = known_of_view(all);
    if (!(volume > 0) || !(view.determinant() > 0)) return std::nullopt;
    Parameters slope = Parameters::Zero();
    for (std::size_t i = 0; i < places.from.size(); ++i)
      slope += by_parameters(*p, places.from[i]).transpose() * (places.to[i] - mapped(*p, places.from[i]));
    const Parameters to_least = all.ldlt().solve(slope);
    const double left = std::max(0.0, left_over(places, *p) - slope.dot(to_least));
    const Eigen::Vector2d seen = (*p + to_least).tail<2>();
    const Eigen::Matrix2d unknown = view.inverse();
    Hypothesis made{*p, {}, never};
    const int degrees = degrees_of(places.from.size());
    for (std::size_t i = 0; i < AimSpread::steps; ++i) {
      const double size = spread.sizes().at(i);
      const Eigen::Matrix2d of_view = square(size) * unknown + square(usual_view) * Eigen::Matrix2d::Identity();
      made.likelihood.at(i) = -degrees * shape::logarithm(size) - left / (2 * square(size)) -
                              shape::logarithm(of_view.determinant()) / 2 - seen.dot(of_view.inverse() * seen) / 2;
    }
    made.weight = spread.evidence(made.likelihood) - shape::logarithm(volume) / 2;
    return made;
  }

  /// All hypotheses, starting with the one that all shots were aimed; their weights add up to 1.
  [[nodiscard]] std::vector<Hypothesis> all_hypotheses(const AimSpread& spread) const {
    // the contribution of an aimed shot to the density of residuals in the plane
    constexpr double plane = 2 * std::numbers::pi;
    std::vector<Hypothesis> hypotheses{hypothesis(all_, spread).value_or(Hypothesis{})};
    for (std::size_t i = 0; i < shots_.size(); ++i) {
      Hypothesis one = hypothesis(without(all_, i), spread).value_or(Hypothesis{});
      if (one.weight > never) one.weight += shape::logarithm(plane * wild_shots * density(i, one.by));
      hypotheses.push_back(one);
    }
    const double best = std::ranges::max_element(hypotheses, {}, &Hypothesis::weight)->weight;
    double all = 0;
    for (Hypothesis& one : hypotheses) all += one.weight = shape::exponential(std::max(one.weight - best, -500.0));
    for (Hypothesis& one : hypotheses) one.weight /= all;
    return hypotheses;
  }

  /// The resulting map, regularised according to the scatter of these shots.
  [[nodiscard]] std::optional<Parameters> as_people_see() const {
    const auto first = drawn(all_, 0.004);
    if (!first) return std::nullopt;
    AimSpread spread{noise_of(*first)};
    const auto aimed = hypothesis(all_, spread);
    if (!aimed) return std::nullopt;
    spread.learn(aimed->likelihood);
    return drawn(all_, spread.typical());
  }

  /// The remaining error, its bound, and whether a shot strayed. The fit is doubtful if this is more likely than
  /// not, and a shot is named if it is certain which one.
  void judge(const Parameters& p, const AreaBox& over, GunFit& fit) const {
    AimSpread spread{noise_of(p)};
    const std::vector<Hypothesis> hypotheses = all_hypotheses(spread);
    const auto worst = std::ranges::max_element(hypotheses.begin() + 1, hypotheses.end(), {}, &Hypothesis::weight);
    constexpr double doubt = 0.5, surely = 0.9;
    constexpr std::size_t named_from = 6;
    if (hypotheses.front().weight < doubt) {
      fit.doubtful = shots_.size() < named_from || worst->weight < surely;
      if (!fit.doubtful) fit.bad_shot = static_cast<std::size_t>(worst - hypotheses.begin() - 1);
    }
    spread.learn(hypotheses.front().likelihood);
    fit.scatter = spread.typical();
    fit.aim.residual = std::sqrt(left_over(all_, p) / static_cast<double>(shots_.size()));
    fit.aim.bound = std::min(1.0, bound(p, spread, hypotheses, over) + lag_of(p));
  }

  /// The largest error over a part of the screen stays below this in 95 of 100 fits, and below twice this in nearly
  /// all: from the scatter, and from the distance between the map and those of the other hypotheses.
  [[nodiscard]] double bound(const Parameters& p, const AimSpread& spread, const std::vector<Hypothesis>& hypotheses,
                             const AreaBox& over) const {
    const std::vector<double> errors = largest_errors(p, spread.typical(), over);
    std::vector<double> apart;
    for (const Hypothesis& one : hypotheses)
      apart.push_back(&one == &hypotheses.front() ? 0 : apart_from(p, one.by, over));
    const auto exceeded = [&](double size) {
      double sum = 0;
      for (std::size_t i = 0; i < hypotheses.size(); ++i)
        if (hypotheses[i].weight > 1e-6)
          sum += hypotheses[i].weight * (size > apart[i] ? spread.exceeded(errors, size - apart[i]) : 1);
      return sum;
    };
    const auto not_exceeded_but = [&](double probability) {
      double low = 0, high = 10;
      constexpr int halvings = 40;
      for (int i = 0; i < halvings; ++i) {
        const double middle = (low + high) / 2;
        (exceeded(middle) > probability ? low : high) = middle;
      }
      return high;
    };
    return std::max(not_exceeded_but(not_kept), not_exceeded_but(doubled) / 2);
  }

  /// The largest distance between two maps along the edge of a part of the screen.
  [[nodiscard]] double apart_from(const Parameters& p, const Parameters& other, const AreaBox& over) const {
    double most = 0;
    for (const Eigen::Vector2d& at : edge_of(p, over)) {
      const double w = other[6] * at.x() + other[7] * at.y() + 1;
      if (!(w > 0.05)) return 10;  // the point is behind the gun in that map
      most = std::max(most, (mapped(p, at) - mapped(other, at)).norm());
    }
    return most;
  }

  static constexpr Eigen::Index a_side = 4, places = 4 * a_side;
  /// Points along the edge of a part of the screen, in the normalisation of the equations.
  [[nodiscard]] std::vector<Eigen::Vector2d> edge_of(const Parameters& p, const AreaBox& over) const {
    const shape::Projection back = shape::inverse(projection_of(p));
    std::vector<Eigen::Vector2d> all;
    for (Eigen::Index i = 0; i < places; ++i) {
      const double part = static_cast<double>(i % a_side) / a_side;
      const std::array<std::array<double, 2>, 4> along{{{part, 0}, {1, part}, {1 - part, 1}, {0, 1 - part}}};
      const auto& [x, y] = along.at(static_cast<std::size_t>(i / a_side));
      const shape::Point at = back(over.left + x * over.width, (over.top + y * over.height) * aspect_);
      all.emplace_back(at.x, at.y);
    }
    return all;
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
    case 5: {  // the first is on no line between two others, so any four of them determine a map, and a bad one is
               // found
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
  const auto is_sense = [](const Shot& shot) {
    return calibrate::is_raw(shot.raw) && std::isfinite(shot.target.x) && std::isfinite(shot.target.y);
  };
  if (!std::ranges::all_of(shots, is_sense) || !(screen.width > 0 && screen.height > 0) ||
      !std::isfinite(screen.width) || !std::isfinite(screen.height))
    return tl::unexpected(ShotFault{ShotRefusal::no_sense, {}});
  return Fitter{shots, screen}.run(over);
}

std::optional<AreaPoint> aimed(const AimCalibration& aim, RawPoint raw) noexcept {
  const auto map = shape::screen_map(aim);
  if (!map || !shape::is_before(*map, raw.x, raw.y)) return std::nullopt;
  const shape::Point at = (*map)(raw.x, raw.y);
  return AreaPoint{at.x, at.y};
}

}  // namespace omnipar::inline abi_0
