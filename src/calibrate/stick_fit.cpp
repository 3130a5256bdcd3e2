// From a stick's readings to what is kept of it.
#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "base/list.hpp"
#include "calibrate/gate.hpp"
#include "calibrate/readings.hpp"
#include "omnipar/calibrating.hpp"
#include "shape/measured.hpp"
#include "shape/turn.hpp"

namespace omnipar {
namespace {

using calibrate::GateFit, calibrate::quantile, calibrate::Rest;
using shape::Point;

constexpr std::size_t sectors = 48, least_rest = 50, least_sweep = 120, most_fitted = 600;
/// A stick that reaches less than this part of its declared range hardly moved.
constexpr double least_way = 0.15;
/// Readings at rest are nearer to it than this part of the way.
constexpr double most_noise = 0.12;
/// Behind a full push there is so much of the way left, so that it is reached surely.
constexpr double end_room = 0.006;
/// From one reading to the next, of the whole way around: 28 degrees.
constexpr double most_step = 0.08;

using shape::angle_of;

std::size_t sector_of(Point p, std::size_t count) {
  const double part = angle_of(p) / 360 + 1;
  return static_cast<std::size_t>(std::lround(part * static_cast<double>(count))) % count;
}

double length(Point p) { return std::sqrt(p.x * p.x + p.y * p.y); }

class StickFitting {
 public:
  explicit StickFitting(const StickReadings& readings)
      : in_(readings), sign_{readings.reversed_x ? -1.0 : 1.0, readings.reversed_y ? -1.0 : 1.0} {}

  tl::expected<StickFit, SweepFault> run() {
    if (in_.rest.size() < least_rest || in_.sweep.size() < least_sweep) return fault(SweepRefusal::too_few);
    find_way();
    const double declared = std::min(size_of(in_.declared_x), size_of(in_.declared_y));
    if (std::min(half_.x, half_.y) < std::max(least_way * declared / 2, 3.0)) return fault(SweepRefusal::no_way);
    rest_ = calibrate::rest_of(in_.rest, {2 * half_.x, 2 * half_.y});
    if (!in_.rest_after.empty()) find_if_it_stays();
    if (rest_.noise + rest_.drift > most_noise * std::min(half_.x, half_.y)) return fault(SweepRefusal::moves_at_rest);
    if (is_too_fast()) return fault(SweepRefusal::too_fast);
    const auto reached = directions_reached(in_hand(sweep_, in_), in_hand({rest_.at}, in_).front());
    SweepFault missing{SweepRefusal::not_around, {}, {}};
    for (std::size_t d = 0; d < reached.size(); ++d)
      if (!reached[d]) missing.directions.push_back(d);
    if (!missing.directions.empty()) return tl::unexpected(missing);
    take_edge();
    fit();
    if (stays_) rest_in_the_middle();
    if (auto refused = dents(); refused && !in_.as_it_is) return tl::unexpected(*refused);
    if (!in_.pushes.empty() && !turn_by_pushes()) return fault(SweepRefusal::pushes_differ);
    return result();
  }

 private:
  static tl::unexpected<SweepFault> fault(SweepRefusal why) { return tl::unexpected(SweepFault{why, {}, {}}); }
  static double size_of(DeclaredRange range) { return static_cast<double>(range.maximum) - range.minimum; }

  /// The way by robust ends, and the sweep without its spikes.
  void find_way() {
    const auto half_way = [](const std::vector<double>& values) {
      return (quantile(values, 0.98) - quantile(values, 0.02)) / 2;
    };
    half_ = {half_way(calibrate::of_x(in_.sweep)), half_way(calibrate::of_y(in_.sweep))};
    const auto clean = calibrate::clean(in_.sweep, {2 * half_.x, 2 * half_.y});
    sweep_ = clean.readings;
    spikes_ = clean.spikes;
  }

  [[nodiscard]] Point from_rest(RawPoint raw) const {
    return {(raw.x - rest_.at.x) / half_.x * sign_.x, (raw.y - rest_.at.y) / half_.y * sign_.y};
  }
  [[nodiscard]] RawPoint to_raw(Point p) const {
    return {rest_.at.x + p.x * half_.x * sign_.x, rest_.at.y + p.y * half_.y * sign_.y};
  }

  /// Between two readings that differ, while it is well away from rest.
  [[nodiscard]] bool is_too_fast() const {
    std::vector<double> steps;
    Point before = from_rest(sweep_.front());
    for (const RawPoint& raw : sweep_) {
      const Point now = from_rest(raw);
      if (now == before) continue;
      if (length(now) > 0.5 && length(before) > 0.5) {
        steps.push_back(std::fabs(std::remainder(angle_of(now) - angle_of(before), 360)) / 360);
      }
      before = now;
    }
    return quantile(steps, 0.75) > most_step;
  }

