// The order of events while something is learned. A gesture is what hands do from one rest to the next:
//
//   waiting --all released--> idle --something stirs--> moving --all released, for a moment--> concluded, idle
//                                                       moving --one control held--> the menu or a choice, waiting
//                                                       moving --two controls held--> the end
//
// What a gesture means depends on the mode: the answer to a question, the next choice of the menu, or a trial.
#include "omnipar/learning.hpp"

#include <algorithm>
#include <deque>

#include "learn/answers.hpp"
#include "learn/hands.hpp"
#include "learn/verdict.hpp"
#include "omnipar/role.hpp"

namespace omnipar {

namespace {

/// A switch that bounces is up for less.
constexpr Duration quiet{30'000};
/// Nobody reads the next question sooner than this.
constexpr Duration soonest{500'000};
/// Two controls that are held for so long end it.
constexpr Duration leave_hold{2'000'000};
/// What is swept or moved has been swept or moved when it stands for so long; what was not enough, later.
constexpr Duration sweep_ends{400'000}, half_sweep_ends{1'500'000};

/// What is still down after so long is named, and behind this taken to be stuck.
constexpr Duration says_waiting{700'000}, gives_up_waiting{4'000'000};

}  // namespace

class Learning::Inside {
  using Kind = LearnEvent::Kind;

 public:
  Inside(std::vector<Question> questions, LearnOptions options)
      : answers_(std::move(questions)), options_(std::move(options)) {
    if (!at()) finish();
  }

  enum class Mode : std::uint8_t { asks, menu, tries, over };
  enum class Gesture : std::uint8_t { waiting, idle, moving };

  // -- who is there ---------------------------------------------------------------------------------------------
  void meet(int node, const std::string& unit, const Attachment& attachment, bool ours) {
    const bool is_back = std::ranges::find(units_, unit) != units_.end();
    hands_.meet(node, unit, attachment, ours || is_back);
    if ((ours || is_back) && !std::exchange(met_, true)) say({.kind = Kind::meets, .unit = unit});
    say_odd();
    if (ours && !is_back) units_.push_back(unit);
    if ((ours || is_back) && std::exchange(paused_, false)) {
      say({.kind = Kind::goes_on, .unit = unit});
      asking_.reset();
      wait();
    }
    judge();
  }

  void lose(int node) {
    const std::string unit = hands_.unit_of(node);
    const bool was_ours = hands_.is_own(node);
    hands_.lose(node);
    if (!was_ours) return;
    pressed_.clear();
    held_ = {};
    wait();
    if (hands_.has_own() || paused_) return;
    paused_ = true;
    say({.kind = Kind::pauses, .unit = unit});
  }

  // -- what comes -----------------------------------------------------------------------------------------------
  void hear(int node, const Report& report) {
    advance(report.time);
    hands_.hear(node, Report{now_, report.changes});
    say_odd();
    for (const learn::Push& push : hands_.take_fresh()) echo(push);
    judge();
  }

  void advance(Time now) {
    // Deadlines that are over come first, each at its own time.
    while (const auto due = next_due()) {
      if (*due > now || *due <= now_) break;
      now_ = *due;
      judge();
    }
    now_ = std::max(now_, now);
    judge();
  }

  [[nodiscard]] std::optional<Time> next_due() const {
    if (mode_ == Mode::over || paused_) return std::nullopt;
    std::optional<Time> due;
    const auto add = [&](Time time) {
      if (time > now_ && (!due || time < *due)) due = time;
    };
    if (released_at_) add(*released_at_ + quiet);
    if (gesture_ == Gesture::waiting) {
      add(hands_.moved() + learn::long_still);
      if (!said_waiting_) add(waits_since_ + says_waiting);
      add(waits_since_ + gives_up_waiting);
    }
    if (gesture_ == Gesture::moving) {
      if (held_.since) add(*held_.since + held_.needed);
      for (const Duration time : {sweep_ends, half_sweep_ends, Duration{learn::long_still}}) add(hands_.moved() + time);
    }
    if (gesture_ == Gesture::idle && mode_ == Mode::asks && options_.skip_after) add(asked_at_ + *options_.skip_after);
    return due;
  }

  // -- choices --------------------------------------------------------------------------------------------------
  void choose(LearnChoice choice) {
    if (mode_ == Mode::over) return;
    if (choice == LearnChoice::back && !answers_.can_go_back()) return;
    if (choice == LearnChoice::skip && !at()) return;
    menu_.clear();
    in_use_.reset();
    asking_.reset();
    say({.kind = Kind::chooses, .choice = choice});
    switch (choice) {
      case LearnChoice::back:
        answers_.go_back();
        last_.reset();
        break;
      case LearnChoice::skip:
        skip();
        break;
      case LearnChoice::again:
        if (!at()) return ask_again(tried_.value_or(answers_.questions().size() - 1));
        break;
      case LearnChoice::keep:
        if (at()) {
          finish();
          break;
        }
        return end(true);
      case LearnChoice::leave:
        return end(false);
    }
    wait();
    judge();
  }

  void ask_only(const std::vector<std::string>& names) {
    if (mode_ == Mode::over) return;
    answers_.ask_only(names);
    asking_.reset();
    if (!at()) finish();
    wait();
  }

  void ask_again(std::size_t question) {
    if (question >= answers_.questions().size() || mode_ == Mode::over) return;
    answers_.ask_again(question);
    menu_.clear();
    wait();
    judge();
  }

  [[nodiscard]] double held(Time now) const noexcept {
    if (!held_.since || gesture_ != Gesture::moving) return 0;
    const double part = static_cast<double>((now - *held_.since).count()) / static_cast<double>(held_.needed.count());
    return std::clamp(part, 0.0, 1.0);
  }

  learn::Answers answers_;
  LearnOptions options_;
  std::deque<LearnEvent> events_;
  std::string pressed_;
  std::vector<LearnChoice> menu_;
  std::size_t marked_ = 0;
  std::vector<std::string> units_;
  bool paused_ = false;
  bool kept_ = false;
  Mode mode_ = Mode::asks;
  [[nodiscard]] std::optional<std::size_t> at() const noexcept { return answers_.at(); }

 private:
  /// What is held, since when, and how long it needs.
  struct Hold {
    std::optional<Time> since{};
    Duration needed{1};
  };

  void say(LearnEvent event) {
    if (mode_ == Mode::over && event.kind != Kind::ends) return;
    events_.push_back(std::move(event));
  }

  void say_odd() {
    for (learn::Odd& odd : hands_.take_odd())
      say({.kind = odd.is_heard ? Kind::notices : Kind::leaves_out,
           .unit = std::move(odd.unit),
           .role = std::move(odd.role),
           .odd = std::move(odd.what)});
  }

  [[nodiscard]] LearnEvent refusal(LearnRefusal why, const std::string& role) const {
    LearnEvent event{.kind = Kind::refuses, .question = at().value_or(0), .role = role};
    event.why = why;
    return event;
  }

  /// A press that has just begun: it is shown at once, and is an answer only later.
  void echo(const learn::Push& push) {
    if (mode_ == Mode::over) return;
    push.ours ? hear_own(push) : hear_other(push);
  }

  void hear_own(const learn::Push& push) {
    if (push.reading == Reading::counts || gesture_ == Gesture::waiting) return;
    pressed_ = push.role;
    if (mode_ == Mode::asks) say({.kind = Kind::hears, .question = *at(), .unit = push.unit, .role = push.role});
  }

  /// The first unit that is pressed answers from then on, if nobody is known; with all of them each press counts.
  void hear_other(const learn::Push& push) {
    if (!hands_.has_own() && units_.empty()) {
      own(push.unit);
      met_ = true;
      say({.kind = Kind::meets, .unit = push.unit});
      say_odd();
      return wait();
    }
    if (push.reading == Reading::counts) return;
    if (options_.all_units) {
      own(push.unit);
      return hear_own(push);
    }
    LearnEvent event = refusal(LearnRefusal::other_unit, push.role);
    event.unit = push.unit;
    say(std::move(event));
  }

  void own(const std::string& unit) {
    hands_.own(unit);
    units_.push_back(unit);
  }

  void skip() {
    const std::size_t question = *at();
    answers_.skip();
    say({.kind = Kind::skips, .question = question});
    if (!at()) finish();
  }

  // -- one gesture ----------------------------------------------------------------------------------------------
  [[nodiscard]] bool by_sweep() const { return mode_ == Mode::asks && learn::is_swept(answers_.question().kind); }

  /// From here on nothing is heard until all is released.
  void wait() {
    if (mode_ == Mode::over) return;
    if (gesture_ == Gesture::moving) released_at_.reset();
    if (gesture_ == Gesture::idle) released_at_ = now_ - quiet;  // nothing was down
    gesture_ = Gesture::waiting;
    mode_ = !menu_.empty() ? Mode::menu : at() ? Mode::asks : Mode::tries;
    held_ = {};
    said_waiting_ = false;
    waits_since_ = now_;
    pressed_.clear();
  }

  void judge() {
    if (mode_ == Mode::over || paused_ || !hands_.has_own()) return;
    if (gesture_ == Gesture::waiting && !settle()) return;
    if (gesture_ == Gesture::idle) {
      if (mode_ == Mode::asks && options_.skip_after && now_ - asked_at_ >= *options_.skip_after)
        return choose(LearnChoice::skip);
      if (!hands_.is_stirred(by_sweep())) return;
      gesture_ = Gesture::moving;
    }
    const std::vector<learn::Push> pushes = hands_.pushes();
    if (take_hold(pushes) || !is_finished(pushes)) return;
    conclude(pushes);
  }

  /// True when all is released, and not only between two bounces: then the next thing is asked.
  bool settle() {
    if (mode_ == Mode::over) return false;
    if (!is_quiet()) {
      const std::string down = hands_.still_down(now_);
      const bool is_late = now_ - waits_since_ >= says_waiting && mode_ == Mode::asks && !down.empty();
      if (is_late && !std::exchange(said_waiting_, true)) say({.kind = Kind::waits, .question = *at(), .role = down});
      if (down.empty() || now_ - waits_since_ < gives_up_waiting) return false;
      hands_.leave_out_what_is_down(now_);
      say_odd();
      released_at_ = now_;
      return false;
    }
    hands_.begin(now_);
    gesture_ = Gesture::idle;
    asked_at_ = now_;
    if (mode_ == Mode::asks && std::exchange(asking_, at()) != at()) say({.kind = Kind::asks, .question = *at()});
    if (mode_ != Mode::asks) asking_.reset();
    return true;
  }

  /// One control that is held opens the menu or takes what is marked in it; two end it all. True when it did.
  bool take_hold(const std::vector<learn::Push>& pushes) {
    std::vector<learn::Push> down;
    for (const learn::Push& push : pushes)
      if (push.down && learn::can_be_held(push)) down.push_back(push);
    held_ = {};
    if (down.size() > 1) {
      held_ = {down.back().since, leave_hold};
    } else if (down.size() == 1 && pushes.size() == 1) {
      held_ = {down.front().since, options_.hold};
    }
    if (!held_.since || now_ - *held_.since < held_.needed) return false;
    if (down.size() > 1)
      end(false);
    else if (mode_ == Mode::menu)
      choose(menu_[marked_]);
    else if (in_use_ && in_use_->role == down.front().role)
      take_over();
    else
      open_menu();
    return true;
  }

  void take_over() {
    accept(*std::exchange(in_use_, std::nullopt), true);
    wait();
  }

  void open_menu() {
    menu_.clear();
    if (!at()) menu_.push_back(LearnChoice::keep);
    if (answers_.can_go_back()) menu_.push_back(LearnChoice::back);
    if (at()) menu_.push_back(LearnChoice::skip);
    menu_.push_back(LearnChoice::again);
    if (at()) menu_.push_back(LearnChoice::keep);
    menu_.push_back(LearnChoice::leave);
    marked_ = 0;
    say({.kind = Kind::opens, .choice = menu_[0]});
    wait();
  }

  /// Released, for longer than a switch bounces.
  bool is_quiet() {
    if (!hands_.still_down(now_).empty())
      released_at_.reset();
    else if (!released_at_)
      released_at_ = now_;
    return released_at_ && now_ - *released_at_ >= quiet;
  }

  bool is_finished(const std::vector<learn::Push>& pushes) {
    const bool quiet_now = is_quiet();
    if (!by_sweep()) return quiet_now;
    const bool by_contact = !pushes.empty() && std::ranges::all_of(pushes, learn::can_be_held);
    if (by_contact) return quiet_now;
    const Duration still = now_ - hands_.moved();
    return still >= half_sweep_ends || (still >= sweep_ends && learn::is_swept_whole(hands_, answers_.question().kind));
  }

  void conclude(const std::vector<learn::Push>& pushes) {
    if (mode_ == Mode::menu) {
      if (!pushes.empty()) {
        marked_ = (marked_ + 1) % menu_.size();
        say({.kind = Kind::opens, .choice = menu_[marked_]});
      }
    } else if (mode_ == Mode::tries) {
      if (pushes.size() == 1) try_out(pushes.front());
    } else if (by_sweep() && (pushes.empty() || !std::ranges::all_of(pushes, learn::can_be_held))) {
      take(learn::judge_sweep(hands_, answers_.question().kind));
    } else {
      take(learn::judge_pushes(hands_, pushes, answers_.question().kind));
    }
    const auto since = released_at_;
    wait();
    released_at_ = since;
    settle();
  }

  // -- answers --------------------------------------------------------------------------------------------------
  void take(learn::Verdict verdict) {
    if (verdict.source) return consider(std::move(*verdict.source));
    if (verdict.refusal == LearnRefusal::none) return;
    LearnEvent event = refusal(verdict.refusal, verdict.role);
    event.other_role = verdict.other_role;
    event.seen = verdict.seen;
    event.other = verdict.other;
    say(std::move(event));
  }

  /// The target that has this control already, by its name; empty if none has.
  [[nodiscard]] std::string user_of(const std::string& role) const {
    if (std::string user = answers_.user_of(role); !user.empty()) return user;
    for (const auto& [other, target] : options_.in_use)
      if (other == role && target != answers_.question().name) return target;
    return "";
  }

  void consider(LearnedSource source) {
    const bool is_soon = now_ - last_at_ < soonest;
    if (is_soon && last_ && last_->role == source.role && last_->unit == source.unit)
      return say(refusal(LearnRefusal::repeated, source.role));
    const std::string user = user_of(source.role);
    const bool confirms = in_use_ && in_use_->role == source.role;
    if (!user.empty() && !confirms && options_.used != WhenUsed::both) {
      if (options_.used == WhenUsed::moved) return accept(std::move(source), true);
      say(refusal(LearnRefusal::used, source.role));
      events_.back().target = user;
      last_ = source;
      last_at_ = now_;
      if (options_.used == WhenUsed::ask) in_use_ = std::move(source);
      return;
    }
    accept(std::move(source));
  }

  void accept(LearnedSource source, bool moves_over = false) {
    const std::size_t question = *at();
    in_use_.reset();
    last_ = source;
    last_at_ = now_;
    const auto opposite = moves_over ? answers_.move_over(std::move(source)) : answers_.accept(std::move(source));
    say_taken(question, false);
    if (opposite) say_taken(*opposite, true);
    if (!at()) finish();
  }

  void say_taken(std::size_t question, bool by_itself) {
    const LearnedSource& source = answers_.all()[question].sources.front();
    say({.kind = Kind::takes, .question = question, .unit = source.unit, .role = source.role, .by_itself = by_itself});
    if (!answers_.questions()[question].words.empty()) return;  // which way it runs is for the sheet
    events_.back().odd = source.invert_x && source.invert_y ? "turned around both ways"
                         : source.invert_x                  ? "left and right turned around"
                         : source.invert_y                  ? "up and down turned around"
                                                            : "";
  }

  void finish() {
    answers_.finish();
    menu_.clear();
    tried_.reset();
    say({.kind = Kind::ends_asking});
    wait();
  }

  void try_out(const learn::Push& push) {
    LearnEvent event{.kind = Kind::tries, .unit = push.unit, .role = push.role};
    const auto whole = stick_direction(push.role);
    const auto is_it = [&](const LearnedSource& source) {
      return source.role == push.role || (whole && source.role == whole->stick) ||
             (!learn::cross_of(push.role).empty() && source.role == learn::cross_of(push.role));
    };
    for (std::size_t q = 0; q < answers_.all().size(); ++q)
      if (std::ranges::any_of(answers_.all()[q].sources, is_it)) {
        event.target += (event.target.empty() ? "" : " and ") + answers_.questions()[q].name;
        tried_ = q;
      }
    for (const auto& [role, target] : options_.in_use)
      if (event.target.empty() && role == push.role) event.target = target;
    say(std::move(event));
  }

  void end(bool kept) {
    menu_.clear();
    pressed_.clear();
    held_ = {};
    answers_.finish();
    mode_ = Mode::over;
    kept_ = kept;
    say({.kind = Kind::ends});
  }

  learn::Hands hands_;
  Gesture gesture_ = Gesture::waiting;
  std::optional<LearnedSource> in_use_;  ///< refused, because another target has it
  std::optional<LearnedSource> last_;    ///< taken, or refused for that reason, at `last_at_`
  std::optional<std::size_t> tried_;
  std::optional<std::size_t> asking_;  ///< what was asked last, if nothing else was said since
  std::optional<Time> released_at_;
  Hold held_;
  Time now_{};
  Time last_at_{};
  Time asked_at_{};
  Time waits_since_{};
  bool met_ = false;
  bool said_waiting_ = false;
};

Learning::Learning(std::vector<Question> questions, LearnOptions options)
    : inside_(std::make_unique<Inside>(std::move(questions), std::move(options))) {}
Learning::~Learning() = default;
Learning::Learning(Learning&&) noexcept = default;
Learning& Learning::operator=(Learning&&) noexcept = default;

void Learning::meet(int node, const std::string& unit, const Attachment& attachment, bool ours) {
  inside_->meet(node, unit, attachment, ours);
}
void Learning::lose(int node) { inside_->lose(node); }
void Learning::hear(int node, const Report& report) { inside_->hear(node, report); }
void Learning::advance(Time now) { inside_->advance(now); }
std::optional<Time> Learning::next_due() const { return inside_->next_due(); }

std::optional<LearnEvent> Learning::next_event() {
  if (inside_->events_.empty()) return std::nullopt;
  LearnEvent event = std::move(inside_->events_.front());
  inside_->events_.pop_front();
  return event;
}

void Learning::ask_only(const std::vector<std::string>& names) { inside_->ask_only(names); }
void Learning::set_in_use(std::vector<std::pair<std::string, std::string>> in_use) {
  inside_->options_.in_use = std::move(in_use);
}
void Learning::choose(LearnChoice choice) { inside_->choose(choice); }
void Learning::ask_again(std::size_t question) { inside_->ask_again(question); }
const std::vector<Question>& Learning::questions() const noexcept { return inside_->answers_.questions(); }
const std::vector<Answer>& Learning::answers() const noexcept { return inside_->answers_.all(); }
std::optional<std::size_t> Learning::asked() const noexcept { return inside_->at(); }
const std::string& Learning::pressed() const noexcept { return inside_->pressed_; }
double Learning::held(Time now) const noexcept { return inside_->held(now); }
const std::vector<LearnChoice>& Learning::menu() const noexcept { return inside_->menu_; }
std::size_t Learning::marked() const noexcept { return inside_->marked_; }
const std::string& Learning::unit() const noexcept {
  static const std::string nobody;
  return inside_->units_.empty() ? nobody : inside_->units_.front();
}
bool Learning::paused() const noexcept { return inside_->paused_; }
bool Learning::over() const noexcept { return inside_->mode_ == Inside::Mode::over; }
bool Learning::kept() const noexcept { return inside_->kept_; }

}  // namespace omnipar
