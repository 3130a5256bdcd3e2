// The guide that asks for shots. Shots are defined in shots.cpp, fits in gun_fit.cpp.
#include "omnipar/aiming.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>

#include <fmt/format.h>

#include "calibrate/shots.hpp"

namespace omnipar::inline abi_0 {

using calibrate::AimHistory;

class Aiming::Impl {
 public:
  explicit Impl(AimingOptions options) : options_(std::move(options)) {
    constexpr int usual = 5;
    if (targets_for(options_.shots).empty()) options_.shots = usual;
    unit_ = options_.unit;
  }

  // -- units -----------------------------------------------------------------------------------------------------
  void meet(int node, const std::string& unit, const Attachment& attachment) {
    const auto known = std::ranges::find(guns_, unit, &AimHistory::unit);
    AimHistory& listener = known != guns_.end() ? *known : guns_.emplace_back(unit);
    listener.meet(node, attachment);
    if (begun_) return;
    if (unit_.empty() || unit_ == unit) changed_ = true;
  }

  void lose(int node) {
    for (AimHistory& listener : guns_) listener.lose(node);
  }

  /// The first question waits until the units are known.
  void begin() {
    if (begun_ || !changed_) return;
    std::vector<std::string> here = guns();
    if (here.empty()) return;
    if (unit_.empty() && here.size() == 1) unit_ = here.front();
    if (!unit_.empty() && gun() == nullptr) return;
    begun_ = true;
    unit_.empty() ? ask(AimingStep::who) : first_step();
  }

  [[nodiscard]] std::vector<std::string> guns() const {
    std::vector<std::string> names;
    for (const AimHistory& listener : guns_)
      if (listener.is_gun() && listener.is_here()) names.push_back(listener.unit());
    return names;
  }

  [[nodiscard]] const AimHistory* gun() const { return named(guns_, unit_); }
  [[nodiscard]] AimHistory* gun() { return named(guns_, unit_); }

  // -- messages --------------------------------------------------------------------------------------------------
  void feed(int node, const Report& report) {
    now_ = std::max(now_, report.time);
    for (AimHistory& listener : guns_) {
      if (!listener.has_node(node)) continue;
      if (listener.feed(node, report) && listener.is_gun() && begun_ && !over_) pulled(listener, report.time);
    }
    if (const AimHistory* its = gun(); held_since_ && !over_ && its != nullptr && !its->trigger_down()) released();
    begin();
  }

  void advance(Time now) {
    now_ = std::max(now_, now);
    begin();
    if (!held_since_ || over_ || now_ < *held_since_ + hold_time) return;
    const AimHistory* its = gun();
    if (its == nullptr || !its->trigger_down()) return released();
    held_since_.reset();
    pending_.reset();
    step_ == AimingStep::done ? begin_shots() : end(true);
  }

  [[nodiscard]] std::optional<Time> next_due() const {
    if (over_ || !held_since_) return std::nullopt;
    return *held_since_ + hold_time;
  }

  void choose(AimingChoice choice) {
    if (over_) return;
    if (choice == AimingChoice::leave) return end(false);
    if (choice == AimingChoice::keep) {
      if (fit_) end(true);
      return;
    }
    if (gun() == nullptr || !begun_) return;
    if (choice == AimingChoice::skip && (step_ == AimingStep::steady || step_ == AimingStep::around)) begin_shots();
    if (choice == AimingChoice::again) begin_shots();
  }

  std::optional<AimingEvent> next_event() {
    if (events_.empty()) return std::nullopt;
    AimingEvent event = std::move(events_.front());
    events_.pop_front();
    return event;
  }

  [[nodiscard]] std::optional<AreaPoint> target() const {
    if (step_ == AimingStep::steady) return within({0.5, 0.5});
    if (step_ == AimingStep::shot && next_ < targets_.size()) return targets_[next_];
    return std::nullopt;
  }

  [[nodiscard]] std::optional<AreaPoint> pointed() const {
    const AimHistory* its = gun();
    if (!fit_ || its == nullptr || !its->now()) return std::nullopt;
    return aimed(fit_->aim, *its->now());
  }

