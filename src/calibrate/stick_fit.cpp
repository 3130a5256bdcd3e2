// From a stick's readings to its calibration.
#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>

#include <fmt/format.h>

#include "base/list.hpp"
#include "calibrate/gate.hpp"
#include "calibrate/limits.hpp"
#include "calibrate/orientation.hpp"
#include "calibrate/readings.hpp"
#include "calibrate/returns.hpp"
#include "omnipar/calibrating.hpp"
#include "shape/measured.hpp"
#include "shape/turn.hpp"

namespace omnipar::inline abi_0 {
namespace {

using calibrate::GateFit, calibrate::quantile, calibrate::Rest;
using shape::Point;

constexpr std::size_t sectors = 48, least_rest = 50, least_sweep = 120, most_fitted = 600;
/// The margin beyond a full push, as a fraction of the range, so that it is reached reliably.
constexpr double end_room = 0.006;
/// The largest error of pushes from the corners of a gate, in degrees.
constexpr double most_beside_gate = 9;
/// Degrees below which a gate counts as straight.
constexpr double least_turn = 0.7;

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
    if (in_.rest.size() < least_rest) return fault(SweepRefusal::too_few);
    find_way();
    const double declared = std::min(size_of(in_.declared_x), size_of(in_.declared_y));
    if (std::min(half_.x, half_.y) < std::max(calibrate::least_way * declared / 2, 3.0))
      return fault(SweepRefusal::no_way);
    find_rest();
    if (rest_.noise + rest_.drift > calibrate::most_noise * std::min(half_.x, half_.y))
      return fault(SweepRefusal::moves_at_rest);
    if (calibrate::is_too_fast(sweep_, rest_.at, {half_.x, half_.y})) return fault(SweepRefusal::too_fast);
    if (in_.sweep.size() < least_sweep) return fault(SweepRefusal::too_few);
    if (!find_orientation()) return fault(SweepRefusal::pushes_differ);
    const auto reached = directions_reached(hand_of(sweep_), hand_of({rest_.at}).front());
    SweepFault missing{SweepRefusal::not_around, {}, {}};
    for (std::size_t d = 0; d < reached.size(); ++d)
      if (!reached[d]) missing.directions.push_back(d);
    if (!missing.directions.empty()) return tl::unexpected(missing);
    find_edge();
    fit();
    if (stays_) rest_in_the_middle();
    if (auto refused = dents(); refused && !in_.as_it_is) return tl::unexpected(*refused);
    if (auto refused = pushed_farther(); refused && !in_.as_it_is) return tl::unexpected(*refused);
    find_rotation();
    return result();
  }

 private:
  static tl::unexpected<SweepFault> fault(SweepRefusal why) { return tl::unexpected(SweepFault{why, {}, {}}); }
  static double size_of(DeclaredRange range) { return static_cast<double>(range.maximum) - range.minimum; }

  [[nodiscard]] std::vector<RawPoint> hand_of(std::vector<RawPoint> points) const {
    for (RawPoint& point : points) point = {point.x * sign_.x, point.y * sign_.y};
    return points;
  }

  /// The range by robust ends, and the sweep without its spikes.
  void find_way() {
    const auto half_way = [](const std::vector<double>& values) {
      return (quantile(values, 0.98) - quantile(values, 0.02)) / 2;
    };
    half_ = {half_way(calibrate::of_x(in_.sweep)), half_way(calibrate::of_y(in_.sweep))};
    const auto clean = calibrate::clean(in_.sweep, {2 * half_.x, 2 * half_.y});
    sweep_ = clean.readings;
    spikes_ = clean.spikes;
    step_ = {calibrate::smallest_step(calibrate::of_x(sweep_)), calibrate::smallest_step(calibrate::of_y(sweep_))};
  }
  /// The smallest step between raw numbers actually used, as a fraction of the range.
  [[nodiscard]] double step() const { return std::max(step_.x / half_.x, step_.y / half_.y); }
  [[nodiscard]] double noise() const { return rest_.noise / std::min(half_.x, half_.y); }

