// The guide: which step of which control is current, and when it is complete.
#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <deque>
#include <map>
#include <memory>
#include <utility>

#include "base/earlier.hpp"
#include "calibrate/reading_recorder.hpp"
#include "calibrate/limits.hpp"
#include "calibrate/readings.hpp"
#include "omnipar/calibrating.hpp"
#include "shape/turn.hpp"

namespace omnipar::inline abi_0 {
namespace {

using calibrate::ReadingRecorder, calibrate::Thing;
using Kind = CalibrateEvent::Kind;
using Step = CalibrateStep;

constexpr Duration at_rest{2'000'000}, released{600'000}, steady{300'000}, given_up{2'500'000}, button_hold{2'000'000},
    looked_at{100'000}, long_enough{1'500'000}, reminded{10'000'000}, surely_moved{100'000}, stopped_for{160'000},
    settles{40'000}, stays_put{1'000'000};
/// Of half the declared range, before the control's reach is known: the threshold for movement.
constexpr double moved = 0.1, moved_a_little = 0.03;
/// Of the greatest reach: the thresholds for a push, for an end, and for standing still.
constexpr double pushed = 0.35, at_end = 0.85, unsteady = 0.06;
/// The number of turns of a sweep, and of visits to each end.
constexpr double turns = 2;
constexpr int ends = 2;
constexpr std::size_t most_readings = 15'000;  // a minute
/// Number of readings whose median is used as the position, which removes noise and spikes.
constexpr std::size_t smoothed = 41;
/// A control that was rejected this often is skipped.
constexpr int most_refusals = 3;

/// A unit that is silent for this long was put down: it is ignored until its next report.
constexpr Duration forgotten = std::chrono::seconds{60};

std::int64_t steps_in(Duration time) { return time / reading_step; }

}  // namespace

class Calibrating::Impl {
 public:
  explicit Impl(CalibrateOptions options) : options_(std::move(options)) {}

  void meet(int node, const Attachment& attachment) {
    const bool was_waiting = is_paused();
    recorder_.meet(node, attachment, options_.only);
    roles_.clear();
    for (const Thing& thing : recorder_.things()) roles_.push_back(thing.role);
    if (was_waiting && !is_paused()) say({.kind = Kind::resumes, .role = role_});
    if (step_ == Step::done && next_ < recorder_.things().size() && !over_) begin(next_);
    if (was_waiting && !is_paused()) begin(next_);
  }

  void lose(int node) {
    const bool was_paused = is_paused();
    recorder_.lose(node);
    if (!was_paused && is_paused()) say({.kind = Kind::pauses, .role = role_});
  }

  void feed(int node, const Report& report) {
    advance(report.time);
    last_report_ = now_;
    recorder_.feed(node, report);
    if (thing() != nullptr && !is_paused()) note_place();
    look_at_buttons(report.time);
  }

  void advance(Time now) {
    if (!begun_) {
      begun_ = true;
      grid_ = now_ = now;
      since_ = last_report_ = now;
    }
    while (grid_ + reading_step <= now && !over_) {
      if (grid_ - last_report_ > forgotten) {  // another attempt yields nothing new
        grid_ += (now - grid_) / reading_step * reading_step;
        break;
      }
      grid_ += reading_step;
      now_ = grid_;
      read();
      look_at_hold();
    }
    now_ = std::max(now_, now);
  }

  [[nodiscard]] std::optional<Time> next_due() const {
    if (over_ || !begun_ || is_paused() || grid_ - last_report_ > forgotten) return std::nullopt;
    return now_ + (fitting_ ? reading_step : looked_at);
  }

  void choose(CalibrateChoice choice) {
    if (over_) return;
    switch (choice) {
      case CalibrateChoice::skip:
        if (thing() == nullptr) return;
        say({.kind = Kind::skips, .role = role_});
        return begin(next_ + 1);
      case CalibrateChoice::again:
        return again();
      case CalibrateChoice::keep:
        return end(true);
      case CalibrateChoice::leave:
        return end(false);
    }
  }

  void missed() {
    if (thing() != nullptr && !over_) begin(next_);
  }

  // the state that the public class exposes
  std::deque<CalibrateEvent> events;
  Calibration found;
  [[nodiscard]] const std::vector<std::string>& roles() const noexcept { return roles_; }
  [[nodiscard]] std::size_t measured() const noexcept { return found.axes.size() + found.sticks.size(); }
  [[nodiscard]] const std::string& role() const noexcept { return role_; }
  [[nodiscard]] Step step() const noexcept { return step_; }
  [[nodiscard]] int number() const noexcept { return number_; }
  [[nodiscard]] const StickReadings& readings() const noexcept { return stick_; }
  [[nodiscard]] const AxisReadings& axis_readings() const noexcept { return axis_; }
  [[nodiscard]] std::array<bool, 8> reached() const {
    if (stick_.sweep.empty()) return {};
    return directions_reached(in_hand(stick_.sweep, stick_), in_hand({rest_}, stick_).front());
  }
  [[nodiscard]] RawPoint place() const noexcept { return place_; }
  [[nodiscard]] bool over() const noexcept { return over_; }
  [[nodiscard]] bool kept() const noexcept { return kept_; }
  [[nodiscard]] double held(Time now) const noexcept {
    if (!pressed_) return 0;
    const double part = static_cast<double>((now - *pressed_).count()) / static_cast<double>(button_hold.count());
    return std::clamp(part, 0.0, 1.0);
  }
  [[nodiscard]] double progress() const noexcept {
    switch (step_) {
      case Step::rest:
        return std::min(1.0, static_cast<double>(resting_.size()) / static_cast<double>(steps_in(at_rest)));
      case Step::sweep: {
        const Thing* now = thing();
        if (now == nullptr) return 0;
        const double part =
            now->is_stick ? std::fabs(turned_) / (360 * turns) : (low_ends_ + high_ends_) / (2.0 * ends);
        return std::min(1.0, part);
      }
      case Step::push:
        return number_ / 4.0;
      case Step::release:
        return stick_.pushes.empty() ? 1 : number_ / 4.0;
      case Step::done:
        return 1;
      default:
        return 0;
    }
  }
  [[nodiscard]] const StickReadings* readings_of(const std::string& role) const {
    const auto at = sticks_.find(role);
    return at == sticks_.end() ? nullptr : &at->second;
  }
  [[nodiscard]] const AxisReadings* axis_readings_of(const std::string& role) const {
    const auto at = axes_.find(role);
    return at == axes_.end() ? nullptr : &at->second;
  }

 private:
  void say(CalibrateEvent event) {
    quiet_since_ = grid_;
    events.push_back(std::move(event));
  }
  void ask(Step step, int number = 0) {
    step_ = step;
    number_ = number;
    since_ = grid_;
    held_.clear();
    told_waiting_ = false;
    say({.kind = Kind::asks, .role = role_, .step = step, .number = number});
  }

  [[nodiscard]] const Thing* thing() const noexcept {
    return step_ != Step::done && next_ < recorder_.things().size() ? &recorder_.things()[next_] : nullptr;
  }
  [[nodiscard]] bool is_paused() const {
    return !over_ && next_ < recorder_.things().size() && !recorder_.is_there(recorder_.things()[next_]);
  }

  void begin(std::size_t number) {
    fitting_.reset();
    next_ = number;
    if (number >= recorder_.things().size()) {
      role_.clear();
      step_ = Step::done;
      done_at_ = grid_;
      return say({.kind = Kind::ends_asking, .step = Step::done});
    }
    const Thing& next = recorder_.things()[number];
    role_ = next.role;
    stick_ = {};
    axis_ = {};
    stick_.declared_x = axis_.declared = calibrate::declared(next.x);
    if (next.is_stick) stick_.declared_y = calibrate::declared(next.y);
    stick_.reversed_x = next.x.reversed;
    stick_.reversed_y = next.y.reversed;
    axis_.type = next.x.type;
    resting_.clear();
    lately_.clear();
    refusals_ = 0;
    moved_for_ = other_for_ = 0;
    stays_ = waits_for_release_ = asks_no_pushes_ = false;
    noise_ = way_ = 0;
    marks_ = marks_for(next);
    ask(Step::rest);
  }

  /// The possible results of a guide.
  [[nodiscard]] std::vector<double> marks_for(const Thing& next) const {
    if (!options_.marks || next.is_stick) return {};
    if (next.x.type == ControlType::one_sided) return {0.5};
    return next.role == "paddle" ? std::vector<double>{0} : std::vector<double>{-0.5, 0.5};
  }

  void again() {
    if (thing() != nullptr) return begin(next_);
    if (next_ > 0 && !recorder_.things().empty()) begin(recorder_.things().size() - 1);
  }

  void end(bool keep) {
    over_ = true;
    kept_ = keep && measured() > 0;
    say({.kind = Kind::ends, .step = Step::done});
  }

  // -- readings -------------------------------------------------------------------------------------------------

  void note_place() {
    if (const auto now = recorder_.place(*thing())) place_ = *now;
  }

  /// One reading per time step.
  void read() {
    if (step_ == Step::done) return look_at_end();
    const Thing* now = thing();
    if (now == nullptr || is_paused() || is_fitting()) return;
    const auto place = recorder_.place(*now);
    if (!place) return wait_for_first();
    place_ = *place;
    lately_.push_back(place_);
    if (lately_.size() > smoothed) lately_.pop_front();
    calm_ = calibrate::median(std::vector<RawPoint>{lately_.begin(), lately_.end()});
    if (grid_ - quiet_since_ >= reminded) say({.kind = Kind::waits, .role = role_, .step = step_, .fault = missing()});
    switch (step_) {
      case Step::rest:
        return rest(*now);
      case Step::sweep:
        return now->is_stick ? sweep_stick(*now) : sweep_axis(*now);
      case Step::release:
        return release(*now);
      case Step::push:
      case Step::mark:
        return hold(*now);
      case Step::done:
        return;
    }
  }

  void wait_for_first() {
    if (grid_ - since_ < long_enough) return;
    if (!std::exchange(told_waiting_, true) || grid_ - quiet_since_ >= reminded)
      say({.kind = Kind::waits, .role = role_, .step = Step::rest, .fault = {SweepRefusal::not_moved, {}, {}}});
  }

  /// What the current step waits for.
  [[nodiscard]] SweepFault missing() const {
    const Thing& now = *thing();
    switch (step_) {
      case Step::rest:
      case Step::release:
        return {SweepRefusal::not_released, {}, {}};
      case Step::sweep: {
        if (!has_moved_) return {SweepRefusal::not_moved, {}, {}};
        if (way_ < calibrate::least_way) return {SweepRefusal::no_way, {}, {}};
        SweepFault open = not_around();
        return now.is_stick && !open.directions.empty() ? open : SweepFault{SweepRefusal::stopped, {}, {}};
      }
      default:
        if (waits_for_release_) return {SweepRefusal::not_released, {}, {}};
        return {is_pushed(now) ? SweepRefusal::not_steady : SweepRefusal::not_far, {}, {}};
    }
  }

  [[nodiscard]] SweepFault not_around() const {
    SweepFault open{SweepRefusal::not_around, {}, {}};
    const auto all = reached();
    for (std::size_t d = 0; d < all.size(); ++d)
      if (!all.at(d)) open.directions.push_back(d);
    return open;
  }

  [[nodiscard]] double between(const Thing& now, RawPoint a, RawPoint b) const {
    const RawPoint half = calibrate::half_of(now);
    return calibrate::length({(a.x - b.x) / half.x, (a.y - b.y) / half.y});
  }

  /// Two positions that differ by less are equal: for a slow unit the median is of two reports, each with its noise.
  [[nodiscard]] double still() const { return unsteady * std::max(way_, calibrate::least_way) + 2 * noise_; }
  [[nodiscard]] bool is_back(const Thing& now) const {
    return between(now, calm_, rest_) < calibrate::back_at_rest * way_ + noise_;
  }

  void rest(const Thing& now) {
    resting_.push_back(place_);
    const bool is_moved = between(now, calm_, calibrate::median(latest(resting_))) > moved;
    moved_for_ = is_moved ? moved_for_ + 1 : 0;
    if (moved_for_ >= steps_in(surely_moved)) {
      moved_for_ = 0;
      resting_.clear();
      if (!std::exchange(told_waiting_, true))
        say({.kind = Kind::waits, .role = role_, .step = Step::rest, .fault = {SweepRefusal::not_released, {}, {}}});
    }
    if (static_cast<std::int64_t>(resting_.size()) < steps_in(at_rest)) return;
    rest_ = calibrate::median(resting_);
    std::vector<double> off;
    for (const RawPoint& point : resting_) off.push_back(between(now, point, rest_));
    constexpr double most = 0.9, room = 1.4;  // spikes may be one reading in twenty
    noise_ = room * calibrate::quantile(std::move(off), most);
    recorder_.mark();
    stick_.rest = resting_;
    axis_.rest = calibrate::of_x(resting_);
    begin_sweep();
  }

  /// The last half of a second.
  static std::vector<RawPoint> latest(const std::vector<RawPoint>& all) {
    constexpr std::size_t count = 125;
    return {all.end() - static_cast<std::ptrdiff_t>(std::min(count, all.size())), all.end()};
  }

  void begin_sweep() {
    stick_.sweep.clear();
    axis_.sweep.clear();
    axis_.returns.clear();
    stopped_.clear();
    turned_ = 0;
    low_ends_ = high_ends_ = 0;
    side_ = 0;
    peak_ = 0;
    farthest_ = {0, 0};
    way_ = 0;
    ways_.fill(0);
    all_ways_ = 0;
    idle_since_ = grid_;
    has_moved_ = false;
    told_missing_ = false;
    ask(Step::sweep);
  }

  /// Another control is moved instead of this one.
  bool is_another(const Thing& now) {
    const auto is_moved = [&](const Thing& other) { return &other != &now && recorder_.away(other) > 0.5; };
    const auto other = std::ranges::find_if(recorder_.things(), is_moved);
    if (other == recorder_.things().end() || between(now, calm_, rest_) > std::max(0.05, 2 * noise_)) {
      other_for_ = 0;
      return false;
    }
    ++other_for_;
    if (other_for_ == steps_in(surely_moved))
      say({.kind = Kind::rejects,
           .role = role_,
           .step = step_,
           .fault = {SweepRefusal::wrong_control, {}, other->role}});
    if (other_for_ < steps_in(long_enough)) return true;
    recorder_.mark();  // it stays there
    other_for_ = 0;
    return true;
  }

  void refuse(SweepFault fault) {
    say({.kind = Kind::rejects, .role = role_, .step = step_, .fault = std::move(fault)});
  }

  /// True once it has left its rest by more than the noise.
  bool begins_to_move(double away) {
    const double least = std::max(moved_a_little, 1.5 * noise_);
    if (away > least) has_moved_ = true;
    if (has_moved_ && away > least) note_way(away);
    return has_moved_;
  }

  /// Its reach: a few readings are further out, for spikes that outlast the median.
  void note_way(double away) {
    constexpr double finely = 100;
    ++ways_.at(std::min(ways_.size() - 1, static_cast<std::size_t>(away * finely)));
    ++all_ways_;
    constexpr int farther = 12;  // one in this many
    int beyond = 0;
    std::size_t bin = ways_.size();
    while (bin > 0 && beyond * farther <= all_ways_) beyond += ways_.at(--bin);
    way_ = static_cast<double>(bin + 1) / finely;
  }

  void sweep_stick(const Thing& now) {
    const double away = between(now, calm_, rest_);
    if (!has_moved_ && is_another(now)) return;
    if (!begins_to_move(away)) return;
    if (stick_.sweep.size() < most_readings) stick_.sweep.push_back(place_);
    const RawPoint half = calibrate::half_of(now);
    const double angle = shape::angle_of({(calm_.x - rest_.x) / half.x, (calm_.y - rest_.y) / half.y});
    const bool is_away = away > pushed * way_;
    if (is_away && was_away_) turned_ += std::remainder(angle - angle_, 360);
    was_away_ = is_away;
    angle_ = angle;
    if (!is_still(now)) return;
    if (way_ < calibrate::least_way) return once_more({SweepRefusal::no_way, {}, {}});
    const RawPoint reach{way_ * half.x, way_ * half.y};
    if (calibrate::is_too_fast(stick_.sweep, rest_, reach)) return once_more({SweepRefusal::too_fast, {}, {}});
    if (SweepFault open = not_around(); !open.directions.empty()) return ask_for_more(std::move(open));
    if (std::fabs(turned_) < 360 * turns * 0.9) return ask_for_more({SweepRefusal::stopped, {}, {}});
    ask(Step::release);
  }

  void sweep_axis(const Thing& now) {
    if (!has_moved_ && is_another(now)) return;
    if (!begins_to_move(between(now, calm_, rest_))) return;
    if (axis_.sweep.size() < most_readings) axis_.sweep.push_back(place_.x);
    count_ends(now);
    note_return(now);
    if (!is_still(now)) return;
    if (way_ < calibrate::least_way) return once_more({SweepRefusal::no_way, {}, {}});
    const int low = low_ends_ + (side_ < 0 ? 1 : 0),
              high = high_ends_ + (side_ > 0 ? 1 : 0);  // it may be left at one of them
    const bool two = now.x.type == ControlType::two_sided;
    if (two ? low < ends || high < ends : low + high < ends) {
      if (!is_back(now) || grid_ - has_stopped_since_ >= given_up) ask_for_more({SweepRefusal::stopped, {}, {}});
      return;
    }
    ask(Step::release);
  }

  /// An end was reached when it returns from close to the furthest reading on that side.
  void count_ends(const Thing& now) {
    const double off = (calm_.x - rest_.x) / calibrate::half_of(now).x;
    const double far = pushed * way_;
    const int side = off > far ? 1 : off < -far ? -1 : 0;
    if (side != side_) {
      const double most = side_ < 0 ? farthest_.x : farthest_.y;
      if (side_ != 0 && peak_ > at_end * most) ++(side_ < 0 ? low_ends_ : high_ends_);
      peak_ = 0;
      side_ = side;
    }
    if (side == 0) return;
    peak_ = std::max(peak_, std::fabs(off));
    double& most = side < 0 ? farthest_.x : farthest_.y;
    most = std::max(most, peak_);
  }

  /// Released in between, it pauses at its rest for a moment.
  void note_return(const Thing& now) {
    const bool stands = is_back(now) && (stopped_.empty() || between(now, calm_, {stopped_.back(), 0}) < still());
    if (stands) {
      stopped_.push_back(calm_.x);
      return;
    }
    if (static_cast<std::int64_t>(stopped_.size()) >= steps_in(stopped_for)) {
      const std::vector<double> settled{stopped_.begin() + steps_in(settles), stopped_.end()};
      const auto [least, most] = std::ranges::minmax(settled);
      if ((most - least) / calibrate::half_of(now).x < still() + unsteady * way_) axis_.returns.push_back(settled);
    }
    stopped_.clear();
  }

  /// True once it has stood still for a while: at rest, or, if it is not self-centering, anywhere.
  bool is_still(const Thing& now) {
    if (between(now, calm_, still_) >= still()) {
      still_ = calm_;
      idle_since_ = has_stopped_since_ = grid_;
    }
    const Duration enough = is_back(now) ? released : given_up;
    if (grid_ - idle_since_ < enough) return false;
    idle_since_ = grid_;
    return true;
  }

  void ask_for_more(SweepFault fault) {
    const bool is_new = fault.why != asked_for_.why || fault.directions != asked_for_.directions || !told_missing_;
    told_missing_ = true;
    asked_for_ = fault;
    if (is_new) refuse(std::move(fault));
  }

  /// After its release it stops: near its rest, or where it was left.
  void release(const Thing& now) {
    if (!held_.empty() && between(now, calm_, still_) >= still()) held_.clear();
    if (held_.empty()) still_ = calm_;
    held_.push_back(place_);
    const Duration enough = is_back(now) ? released : stays_ ? stays_put : given_up;
    if (static_cast<std::int64_t>(held_.size()) < steps_in(enough)) return;
    if (!stick_.pushes.empty()) {
      stick_.returns.push_back(held_);
      return number_ < 4 ? ask_push(number_) : fit();
    }
    stick_.rest_after = held_;
    axis_.rest_after = calibrate::of_x(held_);
    stays_ = !is_back(now);
    if (stays_ && now.is_stick) rest_ = middle_of_sweep();  // any movement from there is a push
    waits_for_release_ = stays_;
    pushed_to_ = calibrate::median(held_);
    if (!marks_.empty()) return ask(Step::mark, 0);
    fit();
  }

  void ask_push(int number) {
    waits_for_release_ = stays_;
    pushed_to_ = calm_;
    ask(Step::push, number);
  }

  [[nodiscard]] RawPoint middle_of_sweep() const {
    const auto middle = [](const std::vector<double>& values) {
      return (calibrate::quantile(values, 0.02) + calibrate::quantile(values, 0.98)) / 2;
    };
    return {middle(calibrate::of_x(stick_.sweep)), middle(calibrate::of_y(stick_.sweep))};
  }

  /// Before a push or a mark it must be released, or, if it is not self-centering, moved elsewhere.
  [[nodiscard]] bool is_still_pushed(const Thing& now) const {
    return stays_ ? between(now, calm_, pushed_to_) < still() + moved_a_little : !is_back(now);
  }
  [[nodiscard]] bool is_pushed(const Thing& now) const {
    return is_middle_mark() || between(now, calm_, rest_) >= (step_ == Step::push ? pushed : 0.2) * way_ + noise_;
  }

  /// Held somewhere for a moment: a push, or a mark.
  void hold(const Thing& now) {
    if (is_another(now)) return;
    if (waits_for_release_) {
      waits_for_release_ = is_still_pushed(now);
      held_.clear();
      return;
    }
    if (!is_pushed(now)) {
      held_.clear();
      return;
    }
    if (!held_.empty() && between(now, calm_, still_) >= still()) held_.clear();
    if (held_.empty()) still_ = calm_;
    held_.push_back(place_);
    if (static_cast<std::int64_t>(held_.size()) < steps_in(steady)) return;
    const RawPoint middle = calibrate::median(held_);
    waits_for_release_ = !is_middle_mark();
    pushed_to_ = middle;
    if (step_ == Step::push) {
      stick_.pushes.push_back(middle);
      return ask(Step::release, number_ + 1);
    }
    const bool is_turned =
        now.x.reversed && now.x.type == ControlType::two_sided;  // marks are in the order of raw numbers
    axis_.marks.push_back({middle.x, marks_.at(static_cast<std::size_t>(number_)) * (is_turned ? -1 : 1)});
    if (number_ + 1 < static_cast<int>(marks_.size())) return ask(Step::mark, number_ + 1);
    fit();
  }

  [[nodiscard]] bool is_middle_mark() const {
    return step_ == Step::mark && marks_.at(static_cast<std::size_t>(number_)) == 0;
  }

  // -- results --------------------------------------------------------------------------------------------------

  /// A fit computed elsewhere, from copies: the task may outlive the guide.
  struct Fitting {
    bool is_stick = false;
    StickReadings stick_readings;
    AxisReadings axis_readings;
    tl::expected<StickFit, SweepFault> stick{};
    tl::expected<AxisFit, SweepFault> axis{};
    std::atomic<bool> done{false};

    void make() {
      if (is_stick)
        stick = fit_stick(stick_readings);
      else
        axis = fit_axis(axis_readings);
      done.store(true, std::memory_order_release);
    }
  };

  void fit() {
    fitting_ = std::make_shared<Fitting>();
    fitting_->is_stick = thing()->is_stick;
    (fitting_->is_stick ? static_cast<void>(fitting_->stick_readings = stick_)
                        : static_cast<void>(fitting_->axis_readings = axis_));
    if (options_.aside) return options_.aside([fitting = fitting_] { fitting->make(); });
    fitting_->make();
    finish_fit();
  }

  /// True while a fit is being computed.
  bool is_fitting() {
    if (fitting_ && fitting_->done.load(std::memory_order_acquire)) finish_fit();
    return fitting_ != nullptr;
  }

  void finish_fit() {
    const auto made = std::exchange(fitting_, nullptr);
    made->is_stick ? finish_fit(*thing(), made->stick) : finish_fit(*thing(), made->axis);
  }

  void finish_fit(const Thing& now, tl::expected<StickFit, SweepFault>& fit) {
    if (!fit) return once_more(fit.error());
    if (options_.pushes && stick_.pushes.empty() && !asks_no_pushes_) return ask_push(0);
    fit->stick.x = now.x.code;
    fit->stick.y = now.y.code;
    std::erase_if(found.sticks, [&](const StickCalibration& s) { return s.x == now.x.code; });
    found.sticks.push_back(fit->stick);
    sticks_[role_] = stick_;
    go_on(fit->notes);
  }

  void finish_fit(const Thing& now, tl::expected<AxisFit, SweepFault>& fit) {
    if (!fit) return once_more(fit.error());
    fit->axis.code = now.x.code;
    std::erase_if(found.axes, [&](const AxisCalibration& a) { return a.code == now.x.code; });
    found.axes.push_back(fit->axis);
    axes_[role_] = axis_;
    go_on(fit->notes);
  }

  /// This control is calibrated.
  void go_on(const std::vector<std::string>& notes) {
    say({.kind = Kind::measures, .role = role_, .notes = notes});
    begin(next_ + 1);
  }

  /// Asks again for missing data and discards unusable readings. A control that cannot be calibrated is skipped, so
  /// that the guide always ends.
  void once_more(const SweepFault& fault) {
    if (++refusals_ > most_refusals) {
      if (fault.why != SweepRefusal::pushes_differ || !thing()->is_stick) {
        say({.kind = Kind::skips, .role = role_, .step = step_, .fault = fault});
        return begin(next_ + 1);
      }
      stick_.pushes.clear();  // then its rotation counts as not measured
      stick_.returns.clear();
      asks_no_pushes_ = true;
      return fit();
    }
    refuse(fault);
    stick_.rest_after.clear();
    switch (fault.why) {
      case SweepRefusal::pushes_differ:
        stick_.pushes.clear();
        stick_.returns.clear();
        axis_.marks.clear();
        return thing()->is_stick ? ask_push(0) : ask(Step::mark, 0);
      case SweepRefusal::moves_at_rest: {
        const int refusals = refusals_;
        begin(next_);
        refusals_ = refusals;
        return;
      }
      case SweepRefusal::not_around:
      case SweepRefusal::not_at_edge:
        if (fault.why == SweepRefusal::not_at_edge) stick_.as_it_is = true;  // after another sweep, that is its reach
        stick_.pushes.clear();
        stick_.returns.clear();
        idle_since_ = grid_;
        has_moved_ = told_missing_ = false;
        turned_ = 360 * turns;  // it has completed the turns
        return ask(Step::sweep);
      default:
        begin_sweep();
    }
  }

  // -- buttons --------------------------------------------------------------------------------------------------

  void look_at_buttons(Time now) {
    const bool down = recorder_.is_down();
    if (down && !pressed_) pressed_ = now;
    if (down || !pressed_) return;
    const bool was_held = now - *pressed_ >= button_hold;
    pressed_.reset();
    if (!was_held && step_ == Step::done && !over_) end(true);
  }

  /// A held button: at the end it repeats the last control, otherwise it skips this one.
  void look_at_hold() {
    if (!pressed_ || hold_taken_ == pressed_ || grid_ - *pressed_ < button_hold) return;
    hold_taken_ = pressed_;
    choose(step_ == Step::done ? CalibrateChoice::again : CalibrateChoice::skip);
  }

  /// For a unit without buttons the guide saves by itself.
  void look_at_end() {
    constexpr Duration to_think{4'000'000};
    if (!over_ && !recorder_.things().empty() && !recorder_.has_buttons() && grid_ - done_at_ >= to_think) end(true);
  }

  CalibrateOptions options_;
  ReadingRecorder recorder_;
  std::vector<std::string> roles_;
  std::string role_;
  std::size_t next_ = 0;  ///< of the controls
  Step step_ = Step::done;
  int number_ = 0;
  StickReadings stick_;
  AxisReadings axis_;
  std::vector<double> marks_;
  std::map<std::string, StickReadings> sticks_;
  std::map<std::string, AxisReadings> axes_;
  RawPoint place_, calm_, rest_, still_, farthest_, pushed_to_;
  std::deque<RawPoint> lately_;
  std::vector<RawPoint> resting_, held_;
  std::vector<double> stopped_;
  double noise_ = 0;             ///< at rest, as a fraction of half the declared range
  double way_ = 0;               ///< its reach
  std::array<int, 300> ways_{};  ///< a histogram of distances from rest, in hundredths
  int all_ways_ = 0;
  double turned_ = 0, angle_ = 0, peak_ = 0;
  int low_ends_ = 0, high_ends_ = 0, side_ = 0, refusals_ = 0;
  std::int64_t moved_for_ = 0, other_for_ = 0;
  bool was_away_ = false, has_moved_ = false, waits_for_release_ = false, stays_ = false;
  bool told_waiting_ = false, told_missing_ = false, asks_no_pushes_ = false;
  SweepFault asked_for_;
  std::shared_ptr<Fitting> fitting_;  ///< null: no fit is being computed
  Time grid_{}, now_{}, since_{}, idle_since_{}, has_stopped_since_{}, done_at_{}, quiet_since_{}, last_report_{};
  std::optional<Time> pressed_, hold_taken_;
  bool begun_ = false, over_ = false, kept_ = false;
};

Calibrating::Calibrating(CalibrateOptions options) : impl_(std::make_unique<Impl>(std::move(options))) {}
Calibrating::~Calibrating() = default;
Calibrating::Calibrating(Calibrating&&) noexcept = default;
Calibrating& Calibrating::operator=(Calibrating&&) noexcept = default;
void Calibrating::meet(int node, const Attachment& attachment) { impl_->meet(node, attachment); }
void Calibrating::lose(int node) { impl_->lose(node); }
void Calibrating::feed(int node, const Report& report) { impl_->feed(node, report); }
void Calibrating::advance(Time now) { impl_->advance(now); }
std::optional<Time> Calibrating::next_due() const { return impl_->next_due(); }
std::optional<CalibrateEvent> Calibrating::next_event() {
  if (impl_->events.empty()) return std::nullopt;
  CalibrateEvent event = std::move(impl_->events.front());
  impl_->events.pop_front();
  return event;
}
void Calibrating::choose(CalibrateChoice choice) { impl_->choose(choice); }
void Calibrating::missed() { impl_->missed(); }
const std::vector<std::string>& Calibrating::roles() const noexcept { return impl_->roles(); }
std::size_t Calibrating::measured() const noexcept { return impl_->measured(); }
const std::string& Calibrating::role() const noexcept { return impl_->role(); }
CalibrateStep Calibrating::step() const noexcept { return impl_->step(); }
int Calibrating::number() const noexcept { return impl_->number(); }
double Calibrating::progress() const noexcept { return impl_->progress(); }
const StickReadings& Calibrating::readings() const noexcept { return impl_->readings(); }
std::array<bool, 8> Calibrating::reached() const { return impl_->reached(); }
const AxisReadings& Calibrating::axis_readings() const noexcept { return impl_->axis_readings(); }
RawPoint Calibrating::place() const noexcept { return impl_->place(); }
double Calibrating::held(Time now) const noexcept { return impl_->held(now); }
const Calibration& Calibrating::found() const noexcept { return impl_->found; }
const StickReadings* Calibrating::readings_of(const std::string& role) const { return impl_->readings_of(role); }
const AxisReadings* Calibrating::axis_readings_of(const std::string& role) const {
  return impl_->axis_readings_of(role);
}
bool Calibrating::over() const noexcept { return impl_->over(); }
bool Calibrating::kept() const noexcept { return impl_->kept(); }

Calibration merged(Calibration known, const Calibration& found) {
  for (const StickCalibration& stick : found.sticks) {
    std::erase_if(known.sticks, [&](const StickCalibration& old) { return old.x == stick.x || old.y == stick.y; });
    std::erase_if(known.axes, [&](const AxisCalibration& old) { return old.code == stick.x || old.code == stick.y; });
    known.sticks.push_back(stick);
  }
  for (const AxisCalibration& axis : found.axes) {
    std::erase_if(known.axes, [&](const AxisCalibration& old) { return old.code == axis.code; });
    known.axes.push_back(axis);
  }
  for (const AimCalibration& aim : found.aims) {
    std::erase_if(known.aims, [&](const AimCalibration& old) { return old.screen == aim.screen && old.x == aim.x; });
    known.aims.push_back(aim);
  }
  return known;
}

}  // namespace omnipar::inline abi_0