  [[nodiscard]] Calibration found() const {
    Calibration calibration;
    const AimHistory* its = gun();
    if (!fit_ || its == nullptr) return calibration;
    AimCalibration aim = fit_->aim;
    aim.screen = options_.screen.name;
    aim.x = its->x()->code;
    aim.y = its->y()->code;
    aim.declared_x = {its->x()->minimum, its->x()->maximum};
    aim.declared_y = {its->y()->minimum, its->y()->maximum};
    calibration.aims.push_back(aim);
    return calibration;
  }

  AimingOptions options_;
  AimingStep step_ = AimingStep::who;
  std::string unit_;
  std::vector<AreaPoint> targets_;  ///< of all shots, in order
  std::size_t next_ = 0;            ///< the index of the current one
  std::vector<Shot> shots_;         ///< by target, as far as they exist
  std::optional<GunFit> fit_;
  bool over_ = false;
  bool kept_ = false;

 private:
  /// The gun with that name; null if it is unknown, or has never reported a position.
  template <typename Guns>
  static auto named(Guns& guns, const std::string& unit) -> decltype(&guns.front()) {
    const auto at = std::ranges::find(guns, unit, &AimHistory::unit);
    return at != guns.end() && at->is_gun() ? &*at : nullptr;
  }

  static constexpr Duration hold_time{2'000'000};
  static constexpr Duration bounce_time{300'000};

  [[nodiscard]] AreaPoint within(AreaPoint p) const {
    return {options_.within.left + p.x * options_.within.width, options_.within.top + p.y * options_.within.height};
  }
  [[nodiscard]] PixelSize size() const { return seen_size(options_.screen); }

  void tell(AimingEvent event) { events_.push_back(std::move(event)); }
  void ask(AimingStep step, int number = 0) {
    step_ = step;
    asked_at_ = now_;
    tell({AimingEvent::Kind::asks, step, number, AimingRefusal::none, unit_, {}});
  }
  void refuse(AimingRefusal why, const std::string& unit = "", int number = 0) {
    tell({AimingEvent::Kind::rejects, step_, number, why, unit, {}});
  }
  void end(bool kept) {
    over_ = true;
    kept_ = kept && fit_.has_value();
    tell({AimingEvent::Kind::ends, step_, 0, AimingRefusal::none, unit_, {}});
  }

  // -- steps ------------------------------------------------------------------------------------------------------
  void first_step() {
    if (AimHistory* its = gun()) its->begin_test();
    if (options_.sweeps) return ask(AimingStep::across);
    options_.test ? ask(AimingStep::steady) : begin_shots();
  }

  void begin_shots() {
    fit_.reset();
    shots_.clear();
    sweep_.reset();
    pending_.reset();
    held_since_.reset();
    asked_again_ = 0;
    if (AimHistory* its = gun()) its->begin_test();
    if (options_.sweeps) return ask(AimingStep::across);
    targets_.clear();
    for (const AreaPoint target : targets_for(options_.shots)) targets_.push_back(within(target));
    ask_shot(0);
  }

  void ask_shot(std::size_t which) {
    next_ = which;
    unsteady_ = 0;
    ask(AimingStep::shot, static_cast<int>(which) + 1);
  }

  void pulled(AimHistory& listener, Time at) {
    if (last_pull_ && at < *last_pull_ + bounce_time) return;  // contact bounce
    if (step_ == AimingStep::who) {
      last_pull_ = at;
      unit_ = listener.unit();
      return first_step();
    }
    if (listener.unit() != unit_) {
      constexpr Duration told_for{3'000'000};
      if (!told_other_ || at > *told_other_ + told_for) refuse(AimingRefusal::other_gun, listener.unit());
      told_other_ = at;
      return;
    }
    last_pull_ = at;
    switch (step_) {
      case AimingStep::steady:
        return handle_steady(listener, at);
      case AimingStep::around:
        return handle_around(listener);
      case AimingStep::across:
        return handle_sweep(listener, true);
      case AimingStep::down:
        return handle_sweep(listener, false);
      case AimingStep::shot:
        return pulled_at_target(listener, at);
      default:
        held_since_ = at;
    }
  }

  /// Once there is a fit, a pull may be the start of a hold, which saves it.
  void pulled_at_target(const AimHistory& listener, Time at) {
    const auto shot = listener.shot(targets_[next_], at, asked_at_);
    if (!fit_ || !shot) return handle_shot(listener, shot);
    pending_ = shot;
    held_since_ = at;
  }

  void released() {
    held_since_.reset();
    if (step_ == AimingStep::done) return end(true);
    const auto shot = std::exchange(pending_, std::nullopt);
    if (const AimHistory* its = gun(); its != nullptr && shot) handle_shot(*its, shot);
  }

  // -- the pointing test ------------------------------------------------------------------------------------------
  [[nodiscard]] static double extent(const Control& control) {
    return std::max(1.0, static_cast<double>(control.maximum) - control.minimum);
  }

  void handle_steady(AimHistory& listener, Time at) {
    const auto shot = listener.shot({}, at, asked_at_);
    if (!shot) return refuse(AimingRefusal::silent, unit_);
    notes_.clear();
    const double x = shot->spread.x / extent(*listener.x()), y = shot->spread.y / extent(*listener.y());
    constexpr double much = 0.01, hardly = 0.0005;
    const double jitter = std::max(x, y);
    notes_.push_back(fmt::format("jitter while held still: {:.2f} % of its range{}", 100 * jitter,
                                 jitter > much     ? ", which is high: check for bright light and reflections"
                                 : jitter < hardly ? ", which is very low"
                                                   : ""));
    listener.begin_test();
    ask(AimingStep::around);
  }

  void handle_around(AimHistory& listener) {
    if (listener.path().size() < 2) return refuse(AimingRefusal::silent, unit_);
    if (listener.losses() > 0)
      notes_.push_back(fmt::format("it lost sight of the screen {}: stand further back, or closer to the middle",
                                   listener.losses() == 1 ? "once" : fmt::format("{} times", listener.losses())));
    // A corner counts as reached when the gun was near both of its furthest readings there.
    const RawPoint low = listener.lowest(), high = listener.highest();
    const auto near = [](double value, double end, double width) { return std::fabs(value - end) <= 0.15 * width; };
    constexpr std::array<std::string_view, 4> names{"upper left", "upper right", "lower right", "lower left"};
    std::string missing;
    for (std::size_t c = 0; c < names.size(); ++c) {
      const double x = c == 0 || c == 3 ? low.x : high.x, y = c < 2 ? low.y : high.y;
      const bool reached = std::ranges::any_of(
          listener.path(), [&](RawPoint p) { return near(p.x, x, high.x - low.x) && near(p.y, y, high.y - low.y); });
      if (!reached) missing += (missing.empty() ? "" : ", ") + std::string{names.at(c)};
    }
    notes_.push_back(missing.empty() ? "it reaches all four corners" : "corners not reached: " + missing);
    note_ends(listener);
    tell({AimingEvent::Kind::tested, step_, 0, AimingRefusal::none, unit_, notes_});
    begin_shots();
  }

  /// A gun at the end of its range goes no further, although the screen does.
  void note_ends(const AimHistory& listener) {
    const auto share_at = [&listener](double RawPoint::*side, std::int32_t end) {
      const auto count = std::ranges::count_if(listener.path(), [&](RawPoint p) { return p.*side == end; });
      return static_cast<double>(count) / static_cast<double>(listener.path().size());
    };
    constexpr double often = 0.05;
    const Control &x = *listener.x(), &y = *listener.y();
    if (std::max({share_at(&RawPoint::x, x.minimum), share_at(&RawPoint::x, x.maximum),
                  share_at(&RawPoint::y, y.minimum), share_at(&RawPoint::y, y.maximum)}) > often)
      notes_.push_back("it reaches the end of its range along an edge, so it cannot report anything beyond: move back");
  }

  // -- sweeps of a positional gun ------------------------------------------------------------------------------------
  struct Sweep {
    bool swapped = false;
    RawPoint low, high;
    bool reversed = false;
  };

  /// Which axis moved, while the other one did not, and in which direction: a sweep begins at its left, or at its top.
  void handle_sweep(AimHistory& listener, bool across) {
    if (listener.path().size() < 2) return refuse_sweep(AimingRefusal::not_swept, listener);
    const double x = (listener.highest().x - listener.lowest().x) / extent(*listener.x());
    const double y = (listener.highest().y - listener.lowest().y) / extent(*listener.y());
    constexpr double least = 0.2, wobble = 0.25;
    const double more = std::max(x, y), less = std::min(x, y);
    if (more < least) return refuse_sweep(AimingRefusal::not_swept, listener);
    if (less > wobble * more) return refuse_sweep(AimingRefusal::wobble, listener);
    const bool by_x = x > y;
    const RawPoint first = listener.path().front();
    const bool reversed = by_x ? first.x - listener.lowest().x > listener.highest().x - first.x
                               : first.y - listener.lowest().y > listener.highest().y - first.y;
    const Sweep made{across != by_x, listener.lowest(), listener.highest(), reversed};
    if (across) {
      sweep_ = made;
      listener.begin_test();
      return ask(AimingStep::down);
    }
    if (made.swapped != sweep_->swapped) return refuse_sweep(AimingRefusal::same_axis, listener);
    lay_sweeps(*sweep_, made);
  }

  void refuse_sweep(AimingRefusal why, AimHistory& listener) {
    refuse(why);
    listener.begin_test();
    ask(step_);
  }

  void lay_sweeps(const Sweep& across, const Sweep& down) {
    const auto ends = [](double low, double high, bool reversed) {
      return reversed ? std::pair{high, low} : std::pair{low, high};
    };
    const auto [left, right] = across.swapped ? ends(across.low.y, across.high.y, across.reversed)
                                              : ends(across.low.x, across.high.x, across.reversed);
    const auto [top, bottom] =
        down.swapped ? ends(down.low.x, down.high.x, down.reversed) : ends(down.low.y, down.high.y, down.reversed);
    const auto corner = [&across](double side, double height) {
      return across.swapped ? RawPoint{height, side} : RawPoint{side, height};
    };
    GunFit fit;
    fit.aim.model = AimModel::scale;
    fit.aim.corners = {corner(left, top), corner(right, top), corner(right, bottom), corner(left, bottom)};
    fit_ = fit;
    finish();
  }

  // -- shots ----------------------------------------------------------------------------------------------------------
  void handle_shot(const AimHistory& listener, const std::optional<Shot>& shot) {
    if (!shot) return again(AimingRefusal::silent);
    if (shot->missed) return again(AimingRefusal::missed);
    constexpr int patience = 2;  // some users never hold still
    if (!listener.is_still(*shot) && unsteady_++ < patience) return again(AimingRefusal::moving);
    AimingEvent taken{AimingEvent::Kind::accepts, step_, static_cast<int>(next_) + 1, AimingRefusal::none, unit_, {}};
    if (!listener.is_still(*shot))
      taken.notes.emplace_back("taken while the gun was moving, so the fit is less accurate");
    tell(std::move(taken));
    next_ < shots_.size() ? void(shots_[next_] = *shot) : shots_.push_back(*shot);
    if (shots_.size() < targets_.size()) return ask_shot(shots_.size());
    fit_all();
  }

  void again(AimingRefusal why) {
    refuse(why, unit_, static_cast<int>(next_) + 1);
    ask(AimingStep::shot, static_cast<int>(next_) + 1);
  }

  void restart(AimingRefusal why) {
    refuse(why);
    begin_shots();
  }

  /// A bad shot is repeated a few times; after that the fit is accepted with its current bound.
  void fit_all() {
    const auto fit = fit_gun(shots_, size(), options_.within);
    if (!fit) return refuse_fit(fit.error());
    fit_ = *fit;
    constexpr int most_again = 4;
    constexpr std::size_t most_more = 3;
    const std::size_t asked = targets_for(options_.shots).size();
    if (asked_again_ >= most_again || (!fit->bad_shot && !fit->doubtful)) return finish();
    if (fit->bad_shot) {
      ++asked_again_;
      refuse(AimingRefusal::bad_shot, "", static_cast<int>(*fit->bad_shot) + 1);
      return ask_shot(*fit->bad_shot);
    }
    if (shots_.size() >= asked + most_more) return finish();
    refuse(AimingRefusal::doubtful, "", static_cast<int>(shots_.size()) + 1);
    targets_.push_back(next_extra());
    ask_shot(targets_.size() - 1);
  }

  /// The most informative target, then the other edge middles.
  [[nodiscard]] AreaPoint next_extra() const {
    if (shots_.size() == targets_for(5).size()) return within(extra_target(whole_shots(), size()));
    constexpr double near = target_inset, far = 1 - target_inset, middle = 0.5;
    for (const AreaPoint inside :
         {AreaPoint{middle, near}, AreaPoint{middle, far}, AreaPoint{near, middle}, AreaPoint{far, middle}})
      if (const AreaPoint target = within(inside); std::ranges::find(targets_, target) == targets_.end()) return target;
    return within({middle, middle});
  }

  /// The shots with positions relative to this part of the screen, so that the additional one is in the middle of its
  /// edge.
  [[nodiscard]] std::vector<Shot> whole_shots() const {
    std::vector<Shot> shots = shots_;
    for (Shot& shot : shots)
      shot.target = {(shot.target.x - options_.within.left) / options_.within.width,
                     (shot.target.y - options_.within.top) / options_.within.height};
    return shots;
  }

  void refuse_fit(const ShotFault& fault) {
    switch (fault.why) {
      case ShotRefusal::equal:
        refuse(AimingRefusal::equal, "", static_cast<int>(fault.shots.back()) + 1);
        return ask_shot(fault.shots.back());
      case ShotRefusal::in_line:
        return restart(AimingRefusal::in_line);
      case ShotRefusal::cramped:
        return restart(AimingRefusal::cramped);
      default:
        return restart(AimingRefusal::no_sense);
    }
  }

  void finish() {
    if (!options_.keeps) return end(false);
    tell({AimingEvent::Kind::fits, step_, 0, AimingRefusal::none, unit_, {}});
    ask(AimingStep::done);
  }

  std::deque<AimHistory> guns_;
  std::deque<AimingEvent> events_;
  std::vector<std::string> notes_;
  std::optional<Sweep> sweep_;
  std::optional<Time> held_since_;
  std::optional<Shot> pending_;  ///< the pull that is held
  int unsteady_ = 0;             ///< pulls at this target that were rejected because the gun moved
  int asked_again_ = 0;          ///< bad shots that were repeated
  Time now_{};
  Time asked_at_{};
  std::optional<Time> last_pull_;
  std::optional<Time> told_other_;
  bool begun_ = false;
  bool changed_ = false;
};

Aiming::Aiming(AimingOptions options) : impl_(std::make_unique<Impl>(std::move(options))) {}
Aiming::~Aiming() = default;
Aiming::Aiming(Aiming&&) noexcept = default;
Aiming& Aiming::operator=(Aiming&&) noexcept = default;

void Aiming::meet(int node, const std::string& unit, const Attachment& attachment) {
  impl_->meet(node, unit, attachment);
}
void Aiming::lose(int node) { impl_->lose(node); }
void Aiming::feed(int node, const Report& report) { impl_->feed(node, report); }
void Aiming::advance(Time now) { impl_->advance(now); }
std::optional<Time> Aiming::next_due() const { return impl_->next_due(); }
std::optional<AimingEvent> Aiming::next_event() { return impl_->next_event(); }
void Aiming::choose(AimingChoice choice) { impl_->choose(choice); }
AimingStep Aiming::step() const noexcept { return impl_->step_; }
int Aiming::number() const noexcept {
  return impl_->step_ == AimingStep::shot ? static_cast<int>(impl_->next_) + 1 : 0;
}
int Aiming::count() const noexcept { return static_cast<int>(impl_->targets_.size()); }
std::optional<AreaPoint> Aiming::target() const noexcept { return impl_->target(); }
const std::string& Aiming::unit() const noexcept { return impl_->unit_; }
std::vector<std::string> Aiming::guns() const { return impl_->guns(); }
const std::vector<Shot>& Aiming::shots() const noexcept { return impl_->shots_; }
const std::optional<GunFit>& Aiming::fit() const noexcept { return impl_->fit_; }
std::optional<AreaPoint> Aiming::pointed() const noexcept { return impl_->pointed(); }
const AimingOptions& Aiming::options() const noexcept { return impl_->options_; }
Calibration Aiming::found() const { return impl_->found(); }
bool Aiming::over() const noexcept { return impl_->over_; }
bool Aiming::kept() const noexcept { return impl_->kept_; }

}  // namespace omnipar::inline abi_0