  [[nodiscard]] bool is_clipped(RawPoint raw) const {
    const auto at_end = [](double value, DeclaredRange range) {
      return range != DeclaredRange{} && (value <= range.minimum + 0.5 || value >= range.maximum - 0.5);
    };
    return at_end(raw.x, in_.declared_x) || at_end(raw.y, in_.declared_y);
  }

  /// What is clearly at the edge: near the farthest of its direction. What the unit clips says nothing of it.
  void take_edge() {
    std::array<std::vector<double>, sectors> far;
    for (const RawPoint& raw : sweep_) {
      const Point p = from_rest(raw);
      far.at(sector_of(p, sectors)).push_back(length(p));
    }
    std::array<double, sectors> reach{};
    for (std::size_t s = 0; s < sectors; ++s) reach.at(s) = quantile(far.at(s), 0.8);
    for (const RawPoint& raw : sweep_) {
      const Point p = from_rest(raw);
      if (length(p) < 0.85 * reach.at(sector_of(p, sectors)) || length(p) < 0.4) continue;
      if (is_clipped(raw))
        ++clipped_;
      else
        edge_.push_back(p);
    }
    const std::size_t step = edge_.size() / most_fitted + 1;
    for (std::size_t i = 0; i < edge_.size(); i += step) fitted_.push_back(edge_[i]);
  }

  void fit() {
    gate_.spread = 1;
    for (const StickGate gate : {StickGate::round, StickGate::square, StickGate::octagon}) {
      const GateFit fit = calibrate::fit_gate(gate, fitted_);
      if (fit.spread < gate_.spread * 0.97) gate_ = fit;  // a circle unless something else fits better
    }
    const double noise = rest_.noise / std::min(half_.x, half_.y);
    const bool is_odd = in_.as_it_is && clear_errors() > 0.1;
    if (gate_.spread <= std::max(0.02, 1.2 * noise) && !is_odd) {
      outline_ = calibrate::corners_of(gate_);
      return;
    }
    gate_ = {StickGate::other, {1, 1}, 0, {}, gate_.spread};
    outline_ = calibrate::hull_of(sector_ends());
  }

  /// The part of the edge that the gate is clearly not.
  [[nodiscard]] double clear_errors() const {
    const auto errors = calibrate::errors_of(gate_, fitted_);
    const auto count = std::ranges::count_if(errors, [](double error) { return error < -0.08; });
    return static_cast<double>(count) / static_cast<double>(std::max<std::size_t>(1, errors.size()));
  }

  /// By what was reached in each direction.
  [[nodiscard]] std::vector<Point> sector_ends() const {
    std::array<std::vector<double>, sectors> far;
    for (const Point& p : edge_) far.at(sector_of(p, sectors)).push_back(length(p));
    std::vector<Point> ends;
    for (std::size_t s = 0; s < sectors; ++s) {
      if (far.at(s).empty()) continue;
      const shape::Turn by = shape::turn_by(360.0 * static_cast<double>(s) / sectors);
      const double reach = calibrate::median(far.at(s));
      ends.push_back({reach * by.cosine, reach * by.sine});
    }
    return ends;
  }

  /// Directions in which it stayed clearly inside of what the fit says.
  [[nodiscard]] std::optional<SweepFault> dents() const {
    const auto map = shape::stick_map(calibration(), in_.reversed_x, in_.reversed_y);
    if (!map) return SweepFault{SweepRefusal::not_at_edge, {}, {}};
    std::array<double, 16> best{};
    for (const RawPoint& raw : sweep_) {
      const Point p = from_rest(raw);
      double& most = best.at(sector_of(p, best.size()));
      most = std::max(most, shape::part_of_way(*map, shape::by_hand(*map, raw.x, raw.y)));
    }
    SweepFault fault{SweepRefusal::not_at_edge, {}, {}};
    const double noise = rest_.noise / std::min(half_.x, half_.y);
    for (std::size_t s = 0; s < best.size(); ++s)
      if (const std::size_t d = ((s + 1) / 2) % 8;
          best.at(s) < 0.9 - noise && (fault.directions.empty() || fault.directions.back() != d))
        fault.directions.push_back(d);
    return fault.directions.empty() ? std::nullopt : std::optional{fault};
  }

