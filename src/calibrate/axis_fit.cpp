// From the readings of a single axis to its calibration.
#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "base/list.hpp"
#include "calibrate/limits.hpp"
#include "calibrate/readings.hpp"
#include "calibrate/returns.hpp"
#include "omnipar/calibrating.hpp"
#include "shape/measured.hpp"

namespace omnipar::inline abi_0 {
namespace {

using calibrate::quantile, calibrate::Rest;

constexpr std::size_t least_rest = 50, least_sweep = 60;
/// The margin beyond a full push, as a fraction of the range, so that it is reached reliably.
constexpr double end_room = 0.006;

std::vector<RawPoint> as_points(const std::vector<double>& values) {
  std::vector<RawPoint> points;
  for (const double value : values) points.push_back({value, 0});
  return points;
}

class AxisFitting {
 public:
  explicit AxisFitting(const AxisReadings& readings) : in_(readings) {}

  tl::expected<AxisFit, SweepFault> run() {
    if (in_.rest.size() < least_rest || in_.sweep.size() < least_sweep) return fault(SweepRefusal::too_few);
    const double declared = static_cast<double>(in_.declared.maximum) - in_.declared.minimum;
    const double span = quantile(in_.sweep, 0.98) - quantile(in_.sweep, 0.02);
    if (span < std::max(calibrate::least_way * declared, 3.0)) return fault(SweepRefusal::no_way);
    rest_ = calibrate::rest_of(as_points(in_.rest), {span, span});
    if (rest_.noise + rest_.drift > calibrate::most_noise * span) return fault(SweepRefusal::moves_at_rest);
    const auto good = calibrate::clean(in_.sweep, span);
    sweep_ = good.readings;
    spikes_ = good.spikes + rest_.spikes;
    low_ = end_of(true, span);
    high_ = end_of(false, span);
    stays_ = is_left_elsewhere(span);
    if (!stays_) find_rest(span);
    return result();
  }

 private:
  static tl::unexpected<SweepFault> fault(SweepRefusal why) { return tl::unexpected(SweepFault{why, {}, {}}); }

  /// The middle of the readings while it was held at an end.
  [[nodiscard]] double end_of(bool low, double span) const {
    std::vector<double> smooth;
    for (std::size_t i = 1; i + 1 < sweep_.size(); ++i)
      smooth.push_back(calibrate::median(std::vector<double>{sweep_[i - 1], sweep_[i], sweep_[i + 1]}));
    const double far = low ? *std::ranges::min_element(smooth) : *std::ranges::max_element(smooth);
    const double near = 1.5 * rest_.noise + 0.004 * span;
    std::vector<double> there;
    for (const double value : smooth)
      if (std::fabs(value - far) <= near) there.push_back(value);
    return calibrate::median(std::move(there));
  }

  [[nodiscard]] bool is_left_elsewhere(double span) const {
    if (in_.rest_after.empty() || in_.type == ControlType::one_sided || !in_.returns.empty()) return false;
    return std::fabs(calibrate::median(in_.rest_after) - rest_.at.x) > calibrate::back_at_rest * span / 2;
  }

  /// The rest: the centre of the positions where it stopped; for a trigger, the end of its range near which it stops.
  void find_rest(double span) {
    double least = rest_.at.x, most = rest_.at.x;
    const auto add = [&](const std::vector<double>& stopped) {
      for (const RawPoint& end : calibrate::ends_of(as_points(stopped))) {
        if (std::fabs(end.x - rest_.at.x) > calibrate::back_at_rest * span / 2) continue;  // it was still held
        least = std::min(least, end.x);
        most = std::max(most, end.x);
      }
    };
    add(in_.rest_after);
    for (const auto& stopped : in_.returns) add(stopped);
    if (in_.type == ControlType::one_sided) {
      returns_ = std::max({most - rest_.at.x, rest_.at.x - least, crept_from(span)});
    } else if ((most - least) / 2 > std::max(rest_.noise, 1.0)) {
      rest_.at.x = (least + most) / 2;
      returns_ = (most - least) / 2;
    }
    if (returns_ <= std::max(rest_.noise, 1.0)) returns_ = 0;
  }

  /// A creeping trigger was further away before it was seen to stop: by as much as it crept while it was observed, and
  /// as much again.
  [[nodiscard]] double crept_from(double span) const {
    double farthest = 0;
    const auto look = [&](const std::vector<double>& stopped) {
      const auto ends = calibrate::ends_of(as_points(stopped));
      if (ends.empty()) return;
      const double early = ends.front().x, late = ends.back().x;
      const double from = std::fabs(early + 2 * (early - late) - rest_.at.x);
      if (from < calibrate::back_at_rest * span / 2) farthest = std::max(farthest, from);
    };
    look(in_.rest_after);
    for (const auto& stopped : in_.returns) look(stopped);
    return farthest;
  }

  [[nodiscard]] double middle() const {
    for (const RawMark& mark : in_.marks)
      if (mark.part == 0) return mark.raw;
    return stays_ ? (low_ + high_) / 2 : rest_.at.x;
  }

