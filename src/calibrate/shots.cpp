#include "calibrate/shots.hpp"

#include <algorithm>
#include <cmath>
#include <span>

#include "base/gun_roles.hpp"
#include "omnipar/calibrating.hpp"

namespace omnipar::inline abi_0::calibrate {
namespace {

constexpr Duration longest_memory{4'000'000};
constexpr std::size_t most_readings = 8192, most_path = 20'000;

double mean(std::span<const double> values) {
  double sum = 0;
  for (const double value : values) sum += value;
  return values.empty() ? 0 : sum / static_cast<double>(values.size());
}

/// The mean of the middle four fifths: finer than one step, and robust against spikes.
double middle_mean(std::vector<double> values) {
  std::ranges::sort(values);
  const auto tenth = static_cast<std::ptrdiff_t>(values.size() / 10);
  return mean({values.begin() + tenth, values.end() - tenth});
}

double spread(const std::vector<double>& values) {
  if (values.size() < 2) return 0;
  const double middle = mean(values);
  double squares = 0;
  for (const double value : values) squares += (value - middle) * (value - middle);
  return std::sqrt(squares / (static_cast<double>(values.size()) - 1));
}

/// The standard deviation of a reading, from differences of consecutive readings: steady movement adds little.
double jitter(const std::vector<double>& values) {
  double squares = 0;
  int count = 0;
  for (std::size_t i = 1; i < values.size(); ++i) {
    if (values[i] == values[i - 1]) continue;
    squares += (values[i] - values[i - 1]) * (values[i] - values[i - 1]) / 2;
    ++count;
  }
  return count == 0 ? 0 : std::sqrt(squares / count);
}

bool is_blind(const Control& control) {
  return control.type == ControlType::button && (control.role == base::off_screen_role || control.off_screen);
}

}  // namespace

void AimHistory::meet(int node, const Attachment& attachment) {
  Node& its = nodes_[node];
  its.attachment = attachment;
  its.values.clear();
  for (const Control& control : attachment.controls) {
    if (control.type != ControlType::pointer) continue;
    if (x_ && control.code == x_->code) {  // it was reconnected: its previous position is irrelevant
      raw_x_.reset();
      raw_y_.reset();
      readings_.clear();
    }
    if (control.axis == Axis::x && !x_) x_ = control;
    if (control.axis == Axis::y && !y_) y_ = control;
  }
  for (const Change& change : attachment.state) its.values[change.code] = change.value;
  if (x_ && its.values.contains(x_->code)) raw_x_ = its.values[x_->code];
  if (y_ && its.values.contains(y_->code)) raw_y_ = its.values[y_->code];
  triggers_down_ = blind_ = 0;
}

bool AimHistory::sees(RawPoint raw) const noexcept {
  const auto is_in = [](double value, const Control& control) {
    return value >= control.minimum && value <= control.maximum;
  };
  return blind_ == 0 && is_in(raw.x, *x_) && is_in(raw.y, *y_);
}

std::optional<RawPoint> AimHistory::now() const noexcept {
  if (!raw_x_ || !raw_y_) return std::nullopt;
  return RawPoint{static_cast<double>(*raw_x_), static_cast<double>(*raw_y_)};
}

bool AimHistory::feed(int node, const Report& report) {
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
    if (control->type == ControlType::button && was != is) {
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
  if (!readings_.empty()) {
    step_x_.note(place->x - readings_.back().raw.x);
    step_y_.note(place->y - readings_.back().raw.y);
  }
  readings_.push_back({report.time, *place, seen});
  // the last report before the history begins is still valid in it
  while (readings_.size() > most_readings || (readings_.size() > 1 && readings_[1].time < report.time - longest_memory))
    readings_.pop_front();
  if (!seen) return pulled;
  if (path_.empty()) low_ = high_ = *place;
  low_ = {std::min(low_.x, place->x), std::min(low_.y, place->y)};
  high_ = {std::max(high_.x, place->x), std::max(high_.y, place->y)};
  path_.push_back(*place);
  if (path_.size() > most_path) path_.pop_front();
  return pulled;
}

void AimHistory::begin_test() noexcept {
  path_.clear();
  losses_ = 0;
  low_ = high_ = {};
}

void AimHistory::Step::note(double difference) noexcept {
  const double way = std::fabs(difference);
  if (way == 0 || (size != 0 && way > size)) return;
  times = way == size ? times + 1 : 1;
  size = way;
}

/// A gun that only jumps from target to target shows nothing of its resolution.
double AimHistory::Step::known() const noexcept {
  constexpr int often = 8;
  return times < often ? 1 : size;
}

std::vector<AimHistory::Reading> AimHistory::readings_within(Time from, Time at) const {
  std::vector<Reading> all;
  for (auto one = readings_.rbegin(); one != readings_.rend(); ++one) {
    if (one->time > at) continue;
    all.push_back(*one);
    if (one->time <= from) break;
  }
  std::ranges::reverse(all);
  return all;
}

/// One reading per time step.
Shot AimHistory::read(Time from, Time at) const {
  const std::vector<Reading> readings = readings_within(from, at);
  Shot shot;
  std::vector<double> x, y;
  int missed = 0;
  std::size_t now = 0;
  for (Time time = from; time <= at; time += reading_step) {
    while (now + 1 < readings.size() && readings[now + 1].time <= time) ++now;
    x.push_back(readings[now].raw.x);
    y.push_back(readings[now].raw.y);
    missed += readings[now].seen ? 0 : 1;
  }
  const std::size_t quarter = x.size() / 4;
  const auto moved = [quarter](std::span<const double> values) {
    return quarter == 0 ? 0 : (mean(values.last(quarter)) - mean(values.first(quarter))) * 4 / 3;
  };
  shot.raw = {middle_mean(x), middle_mean(y)};
  shot.spread = {spread(x), spread(y)};
  shot.moved = {moved(x), moved(y)};
  shot.reports = static_cast<int>(readings.size());
  shot.taken = std::chrono::duration_cast<Duration>(at - from);
  shot.missed = 2 * missed > static_cast<int>(x.size());
  shot.step = {step_x_.known(), step_y_.known()};
  // The expected random difference of the two means, since each is of a quarter of the reports.
  constexpr double surely = 4;
  const double by_chance = surely * std::sqrt(8.0 / std::max(1, shot.reports));
  const auto drop_chance = [by_chance](double& moved, double jitter, double step) {
    if (std::fabs(moved) < by_chance * jitter + step) moved = 0;
  };
  drop_chance(shot.moved.x, jitter(x), shot.step.x);
  drop_chance(shot.moved.y, jitter(y), shot.step.y);
  return shot;
}

std::optional<Shot> AimHistory::shot(AreaPoint target, Time at, Time since) const {
  if (!now() || readings_.empty()) {
    if (!now()) return std::nullopt;
    Shot shot;  // it is so steady that it has not reported anything since it was plugged in
    shot.target = target;
    shot.raw = *now();
    shot.reports = 1;
    shot.taken = shot_time;
    shot.missed = !sees(shot.raw) || blind_ > 0;
    return shot;
  }
  // A gun that is silent until its trigger is pulled reports its position with the pull.
  const bool reports_with_pull =
      readings_.back().time >= at && (readings_.size() < 2 || readings_[readings_.size() - 2].time < since);
  Shot shot;
  for (const Duration time : {shot_time, shot_time * 2 / 3, shot_time / 2, shot_time / 3}) {
    const Time from = reports_with_pull ? at : std::max(std::max(at - time, since), readings_.front().time);
    shot = read(std::min(from, at), at);
    if (is_still(shot)) break;
  }
  shot.target = target;
  shot.missed = shot.missed || blind_ > 0;
  return shot;
}

bool AimHistory::is_still(const Shot& shot) const noexcept {
  const auto part = [](double moved, const Control& control) {
    return std::fabs(moved) / std::max(1.0, static_cast<double>(control.maximum) - control.minimum);
  };
  constexpr double still = 0.006;
  return part(shot.moved.x, *x_) <= still && part(shot.moved.y, *y_) <= still;
}

}  // namespace omnipar::inline abi_0::calibrate