  /// The rest: the centre of the positions where it stopped, if they are further apart than its noise.
  void find_rest() {
    rest_ = calibrate::rest_of(in_.rest, {2 * half_.x, 2 * half_.y});
    if (does_it_stay()) {
      stays_ = true;
      const auto middle = [](const std::vector<double>& values) {
        return (quantile(values, 0.98) + quantile(values, 0.02)) / 2;
      };
      rest_.at = {middle(calibrate::of_x(in_.sweep)), middle(calibrate::of_y(in_.sweep))};
      return;
    }
    std::vector<RawPoint> stops{rest_.at};
    const auto add = [&](const std::vector<RawPoint>& stopped) {
      for (const RawPoint& end : calibrate::ends_of(stopped))
        if (length(from_rest(end)) < calibrate::back_at_rest)
          stops.push_back(end);  // otherwise a thumb was still on it
    };
    add(in_.rest_after);
    for (const auto& stopped : in_.returns) add(stopped);
    const double way = std::min(half_.x, half_.y);
    const auto circle = calibrate::circle_around(stops, {way, way});
    const double far = circle.radius * way, raw_step = std::max(step_.x, step_.y);
    constexpr double part_of_step = 0.7;  // next time it may stop on the other side of a step
    returns_ = far + part_of_step * raw_step;
    if (far > std::max(rest_.noise, raw_step)) rest_.at = circle.middle;
  }

  /// It is not self-centering if it stayed near where it was pushed to, or, without pushes, if it was left elsewhere.
  [[nodiscard]] bool does_it_stay() const {
    const std::size_t known = std::min(in_.pushes.size(), in_.returns.size());
    if (known == 0)
      return !in_.rest_after.empty() && length(from_rest(calibrate::median(in_.rest_after))) > calibrate::back_at_rest;
    std::size_t stayed = 0;
    for (std::size_t i = 0; i < known; ++i) {
      const double push = length(from_rest(in_.pushes[i]));
      if (!in_.returns[i].empty() &&
          length(from_rest(calibrate::median(in_.returns[i]))) > calibrate::left_there * push)
        ++stayed;
    }
    return 2 * stayed > known;
  }

  /// How it is mounted in its housing, according to the pushes.
  bool find_orientation() {
    if (in_.pushes.empty()) return true;
    std::vector<Point> pushes;
    for (const RawPoint& raw : in_.pushes) pushes.push_back(from_rest(raw));
    for (const Point& push : pushes)
      if (length(push) < 0.3) return false;
    orientation_ = calibrate::orientation_of(pushes);
    if (!orientation_) return false;
    flip_ = orientation_->flip;
    sign_ = {sign_.x * flip_.x, sign_.y * flip_.y};
    return true;
  }

  [[nodiscard]] Point from_rest(RawPoint raw) const {
    return {(raw.x - rest_.at.x) / half_.x * sign_.x, (raw.y - rest_.at.y) / half_.y * sign_.y};
  }
  [[nodiscard]] RawPoint to_raw(Point p) const {
    return {rest_.at.x + p.x * half_.x * sign_.x, rest_.at.y + p.y * half_.y * sign_.y};
  }

  [[nodiscard]] bool is_clipped(RawPoint raw) const {
    const auto at_end = [](double value, DeclaredRange range) {
      return range != DeclaredRange{} && (value <= range.minimum + 0.5 || value >= range.maximum - 0.5);
    };
    return at_end(raw.x, in_.declared_x) || at_end(raw.y, in_.declared_y);
  }

  /// Collects readings clearly at the edge: near the furthest in their direction. Clipped readings are ignored.
  void find_edge() {
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
    // coarse raw numbers sometimes make a circle look like a shape with corners
    const double clearly_better = step() > 0.02 ? 0.75 : 0.97;
    gate_.spread = 1;
    for (const StickGate gate : {StickGate::round, StickGate::square, StickGate::octagon}) {
      const GateFit fit = calibrate::fit_gate(gate, fitted_);
      if (fit.spread < gate_.spread * clearly_better) gate_ = fit;  // a circle unless another shape fits better
    }
    const bool is_odd = in_.as_it_is && clear_errors() > 0.1;
    if (gate_.spread <= std::max({0.02, 1.2 * noise(), 0.6 * step()}) && !is_odd) {
      outline_ = reached_of_gate();
      return;
    }
    gate_ = {StickGate::other, {1, 1}, 0, {}, gate_.spread};
    outline_ = calibrate::hull_of(sector_ends());
  }