  tl::expected<AxisFit, SweepFault> result() {
    AxisFit fit;
    AxisCalibration& axis = fit.axis;
    const double room = end_room * (high_ - low_);
    const auto whole = [](double raw) { return static_cast<std::int32_t>(raw); };
    double rest = middle();
    const bool at_top = std::fabs(rest - high_) < std::fabs(rest - low_);
    if (in_.type == ControlType::one_sided) {
      const double to_end = std::min(std::fabs(rest - high_), std::fabs(rest - low_));
      if (to_end > 0.25 * (high_ - low_)) fit.notes.emplace_back("its rest position is far from both ends");
      axis.rest = whole(std::round(rest));
      axis.minimum = at_top ? whole(std::ceil(low_ + room)) : axis.rest;
      axis.maximum = at_top ? axis.rest : whole(std::floor(high_ - room));
    } else {
      axis.minimum = whole(std::ceil(low_ + room));
      axis.maximum = whole(std::floor(high_ - room));
      rest = std::clamp(rest, static_cast<double>(axis.minimum), static_cast<double>(axis.maximum));
      axis.rest = whole(std::round(rest));
    }
    if (axis.minimum >= axis.maximum) return fault(SweepRefusal::no_way);
    axis.declared = in_.declared;
    axis.self_centering = !stays_;
    if (!fit_marks(axis)) return fault(SweepRefusal::pushes_differ);
    axis.measured.count = static_cast<std::int32_t>(in_.rest.size() + in_.sweep.size());
    axis.measured.noise = std::round((rest_.noise + rest_.drift) * 100) / 100;
    axis.measured.returns = std::round(returns_ * 100) / 100;
    axis.measured.error = std::round((rest_.noise / (high_ - low_)) * 1e4) / 1e4;
    add_notes(fit);
    return fit;
  }

  bool fit_marks(AxisCalibration& axis) const {
    for (const RawMark& mark : in_.marks)
      if (mark.part != 0) axis.marks.push_back(mark);
    if (axis.marks.empty()) return true;
    std::ranges::sort(axis.marks, {}, &RawMark::raw);
    Control control;
    control.type = in_.type;
    return shape::axis_map(axis, control).has_value();
  }

  /// A gap without readings inside the range, although the axis crossed it slowly and often.
  [[nodiscard]] std::optional<std::pair<double, double>> dead_spot() const {
    std::vector<double> steps, seen = sweep_;
    for (std::size_t i = 1; i < sweep_.size(); ++i) steps.push_back(std::fabs(sweep_[i] - sweep_[i - 1]));
    std::ranges::sort(seen);
    const double span = high_ - low_, usual = quantile(steps, 0.9), step = calibrate::smallest_step(sweep_);
    for (std::size_t i = 1; i < seen.size(); ++i) {
      const double gap = seen[i] - seen[i - 1];
      if (gap < std::max({0.05 * span, 4 * usual, 2.5 * step})) continue;
      const double border = (seen[i] + seen[i - 1]) / 2;
      int crossings = 0;
      for (std::size_t k = 1; k < sweep_.size(); ++k)
        crossings += (sweep_[k] < border) != (sweep_[k - 1] < border) ? 1 : 0;
      if (crossings >= 2) return std::pair{seen[i - 1], seen[i]};
    }
    return std::nullopt;
  }

  void add_notes(AxisFit& fit) const {
    if (spikes_ > 0)
      fit.notes.push_back(fmt::format("{} ignored because it jumps occasionally",
                                      quantity(static_cast<std::size_t>(spikes_), "spike")));
    if (const auto spot = dead_spot()) {
      const double way = std::max(high_ - fit.axis.rest, fit.axis.rest - low_);
      const bool around_rest =
          spot->first <= fit.axis.rest + rest_.noise && spot->second >= fit.axis.rest - rest_.noise;
      if (around_rest) {
        const double part = std::floor(100 * (spot->second - spot->first) / way) / 100;
        fit.axis.own_dead_zone = std::min(part, most_own_dead_zone);
        fit.notes.push_back(fmt::format("it has its own dead zone of {:.2f}", fit.axis.own_dead_zone));
      } else {
        fit.notes.push_back(fmt::format("dead spot: no values between {} and {}", spot->first, spot->second));
      }
    }
    if (returns_ > 0.02 * (high_ - low_))
      fit.notes.push_back(fmt::format("hysteresis: after release it stops within {:.1f} % of its rest position",
                                      100 * returns_ / (high_ - low_)));
    if (stays_) fit.notes.emplace_back("not self-centering: its middle is used as its rest position");
  }

  const AxisReadings& in_;
  Rest rest_;
  std::vector<double> sweep_;
  double low_ = 0, high_ = 0;
  double returns_ = 0;
  int spikes_ = 0;
  bool stays_ = false;
};

}  // namespace

tl::expected<AxisFit, SweepFault> fit_axis(const AxisReadings& readings) {
  AxisReadings said = readings;
  const auto drop = [](std::vector<double>& values) {
    std::erase_if(values, [](double value) { return !calibrate::is_raw(value); });
  };
  for (std::vector<double>* values : {&said.rest, &said.sweep, &said.rest_after}) drop(*values);
  for (std::vector<double>& values : said.returns) drop(values);
  std::erase_if(said.marks,
                [](const RawMark& mark) { return !calibrate::is_raw(mark.raw) || !(std::abs(mark.part) <= 1); });
  return AxisFitting{said}.run();
}

}  // namespace omnipar::inline abi_0