  /// By four pushes, straight up, right, down and left. A gate that has its own angle says it better, but not which of
  /// its sides is up.
  bool turn_by_pushes() {
    constexpr std::array<double, 4> asked{-90, 0, 90, 180};
    constexpr double most_apart = 20;
    std::vector<double> off;
    for (std::size_t i = 0; i < std::min<std::size_t>(4, in_.pushes.size()); ++i) {
      const Point p = from_rest(in_.pushes[i]);
      const Point even{p.x / gate_.wide.x, p.y / gate_.wide.y};
      if (length(even) < 0.4) return false;
      off.push_back(std::remainder(angle_of(even) - asked.at(i), 360));
    }
    const double first = off.front();
    double mean = 0;
    for (const double angle : off) mean += first + std::remainder(angle - first, 360);
    mean /= static_cast<double>(off.size());
    for (const double angle : off)
      if (std::fabs(std::remainder(angle - mean, 360)) > most_apart) return false;
    mean = std::remainder(mean, 360);
    if (gate_.gate == StickGate::round || gate_.gate == StickGate::other) {
      gate_.turned = mean;
    } else {
      const double step = gate_.gate == StickGate::square ? 90 : 45;
      gate_.turned += step * std::round((mean - gate_.turned) / step);
    }
    return true;
  }

  /// Who lets go of it finds it elsewhere: until more is known its middle is that of its ends.
  void find_if_it_stays() {
    const RawPoint after = calibrate::rest_of(in_.rest_after, {2 * half_.x, 2 * half_.y}).at;
    stays_ = length(from_rest(after)) > 0.1;
    if (!stays_) return;
    const auto middle = [](const std::vector<double>& values) {
      return (quantile(values, 0.98) + quantile(values, 0.02)) / 2;
    };
    rest_.at = {middle(calibrate::of_x(in_.sweep)), middle(calibrate::of_y(in_.sweep))};
  }

  /// Its middle is that of its gate.
  void rest_in_the_middle() {
    Point middle{};
    if (gate_.gate == StickGate::other) {
      for (const Point& corner : outline_) middle = {middle.x + corner.x, middle.y + corner.y};
      middle = {middle.x / static_cast<double>(outline_.size()), middle.y / static_cast<double>(outline_.size())};
    } else {
      middle = shape::turned(gate_.off, shape::turn_by(gate_.turned));
      middle = {middle.x * gate_.wide.x, middle.y * gate_.wide.y};
    }
    for (std::vector<Point>* points : {&outline_, &edge_})
      for (Point& p : *points) p = {p.x - middle.x, p.y - middle.y};
    rest_.at = to_raw(middle);
  }

  [[nodiscard]] StickCalibration calibration() const {
    StickCalibration stick;
    const auto fine = [](double raw) { return std::round(raw * 1000) / 1000; };
    stick.rest = {fine(rest_.at.x), fine(rest_.at.y)};
    stick.width = {fine(gate_.wide.x * half_.x), fine(gate_.wide.y * half_.y)};
    stick.turned = fine(gate_.turned);
    stick.gate = gate_.gate;
    std::vector<Point> corners;
    // a little inside, so that a full push is one in every direction
    const double inside = 1 - end_room - 0.5 / std::min(half_.x, half_.y);
    for (const Point& corner : outline_) {
      const RawPoint raw = to_raw({corner.x * inside, corner.y * inside});
      corners.push_back({raw.x, raw.y});
    }
    if (in_.declared_x != DeclaredRange{} && in_.declared_y != DeclaredRange{})
      corners = calibrate::within(std::move(corners), {double(in_.declared_x.minimum), double(in_.declared_y.minimum)},
                                  {double(in_.declared_x.maximum), double(in_.declared_y.maximum)});
    for (const Point& corner : corners) stick.edge.push_back({fine(corner.x), fine(corner.y)});
    stick.declared_x = in_.declared_x;
    stick.declared_y = in_.declared_y;
    return stick;
  }

  StickFit result() {
    StickFit fit{calibration(), {}};
    StickCalibration& stick = fit.stick;
    const auto map = shape::stick_map(stick, in_.reversed_x, in_.reversed_y);
    std::vector<double> errors;
    for (const Point& p : edge_) {
      const RawPoint raw = to_raw(p);
      errors.push_back(std::fabs(shape::part_of_way(*map, shape::by_hand(*map, raw.x, raw.y)) - 1));
    }
    stick.measured.count = static_cast<std::int32_t>(in_.rest.size() + in_.sweep.size());
    stick.measured.error = std::round(quantile(errors, 0.95) * 1e4) / 1e4;
    stick.measured.noise = std::round((rest_.noise + rest_.drift) * 100) / 100;
    stick.own_dead_zone = own_dead_zone(*map);
    stick.own_snap = own_snap();
    stick.self_centering = !stays_;
    add_notes(fit);
    return fit;
  }