  /// The gate's edge; where the reach was consistently smaller on every turn, that reach instead: a sensor
  /// that saturates, a rounded corner.
  [[nodiscard]] std::vector<Point> reached_of_gate() const {
    std::vector<Point> corners = calibrate::corners_of(gate_);
    std::array<std::vector<double>, sectors> parts, lengths;
    for (const RawPoint& raw : sweep_) {
      const Point p = from_rest(raw);
      if (length(p) < 0.4 || is_clipped(raw)) continue;
      parts.at(sector_of(p, sectors)).push_back(1 + calibrate::errors_of(gate_, {p}).front());
      lengths.at(sector_of(p, sectors)).push_back(length(p));
    }
    const double enough = 1 - 0.004 - 0.3 * noise() - 0.3 * step();
    constexpr std::size_t few = 4;
    // where only the second of two sweeps was complete, the second counts
    const auto farthest = [](const std::vector<double>& ways) {
      const double near = 0.88 * quantile(ways, 0.95);
      std::vector<double> far;
      std::ranges::copy_if(ways, std::back_inserter(far), [near](double way) { return way >= near; });
      return calibrate::median(std::move(far));
    };
    std::array<double, sectors> reach{}, edge{};
    bool is_whole = true;
    for (std::size_t s = 0; s < sectors; ++s) {
      const double part = parts.at(s).size() < few ? 1 : farthest(parts.at(s));
      edge.at(s) = to_edge_of_gate(direction_of(s));
      reach.at(s) = part < enough ? std::min(farthest(lengths.at(s)), edge.at(s)) : edge.at(s);
    }
    const std::array<double, sectors> alone = reach;
    for (std::size_t s = 0; s < sectors; ++s) {  // a single sector is not enough
      const auto is_at_gate = [&](std::size_t other) { return alone.at(other) == edge.at(other); };
      if (is_at_gate((s + 1) % sectors) && is_at_gate((s + sectors - 1) % sectors)) reach.at(s) = edge.at(s);
      is_whole = is_whole && reach.at(s) == edge.at(s);
    }
    if (is_whole) return corners;
    std::vector<Point> points;
    for (const Point& corner : corners) {
      const std::size_t s = sector_of(corner, sectors);
      if (gate_.gate != StickGate::round && reach.at(s) == edge.at(s)) points.push_back(corner);
    }
    for (std::size_t s = 0; s < sectors; ++s) {
      const Point direction = direction_of(s);
      points.push_back({reach.at(s) * direction.x, reach.at(s) * direction.y});
    }
    return calibrate::hull_of(points);
  }

  static Point direction_of(std::size_t sector) {
    const shape::Turn by = shape::turn_by(360.0 * static_cast<double>(sector) / sectors);
    return {by.cosine, by.sine};
  }

  /// The distance to the gate's edge in a direction.
  [[nodiscard]] double to_edge_of_gate(Point direction) const {
    double low = 0, high = 4;
    constexpr int halvings = 40;
    for (int i = 0; i < halvings; ++i) {
      const double middle = (low + high) / 2;
      (calibrate::errors_of(gate_, {{direction.x * middle, direction.y * middle}}).front() <= 0 ? low : high) = middle;
    }
    return low;
  }

  /// The part of the edge where the gate clearly does not match.
  [[nodiscard]] double clear_errors() const {
    const auto errors = calibrate::errors_of(gate_, fitted_);
    const auto count = std::ranges::count_if(errors, [](double error) { return error < -0.08; });
    return static_cast<double>(count) / static_cast<double>(std::max<std::size_t>(1, errors.size()));
  }

  /// By the reach in each direction.
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

  /// Directions in which the readings stayed clearly inside the fitted edge.
  [[nodiscard]] std::optional<SweepFault> dents() const {
    const auto map = shape::stick_map(calibration(calibrate::corners_of(gate_)), in_.reversed_x, in_.reversed_y);
    if (!map) return SweepFault{SweepRefusal::not_at_edge, {}, {}};
    std::array<double, 16> best{};
    for (const RawPoint& raw : sweep_) {
      const Point p = from_rest(raw);
      double& most = best.at(sector_of(p, best.size()));
      most = std::max(most, shape::part_of_way(*map, shape::by_hand(*map, raw.x, raw.y)));
    }
    SweepFault fault{SweepRefusal::not_at_edge, {}, {}};
    for (std::size_t s = 0; s < best.size(); ++s)
      if (best.at(s) < calibrate::least_reach - noise()) add_direction(fault, ((s + 1) / 2) % 8);
    return fault.directions.empty() ? std::nullopt : std::optional{fault};
  }

