#include "calibrate/shots.hpp"

#include <algorithm>
#include <cmath>

#include "base/gun_roles.hpp"
#include "calibrate/readings.hpp"

namespace omnipar::calibrate {
namespace {

constexpr Duration longest_memory{4'000'000};
constexpr std::size_t most_heard = 8192, most_path = 20'000;

double spread(const std::vector<double>& values) {
  if (values.size() < 2) return 0;
  const auto count = static_cast<double>(values.size());
  double mean = 0, squares = 0;
  for (const double value : values) mean += value / count;
  for (const double value : values) squares += (value - mean) * (value - mean);
  return std::sqrt(squares / (count - 1));
}

bool is_blind(const Control& control) {
  return control.reading == Reading::button && (control.role == base::off_screen_role || control.off_screen);
}

}  // namespace

void GunEars::meet(int node, const Attachment& attachment) {
  Node& its = nodes_[node];
  its.attachment = attachment;
  its.values.clear();
  for (const Control& control : attachment.controls) {
    if (control.reading != Reading::pointer) continue;
    if (control.axis == Axis::x && !x_) x_ = control;
    if (control.axis == Axis::y && !y_) y_ = control;
  }
  for (const Change& change : attachment.state) its.values[change.code] = change.value;
  if (x_ && its.values.contains(x_->code)) raw_x_ = its.values[x_->code];
  if (y_ && its.values.contains(y_->code)) raw_y_ = its.values[y_->code];
  triggers_down_ = blind_ = 0;
}

bool GunEars::sees(RawPoint raw) const noexcept {
  const auto is_in = [](double value, const Control& control) {
    return value >= control.minimum && value <= control.maximum;
  };
  return blind_ == 0 && is_in(raw.x, *x_) && is_in(raw.y, *y_);
}

std::optional<RawPoint> GunEars::now() const noexcept {
  if (!raw_x_ || !raw_y_) return std::nullopt;
  return RawPoint{static_cast<double>(*raw_x_), static_cast<double>(*raw_y_)};
}

bool GunEars::hear(int node, const Report& report) {
  const auto at = nodes_.find(node);
  if (at == nodes_.end()) return false;
  Node& its = at->second;
  bool pulled = false, points = false;
  for (const Change& change : report.changes) {
    const auto control = std::ranges::find(its.attachment.controls, change.code, &Control::code);
    if (control == its.attachment.controls.end()) continue;
    std::int32_t& value = its.values[change.code];
    const bool was = value != 0, is = change.value != 0;
    value = change.value;
    if (control->reading == Reading::button && was != is) {
      if (is_blind(*control)) blind_ += is ? 1 : -1;
      if (base::is_trigger(control->role)) {
        triggers_down_ += is ? 1 : -1;
        pulled = pulled || (is && triggers_down_ == 1);
      }
    }
    if (x_ && control->code == x_->code && control->axis == Axis::x) raw_x_ = change.value, points = true;
    if (y_ && control->code == y_->code && control->axis == Axis::y) raw_y_ = change.value, points = true;
  }
  const auto place = now();
  if (!place) return pulled;
  const bool seen = sees(*place);
  if (saw_ && !seen) ++losses_;
  saw_ = seen;
  if (!points) return pulled;
  heard_.push_back({report.time, *place, seen});
  while (heard_.size() > most_heard || heard_.front().time < report.time - longest_memory) heard_.pop_front();
  if (!seen) return pulled;
  if (path_.empty()) low_ = high_ = *place;
  low_ = {std::min(low_.x, place->x), std::min(low_.y, place->y)};
  high_ = {std::max(high_.x, place->x), std::max(high_.y, place->y)};
  path_.push_back(*place);
  if (path_.size() > most_path) path_.pop_front();
  return pulled;
}

void GunEars::begin_test() noexcept {
  path_.clear();
  losses_ = 0;
  low_ = high_ = {};
}

std::optional<Shot> GunEars::shot(AreaPoint target, Time at, Time since) const {
  const auto place = now();
  if (!place) return std::nullopt;
  Shot shot;
  shot.target = target;
  std::vector<double> x, y;
  int missed = 0;
  Time oldest = at;
  // What the trigger's own report says counts too: a still gun may have said nothing for long.
  for (auto one = heard_.rbegin(); one != heard_.rend() && one->time >= since; ++one) {
    if (one->time < at - shot_time && static_cast<int>(x.size()) >= shot_reports) break;
    x.push_back(one->raw.x);
    y.push_back(one->raw.y);
    missed += one->seen ? 0 : 1;
    oldest = std::min(oldest, one->time);
  }
  if (x.empty()) {  // it holds so still that it says nothing at all
    x.push_back(place->x);
    y.push_back(place->y);
    missed = sees(*place) ? 0 : 1;
  }
  shot.raw = {median(x), median(y)};
  shot.spread = {spread(x), spread(y)};
  shot.reports = static_cast<int>(x.size());
  shot.taken = std::max(shot_time, std::chrono::duration_cast<Duration>(at - oldest));
  shot.missed = 2 * missed > shot.reports || blind_ > 0;
  return shot;
}

}  // namespace omnipar::calibrate