  /// Where nothing was ever read between the rest and a ring around it, although it went through there often.
  [[nodiscard]] double own_dead_zone(const shape::StickMap& map) const {
    std::vector<double> ways;
    int crossings = 0;
    bool was_in = true;
    const double noise = rest_.noise / std::min(half_.x, half_.y);
    for (const RawPoint& raw : sweep_) {
      const double way = length(shape::position(map, raw.x, raw.y));
      const bool is_in = way < noise + 0.02;
      crossings += is_in != was_in ? 1 : 0;
      was_in = is_in;
      if (!is_in) ways.push_back(way);
    }
    if (crossings < 4 || ways.empty()) return 0;
    const double least = *std::ranges::min_element(ways);
    // only who went through there slowly could have been seen
    const auto close = std::ranges::count_if(ways, [least](double way) { return way < least + 0.1; });
    constexpr int surely = 12;
    return least > 0.06 + noise && close >= surely ? std::min(std::floor(least * 100) / 100, most_own_dead_zone) : 0;
  }

  /// Degrees beside the unit's own axes in which it never is, although it is often exactly on them.
  [[nodiscard]] double own_snap() const {
    constexpr double straight = 0.3, least = 3;
    constexpr int many = 12;
    int exact = 0;
    std::vector<double> beside;
    for (const Point& p : edge_) {
      const double off = std::fabs(std::remainder(angle_of(p), 90));
      if (off < straight)
        ++exact;
      else
        beside.push_back(off);
    }
    if (exact < many || beside.empty()) return 0;
    const double gap = *std::ranges::min_element(beside);
    const auto close = std::ranges::count_if(beside, [gap](double off) { return off < gap + 3; });
    return gap >= least && close >= many ? std::floor(gap) : 0;
  }

  void add_notes(StickFit& fit) const {
    const double width = std::min(half_.x, half_.y);
    if (rest_.spikes + spikes_ > 0)
      fit.notes.push_back(
          fmt::format("{} left out: it jumps now and then",
                      quantity(static_cast<std::size_t>(rest_.spikes) + static_cast<std::size_t>(spikes_), "spike")));
    if (rest_.drift > 0.02 * width)
      fit.notes.push_back(fmt::format("its rest drifts by {:.1f} % of the way", 100 * rest_.drift / width));
    if (clipped_ > edge_.size() / 20)
      fit.notes.emplace_back("it goes beyond the range that it declares: what is beyond cannot be seen");
    if (fit.stick.own_dead_zone > 0)
      fit.notes.push_back(fmt::format("it has a dead zone of its own, {:.2f} of the way", fit.stick.own_dead_zone));
    if (fit.stick.own_snap > 0)
      fit.notes.push_back(fmt::format("it makes pushes straight by itself, within {:g} degrees", fit.stick.own_snap));
    if (stays_) fit.notes.emplace_back("it is not self-centering: the middle of its way is taken for its rest");
    if (gate_.gate == StickGate::round && in_.pushes.empty())
      fit.notes.emplace_back("how it is turned is not known: its gate is round, and nobody was asked");
  }

  const StickReadings& in_;
  Point sign_;  ///< of both axes, as the hand has them
  Point half_;
  Rest rest_;
  std::vector<RawPoint> sweep_;
  int spikes_ = 0;
  std::size_t clipped_ = 0;
  bool stays_ = false;
  std::vector<Point> edge_, fitted_;
  GateFit gate_;
  std::vector<Point> outline_;
};

}  // namespace

std::vector<RawPoint> in_hand(std::vector<RawPoint> points, const StickReadings& of) {
  for (RawPoint& point : points) point = {of.reversed_x ? -point.x : point.x, of.reversed_y ? -point.y : point.y};
  return points;
}

std::array<bool, 8> directions_reached(const std::vector<RawPoint>& sweep, RawPoint rest) {
  constexpr std::size_t fine = 16;
  constexpr std::size_t least = 3;
  std::array<std::vector<double>, fine> far;
  for (const RawPoint& raw : sweep) {
    const Point p{raw.x - rest.x, raw.y - rest.y};
    if (p != Point{}) far.at(sector_of(p, fine)).push_back(length(p));
  }
  std::vector<double> ends;
  for (const auto& sector : far)
    if (!sector.empty()) ends.push_back(quantile(sector, 0.9));
  const double usual = calibrate::median(ends);
  std::array<bool, 8> reached{};
  reached.fill(!ends.empty());
  for (std::size_t s = 0; s < fine; ++s) {
    const auto count =
        static_cast<std::size_t>(std::ranges::count_if(far.at(s), [usual](double way) { return way >= 0.45 * usual; }));
    // each direction has its own sector and a half of both beside it
    if (count >= least) continue;
    reached.at((s / 2) % 8) = false;
    if (s % 2 == 1) reached.at((s / 2 + 1) % 8) = false;
  }
  return reached;
}

tl::expected<StickFit, SweepFault> fit_stick(const StickReadings& readings) { return StickFitting{readings}.run(); }

}  // namespace omnipar