  static void add_direction(SweepFault& fault, std::size_t direction) {
    if (std::ranges::find(fault.directions, direction) == fault.directions.end()) fault.directions.push_back(direction);
  }

  /// Pushes that went clearly further than the sweep. If a second sweep does not change this, the edge is extended to
  /// them.
  std::optional<SweepFault> pushed_farther() {
    SweepFault fault{SweepRefusal::not_at_edge, {}, {}};
    const auto map = shape::stick_map(calibration(outline_), in_.reversed_x, in_.reversed_y);
    if (!map) return std::nullopt;
    std::vector<std::pair<double, double>> beyond;  // angles and distances
    for (std::size_t i = 0; i < in_.pushes.size(); ++i) {
      const RawPoint raw = in_.pushes[i];
      const double part = shape::part_of_way(*map, shape::by_hand(*map, raw.x, raw.y));
      if (is_clipped(raw)) continue;
      beyond.emplace_back(shape::angle_of(from_rest(raw)), std::max(1.0, part));
      constexpr std::array<std::size_t, 4> asked{6, 0, 2, 4};  // up, right, down, left
      if (part > calibrate::beyond_sweep + noise()) add_direction(fault, asked.at(i % asked.size()));
    }
    if (fault.directions.empty()) return std::nullopt;
    if (in_.as_it_is) move_edge_out(beyond);
    return fault;
  }

  /// Interpolates between two pushes by angle.
  void move_edge_out(const std::vector<std::pair<double, double>>& beyond) {
    for (Point& corner : outline_) {
      const double angle = shape::angle_of(corner);
      double sum = 0, weights = 0;
      for (const auto& [at, part] : beyond) {
        const double near = std::max(0.0, 1 - std::fabs(std::remainder(angle - at, 360)) / 90);
        sum += near * part;
        weights += near;
      }
      const double farther = weights > 0 ? sum / weights : 1;
      corner = {corner.x * farther, corner.y * farther};
    }
    outline_ = calibrate::hull_of(outline_);
  }

  /// Determines the rotation from the corners of the gate, which are more accurate than pushes; the pushes decide which
  /// corner is up. Without corners, the pushes alone decide if they are clear.
  void find_rotation() {
    const bool has_corners = gate_.gate == StickGate::square || gate_.gate == StickGate::octagon;
    if (!orientation_) {
      if (!has_corners) gate_.turned = 0;
      return;
    }
    const double pushed = orientation_->turned;
    if (has_corners) {
      const double step = gate_.gate == StickGate::square ? 90 : 45;
      const double by_gate = gate_.turned + step * std::round((pushed - gate_.turned) / step);
      if (std::fabs(by_gate - pushed) <= std::max(most_beside_gate, 3 * orientation_->error)) {
        gate_.turned = std::fabs(by_gate) < least_turn ? 0 : by_gate;
        return;
      }
    }
    constexpr double surely = 3;
    gate_.turned = std::fabs(pushed) > surely * orientation_->error ? pushed : 0;
  }

  /// Its centre is that of its gate.
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

  [[nodiscard]] StickCalibration calibration(const std::vector<Point>& outline) const {
    StickCalibration stick;
    const auto fine = [](double raw) { return std::round(raw * 1000) / 1000; };
    stick.rest = {fine(rest_.at.x), fine(rest_.at.y)};
    stick.width = {flip_.x * fine(gate_.wide.x * half_.x), flip_.y * fine(gate_.wide.y * half_.y)};
    stick.turned = fine(gate_.turned);
    stick.gate = gate_.gate;
    std::vector<Point> corners;
    // slightly inside, so that a full push reaches 1 in every direction
    const double inside = 1 - end_room - 0.5 / std::min(half_.x, half_.y);
    for (const Point& corner : outline) {
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
    StickFit fit{calibration(outline_), {}};
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
    stick.measured.returns = std::round(returns_ * 100) / 100;
    stick.own_dead_zone = own_dead_zone(*map);
    stick.own_snap = own_snap();
    stick.self_centering = !stays_;
    add_notes(fit);
    return fit;
  }

  /// A ring around the rest that contains no reading, although the stick crossed it often.
  [[nodiscard]] double own_dead_zone(const shape::StickMap& map) const {
    std::vector<double> ways;
    int crossings = 0;
    bool was_in = true;
    for (const RawPoint& raw : sweep_) {
      const double way = length(shape::position(map, raw.x, raw.y));
      const bool is_in = way < noise() + 0.02;
      crossings += is_in != was_in ? 1 : 0;
      was_in = is_in;
      if (!is_in) ways.push_back(way);
    }
    if (crossings < 4 || ways.empty()) return 0;
    const double least = *std::ranges::min_element(ways);
    // only a slow crossing would have been read
    const auto close = std::ranges::count_if(ways, [least](double way) { return way < least + 0.1; });
    constexpr int surely = 12;
    return least > 0.06 + noise() + 1.5 * step() && close >= surely
               ? std::min(std::floor(least * 100) / 100, most_own_dead_zone)
               : 0;
  }

  /// The angle beside the unit's own axes without any reading, although many are exactly on them.
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
    constexpr double degrees = 57.3;  // of one step of the raw numbers at the edge
    return gap >= least + 2 * degrees * step() && close >= many ? std::floor(gap) : 0;
  }

  void add_notes(StickFit& fit) const {
    const double width = std::min(half_.x, half_.y);
    if (rest_.spikes + spikes_ > 0)
      fit.notes.push_back(
          fmt::format("{} ignored because it jumps occasionally",
                      quantity(static_cast<std::size_t>(rest_.spikes) + static_cast<std::size_t>(spikes_), "spike")));
    if (rest_.drift > 0.02 * width)
      fit.notes.push_back(fmt::format("its rest position drifts by {:.1f} %", 100 * rest_.drift / width));
    if (clipped_ > edge_.size() / 20)
      fit.notes.emplace_back("it exceeds its declared range, and positions beyond it are lost");
    if (fit.stick.own_dead_zone > 0)
      fit.notes.push_back(fmt::format("it has its own dead zone of {:.2f}", fit.stick.own_dead_zone));
    if (fit.stick.own_snap > 0)
      fit.notes.push_back(fmt::format("it snaps to its axes within {:g} degrees", fit.stick.own_snap));
    if (returns_ > 0.02 * width)
      fit.notes.push_back(fmt::format("hysteresis: after release it stops within {:.1f} % of its rest position",
                                      100 * returns_ / width));
    if (flip_ != Point{1, 1})
      fit.notes.push_back(fmt::format("its {} axis is reversed; this is corrected", flip_.x < 0 ? "x" : "y"));
    if (stays_) fit.notes.emplace_back("not self-centering: the middle of its range is used as its rest position");
    if (gate_.gate == StickGate::round && in_.pushes.empty())
      fit.notes.emplace_back("its rotation is unknown because pushes were skipped");
  }

  const StickReadings& in_;
  Point sign_;  ///< of both axes, in the user's directions
  Point half_;
  Point flip_{1, 1};  ///< -1: an axis that is reversed relative to its sheet
  Rest rest_;
  double returns_ = 0;
  std::optional<calibrate::Orientation> orientation_;
  std::vector<RawPoint> sweep_;
  Point step_;
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
    // each direction has its own sector and half of both neighbours
    if (count >= least) continue;
    reached.at((s / 2) % 8) = false;
    if (s % 2 == 1) reached.at((s / 2 + 1) % 8) = false;
  }
  return reached;
}

tl::expected<StickFit, SweepFault> fit_stick(const StickReadings& readings) {
  StickReadings said = readings;
  const auto drop = [](std::vector<RawPoint>& points) {
    std::erase_if(points, [](RawPoint at) { return !calibrate::is_raw(at); });
  };
  for (std::vector<RawPoint>* points : {&said.rest, &said.sweep, &said.rest_after, &said.pushes}) drop(*points);
  for (std::vector<RawPoint>& points : said.returns) drop(points);
  return StickFitting{said}.run();
}

}  // namespace omnipar::inline abi_0
