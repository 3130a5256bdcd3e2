// The order of events while something is learned. A gesture is the input between two moments of rest:
//
//   waiting --all released--> idle --input--> moving --all released, for a moment--> concluded, idle
//                                             moving --one control held--> the menu or a choice, waiting
//                                             moving --two controls held--> the end
//
// What a gesture means depends on the mode: the next choice of an offer or of the menu, the answer to a question, or a
// trial.
#include "omnipar/learning.hpp"

#include <algorithm>
#include <deque>
#include <functional>

#include "learn/answers.hpp"
#include "learn/hands.hpp"
#include "learn/verdict.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0 {

namespace {

/// The shortest time before the same control, or another one, can answer the next question: reading takes longer.
constexpr Duration soonest_same{500'000}, soonest{120'000};
/// The shortest time before a second press means 'use for both'.
constexpr Duration soonest_both{250'000};
/// The shortest time between two repeats of the same message.
constexpr Duration told_again{3'000'000};
/// Holding two controls for this long ends the session.
constexpr Duration leave_hold{2'000'000};
/// A sweep or movement ends when it stops for this long; an incomplete one later; one without a button at its end
/// later still.
constexpr Duration sweep_ends{400'000}, half_sweep_ends{1'500'000}, span_ends{3'000'000};

/// A control that is still down after this time is named, and after the second one taken to be stuck.
constexpr Duration says_waiting{700'000}, gives_up_waiting{4'000'000};

}  // namespace

class Learning::Impl {
  using Kind = LearnEvent::Kind;

 public:
  Impl(std::vector<Question> questions, LearnOptions options)
      : answers_(std::move(questions), options.adds, options.used != WhenUsed::both), options_(std::move(options)) {
    for (LearnOffer& one : options_.offers) offer(std::move(one));
    if (!at()) finish();
  }

  enum class Mode : std::uint8_t { offers, asks, menu, tries, over };
  enum class Gesture : std::uint8_t { waiting, idle, moving };

  // -- units ------------------------------------------------------------------------------------------------------
  void meet(int node, const std::string& unit, const Attachment& attachment, bool ours) {
    const bool is_back = std::ranges::find(units_, unit) != units_.end();
    hands_.meet(node, unit, attachment, ours || is_back);
    if ((ours || is_back) && !std::exchange(met_, true)) say_meets(unit);
    say_odd();
    if (ours && !is_back) units_.push_back(unit);
    if ((ours || is_back) && std::exchange(paused_, false)) {
      say({.kind = Kind::resumes, .unit = unit});
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
    undo_unplugged_answer(node, unit);
    pressed_.clear();
    held_ = {};
    wait();
    if (hands_.has_own() || paused_) return;
    paused_ = true;
    say({.kind = Kind::pauses, .unit = unit});
  }

  /// The kernel releases the buttons of an unplugged unit: an answer from just before was not deliberate.
  void undo_unplugged_answer(int node, const std::string& unit) {
    constexpr Duration plug_time = std::chrono::milliseconds{200};
    if (!taken_ || taken_->first != node || now_ - taken_->second >= plug_time || mode_ == Mode::over) return;
    if (!answers_.can_go_back()) return;
    taken_.reset();
    last_.reset();
    in_use_.reset();
    asking_.reset();
    answers_.go_back();
    if (at()) say({.kind = Kind::takes_back, .question = *at(), .unit = unit});
  }

  // -- input ------------------------------------------------------------------------------------------------------
  void feed(int node, const Report& report) {
    advance(report.time);
    if (taken_ && taken_->first == node && now_ > taken_->second)
      taken_.reset();  // it continues to report: the answer was deliberate
    hands_.feed(node, Report{now_, report.changes});
    say_odd();
    for (const learn::Push& push : hands_.drain_fresh()) echo(push);
    for (const std::string& role : hands_.drain_brief()) say_now_and_then(LearnRefusal::too_brief, role);
    for (const std::string& role : hands_.drain_left_out()) say_now_and_then(LearnRefusal::left_out, role);
    judge();
  }

  void advance(Time now) {
    // Expired deadlines come first, each at its own time.
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
    if (released_at_) add(*released_at_ + learn::quiet_time);
    if (const auto rest = hands_.next_rest(now_)) add(*rest);
    if (gesture_ == Gesture::waiting) {
      if (held_on_) add(*held_on_ + options_.hold);
      add(hands_.moved() + learn::long_still);
      if (!said_waiting_) add(waits_since_ + says_waiting);
      add(waits_since_ + gives_up_waiting);
    }
    if (gesture_ == Gesture::moving) {
      if (held_.since) add(*held_.since + held_.needed);
      if (!said_waiting_) add(hands_.moved() + says_waiting);
      for (const Duration time :
           {sweep_ends, half_sweep_ends, span_ends, Duration{learn::long_still}, Duration{learn::unsure_still}})
        add(hands_.moved() + time);
    }
    if (gesture_ == Gesture::idle && mode_ == Mode::asks && options_.skip_after)
      add(idle_since_ + *options_.skip_after);
    return due;
  }

  // -- choices --------------------------------------------------------------------------------------------------
  void choose(LearnChoice choice) {
    if (mode_ == Mode::over) return;
    if (choice == LearnChoice::back && !answers_.can_go_back()) return;
    if ((choice == LearnChoice::skip || choice == LearnChoice::clear) && !at()) return;
    if (choice == LearnChoice::remaining && (at() || !has_open())) return;
    if (mode_ == Mode::offers && choice != LearnChoice::keep && choice != LearnChoice::leave) return;
    const bool is_sure = std::exchange(leaving_, false);
    if (choice == LearnChoice::leave && answers_.has_any() && !is_sure) return ask_whether_to_leave();
    menu_.clear();
    in_use_.reset();
    asking_.reset();
    held_on_.reset();
    offers_.clear();
    say({.kind = Kind::chooses, .choice = choice});
    switch (choice) {
      case LearnChoice::back:
        answers_.go_back();
        last_.reset();
        taken_.reset();
        break;
      case LearnChoice::skip:
      case LearnChoice::clear:
        skip(choice == LearnChoice::clear);
        break;
      case LearnChoice::remaining:
        answers_.ask_remaining();
        break;
      case LearnChoice::stay:
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
        discarded_ = true;
        return end(false);
    }
    wait();
    judge();
  }

  void set_questions(std::vector<Question> questions) {
    if (mode_ == Mode::over) return;
    answers_.replace(std::move(questions));
    begin_asking();
  }

  void resume(const std::vector<std::pair<std::string, Answer>>& answers) {
    if (mode_ == Mode::over) return;
    answers_.resume(answers);
    begin_asking();
  }

  void offer(LearnOffer offer) {
    if (mode_ == Mode::over || offer.choices.empty()) return;
    offer.marked = std::min(offer.marked, offer.choices.size() - 1);
    const auto same = std::ranges::find(offers_, offer.name, &LearnOffer::name);
    if (same != offers_.end())
      *same = std::move(offer);
    else
      offers_.push_back(std::move(offer));
    wait();
  }

  void mark_next() {
    if (mode_ != Mode::offers || offers_.empty()) return;
    LearnOffer& offer = offers_.front();
    offer.marked = (offer.marked + 1) % offer.choices.size();
    say_offer();
  }

  void decide() {
    if (mode_ != Mode::offers || offers_.empty()) return;
    const LearnOffer offer = std::move(offers_.front());
    offers_.pop_front();
    offering_ = false;
    say({.kind = Kind::decides, .role = offer.choices[offer.marked], .target = offer.name});
    wait();
  }

  void ask_only(const std::vector<std::string>& names) {
    if (mode_ == Mode::over) return;
    answers_.ask_only(names);
    begin_asking();
  }

  void ask_again(std::size_t question) {
    if (question >= answers_.questions().size() || mode_ == Mode::over) return;
    answers_.ask_again(question);
    menu_.clear();
    wait();
    judge();
  }

  [[nodiscard]] double held(Time now) const noexcept {
    if (gesture_ == Gesture::waiting && held_on_)
      return std::clamp(static_cast<double>((now - *held_on_).count()) / static_cast<double>(options_.hold.count()),
                        0.0, 1.0);
    if (!held_.since || gesture_ != Gesture::moving) return 0;
    const double part = static_cast<double>((now - *held_.since).count()) / static_cast<double>(held_.needed.count());
    return std::clamp(part, 0.0, 1.0);
  }

  void end_kept() {
    if (mode_ != Mode::over) end(true);
  }

  [[nodiscard]] const LearnOffer* offered() const noexcept {
    return mode_ == Mode::offers && !offers_.empty() ? &offers_.front() : nullptr;
  }
  [[nodiscard]] std::vector<std::string> sources(std::size_t question) const { return answers_.sources(question); }

  learn::Answers answers_;
  LearnOptions options_;
  std::deque<LearnEvent> events_;
  std::string pressed_;
  std::vector<LearnChoice> menu_;
  std::size_t marked_ = 0;
  std::vector<std::string> units_;
  bool paused_ = false;
  bool kept_ = false;
  bool discarded_ = false;
  Mode mode_ = Mode::asks;
  [[nodiscard]] std::optional<std::size_t> at() const noexcept { return answers_.at(); }

 private:
  /// The held control, since when it is held, and how long it must be.
  struct Hold {
    std::optional<Time> since{};
    Duration needed{1};
  };

  void say(LearnEvent event) {
    if (mode_ == Mode::over && event.kind != Kind::ends) return;
    events_.push_back(std::move(event));
  }

  void say_meets(const std::string& unit) { say({.kind = Kind::meets, .unit = unit}); }

  void begin_asking() {
    asking_.reset();
    if (!at()) finish();
    wait();
  }

  void say_now_and_then(LearnRefusal why, const std::string& role) {
    if (mode_ == Mode::over || mode_ == Mode::offers || paused_) return;
    Time& last = last_told_[why == LearnRefusal::too_brief ? 0 : 1];
    if (last != Time{} && now_ - last < told_again) return;
    last = now_;
    say(refusal(why, role));
  }

  void say_odd() {
    for (learn::Odd& odd : hands_.drain_odd())
      say({.kind = odd.counts ? Kind::notices : Kind::leaves_out,
           .unit = std::move(odd.unit),
           .role = std::move(odd.role),
           .odd = std::move(odd.what)});
  }

  [[nodiscard]] LearnEvent refusal(LearnRefusal why, const std::string& role) const {
    LearnEvent event{.kind = Kind::rejects, .question = at().value_or(0), .role = role};
    event.why = why;
    return event;
  }

  /// A press that has just begun: it is shown at once, and becomes an answer later.
  void echo(const learn::Push& push) {
    if (mode_ == Mode::over) return;
    push.ours ? hear_own(push) : hear_other(push);
  }

  void hear_own(const learn::Push& push) {
    if (push.type == ControlType::counts || gesture_ == Gesture::waiting) return;
    pressed_ = push.role;
    if (mode_ == Mode::asks) say({.kind = Kind::echoes, .question = *at(), .unit = push.unit, .role = push.role});
  }

  /// Without a known unit, the first one pressed is used; with all units, every press counts.
  void hear_other(const learn::Push& push) {
    if (!hands_.has_own() && units_.empty()) {
      own(push.unit);
      met_ = true;
      say_meets(push.unit);
      say_odd();
      return wait();
    }
    if (push.type == ControlType::counts) return;
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

  void skip(bool cleared) {
    const std::size_t question = *at();
    answers_.skip(cleared);
    say({.kind = Kind::skips, .question = question});
    go_on();
  }

  /// Moves to the next question that has a control left; after the last one to the end.
  void go_on() {
    bool is_first = true;
    while (at() && options_.ends_when_used_up && is_used_up(answers_.question())) {
      LearnEvent event{.kind = Kind::skips, .question = *at()};
      event.by_itself = true;
      answers_.pass_over();
      if (std::exchange(is_first, false)) say(std::move(event));
    }
    if (!at()) finish();
  }

  [[nodiscard]] bool is_used_up(const Question& question) const {
    const bool presses = question.kind == TargetKind::button || question.kind == TargetKind::one_sided;
    const bool axes = question.kind != TargetKind::turns &&
                      (!presses || question.kind == TargetKind::one_sided || !question.opposite.empty());
    const bool counters = question.kind == TargetKind::turns || question.motion == LearnMotion::span;
    return std::ranges::all_of(hands_.all_names(presses, axes, counters), [this](const std::string& role) {
      return std::ranges::any_of(answers_.all(), [&role](const Answer& answer) {
        return std::ranges::any_of(answer.sources, [&role](const LearnedSource& source) {
          return learn::overlap(source.role, role) || learn::overlap(source.with, role);
        });
      });
    });
  }

  [[nodiscard]] bool has_open() const {
    return std::ranges::any_of(answers_.all(), [](const Answer& a) { return a.state == Answer::State::open; });
  }

  void ask_whether_to_leave() {
    leaving_ = true;
    held_on_.reset();
    menu_ = {LearnChoice::stay, LearnChoice::leave};
    marked_ = 0;
    say({.kind = Kind::opens, .choice = menu_[0]});
    wait();
  }

  // -- one gesture ----------------------------------------------------------------------------------------------
  [[nodiscard]] bool by_sweep() const { return mode_ == Mode::asks && learn::is_swept(answers_.question().kind); }
  [[nodiscard]] bool by_span() const { return by_sweep() && answers_.question().motion == LearnMotion::span; }

  /// Ignores input until everything is released.
  void wait() {
    if (mode_ == Mode::over) return;
    if (gesture_ == Gesture::moving) released_at_.reset();
    if (gesture_ == Gesture::idle) released_at_ = now_ - learn::quiet_time;  // nothing was down
    gesture_ = Gesture::waiting;
    mode_ = !menu_.empty() ? Mode::menu : !offers_.empty() ? Mode::offers : at() ? Mode::asks : Mode::tries;
    held_ = {};
    said_waiting_ = false;
    waits_since_ = now_;
    pressed_.clear();
  }

  void judge() {
    if (mode_ == Mode::over || paused_ || !hands_.has_own()) return;
    hands_.find_rests(now_);
    say_odd();
    if (gesture_ == Gesture::waiting && !settle()) return;
    if (gesture_ == Gesture::idle) {
      if (mode_ == Mode::asks && options_.skip_after && now_ - idle_since_ >= *options_.skip_after)
        return choose(LearnChoice::skip);
      if (!hands_.is_stirred(by_sweep())) return;
      gesture_ = Gesture::moving;
    }
    const std::vector<learn::Push> pushes = relevant(hands_.pushes());
    say_if_unclear();
    axes_matter_ = heeds_axes() || (std::ranges::none_of(pushes, learn::can_be_held) && !by_span());
    if (handle_hold(pushes) || !is_finished(pushes)) return;
    conclude(pushes);
  }

  /// Asks to leave an axis alone for a moment while its rest is unknown.
  void say_if_unclear() {
    const std::string role = mode_ == Mode::asks ? hands_.unclear() : "";
    if (role.empty() || now_ - hands_.moved() < says_waiting || std::exchange(said_waiting_, true)) return;
    say({.kind = Kind::waits, .question = *at(), .role = role, .detail = "unclear"});
  }

  /// True unless an axis can only move as a side effect: when a button is asked for, or a gun is swung.
  [[nodiscard]] bool heeds_axes() const {
    if (!options_.for_sheet || mode_ == Mode::tries) return true;
    if (mode_ != Mode::asks) return false;
    const Question& question = answers_.question();
    return question.kind != TargetKind::button ? question.motion != LearnMotion::span : !question.opposite.empty();
  }

  [[nodiscard]] std::vector<learn::Push> relevant(std::vector<learn::Push> pushes) const {
    if (!heeds_axes() && std::ranges::any_of(pushes, learn::can_be_held))
      std::erase_if(pushes, std::not_fn(learn::can_be_held));
    return pushes;
  }

  /// True when everything is released, not only between two bounces: then the next question follows.
  bool settle() {
    if (mode_ == Mode::over) return false;
    if (!is_quiet()) {
      if (held_on_ && now_ - *held_on_ >= options_.hold) {
        held_on_.reset();
        choose(LearnChoice::keep);
        return false;
      }
      const std::string down = hands_.still_down(now_, !axes_matter_);
      const bool is_late = now_ - waits_since_ >= says_waiting && mode_ == Mode::asks && !down.empty();
      if (is_late && !std::exchange(said_waiting_, true)) say({.kind = Kind::waits, .question = *at(), .role = down});
      if (down.empty() || now_ - waits_since_ < gives_up_waiting) return false;
      hands_.leave_out_what_is_down(now_);
      say_odd();
      released_at_ = now_;
      return false;
    }
    hands_.begin(now_);
    say_odd();
    held_on_.reset();
    gesture_ = Gesture::idle;
    if (mode_ == Mode::asks && std::exchange(asking_, at()) != at()) {
      asked_at_ = now_;
      say({.kind = Kind::asks, .question = *at()});
    }
    idle_since_ = now_;
    if (mode_ == Mode::offers && !std::exchange(offering_, true)) say_offer();
    if (mode_ != Mode::asks) asking_.reset();
    return true;
  }

  /// Holding one control opens the menu or selects an entry; holding two ends the guide. Returns true if either
  /// happened.
  bool handle_hold(const std::vector<learn::Push>& pushes) {
    std::vector<learn::Push> down;
    for (const learn::Push& push : pushes)
      if (push.down && (learn::can_be_held(push) || is_in_use(push))) down.push_back(push);
    std::ranges::stable_sort(down, {}, &learn::Push::since);
    held_ = {};
    if (down.size() > 1 && std::ranges::all_of(down, learn::can_be_held)) {
      held_ = {down.back().since, leave_hold};
    } else if (down.size() == 1 && pushes.size() == 1) {
      held_ = {down.front().since, options_.hold};
    }
    if (!held_.since || now_ - *held_.since < held_.needed) return false;
    if (down.size() > 1)
      end(false, "held");
    else if (mode_ == Mode::menu)
      choose(menu_[marked_]);
    else if (mode_ == Mode::offers)
      decide();
    else if (is_in_use(down.front()))
      move_held_control();
    else
      open_menu();
    return true;
  }

  /// Another target has it, and holding it can move it: a direction of a stick, too.
  [[nodiscard]] bool is_in_use(const learn::Push& push) const {
    return mode_ == Mode::asks && in_use_ && in_use_->role == push.role;
  }

  void move_held_control() {
    accept(*std::exchange(in_use_, std::nullopt), true);
    wait();
  }

  void open_menu() {
    menu_.clear();
    if (!at()) menu_.push_back(LearnChoice::keep);
    if (answers_.can_go_back()) menu_.push_back(LearnChoice::back);
    if (at()) menu_.push_back(LearnChoice::skip);
    if (at() && (answers_.question().is_own || (options_.adds && !answers_.question().now.empty())))
      menu_.push_back(LearnChoice::clear);
    menu_.push_back(LearnChoice::again);
    if (!at() && has_open()) menu_.push_back(LearnChoice::remaining);
    if (at()) menu_.push_back(LearnChoice::keep);
    menu_.push_back(LearnChoice::leave);
    marked_ = 0;
    say({.kind = Kind::opens, .choice = menu_[0]});
    wait();
    held_on_ = now_;
  }

  void say_offer() {
    const LearnOffer& offer = offers_.front();
    say({.kind = Kind::offers, .role = offer.choices[offer.marked], .target = offer.name});
  }

  /// Released for longer than a switch bounces.
  bool is_quiet() {
    if (!hands_.still_down(now_, !axes_matter_).empty())
      released_at_.reset();
    else if (!released_at_)
      released_at_ = now_;
    return released_at_ && now_ - *released_at_ >= learn::quiet_time;
  }

  bool is_finished(const std::vector<learn::Push>& pushes) {
    const bool quiet_now = is_quiet();
    const bool is_kept_down =
        std::ranges::any_of(pushes, [this](const learn::Push& push) { return push.down && is_in_use(push); });
    if (!by_sweep()) return quiet_now && !is_kept_down;
    const bool by_contact = !pushes.empty() && std::ranges::all_of(pushes, learn::can_be_held);
    const bool has_contact = std::ranges::any_of(pushes, learn::can_be_held);
    if (by_contact || (by_span() && has_contact)) return quiet_now;
    const Question& question = answers_.question();
    const Duration still = now_ - hands_.moved();
    if (by_span()) return still >= span_ends;
    const bool whole = learn::is_swept_whole(hands_, question);
    if (options_.for_sheet && question.kind == TargetKind::two_sided) {
      const bool may_stay = question.motion == LearnMotion::turn;
      return still >= sweep_ends && (whole || still >= half_sweep_ends) &&
             (quiet_now || (may_stay && still >= learn::unsure_still));
    }
    return still >= half_sweep_ends || (still >= sweep_ends && whole);
  }

  void conclude(const std::vector<learn::Push>& pushes) {
    if (mode_ == Mode::menu) {
      if (!pushes.empty()) {
        marked_ = (marked_ + 1) % menu_.size();
        say({.kind = Kind::opens, .choice = menu_[marked_]});
      }
    } else if (mode_ == Mode::offers) {
      if (!pushes.empty()) mark_next();
    } else if (mode_ == Mode::tries) {
      if (!pushes.empty()) try_out(*std::ranges::max_element(pushes, {}, &learn::Push::peak));
    } else if (by_span()) {
      handle(learn::judge_span(hands_));
    } else if (by_sweep() && (pushes.empty() || !std::ranges::all_of(pushes, learn::can_be_held))) {
      handle(learn::judge_sweep(hands_, answers_.question()));
    } else if (!pushes.empty() && pushes.front().began < asked_at_ + soonest) {
      say(refusal(LearnRefusal::too_soon, pushes.front().role));
    } else {
      handle(learn::judge_pushes(hands_, pushes, answers_.question()));
    }
    const auto since = released_at_;
    wait();
    released_at_ = since;
    settle();
  }

  // -- answers --------------------------------------------------------------------------------------------------
  void handle(learn::Verdict verdict) {
    if (verdict.source) return consider(std::move(*verdict.source));
    if (verdict.refusal == LearnRefusal::none) return;
    LearnEvent event = refusal(verdict.refusal, verdict.role);
    event.other_role = verdict.other_role;
    event.seen = verdict.seen;
    event.other = verdict.other;
    say(std::move(event));
  }

  /// The target that already has this control.
  struct User {
    std::string name;
    bool may_share = true;
  };
  [[nodiscard]] std::optional<User> user_of(const std::string& role) const {
    const Question& asked = answers_.question();
    if (const auto user = answers_.user_of(role)) {
      const Question& other = answers_.questions()[*user];
      return User{other.name, !options_.for_sheet || (!asked.place.empty() && other.place == asked.place)};
    }
    for (const auto& [other, target] : options_.in_use)
      if (learn::overlap(other, role) && target != asked.name) return User{target, true};
    return std::nullopt;
  }

  void consider(LearnedSource source) {
    const Duration since = now_ - last_at_;
    const bool is_same = last_ && last_->role == source.role && last_->unit == source.unit;
    const bool confirms = in_use_ && in_use_->role == source.role;
    if (is_same && since < (confirms ? soonest_both : soonest_same)) {
      LearnEvent event = refusal(LearnRefusal::repeated, source.role);
      event.by_itself = confirms;
      return say(std::move(event));
    }
    const auto user = user_of(source.role);
    if (user && confirms && user->may_share) shared_with_ = user->name;
    if (user && !(confirms && user->may_share) && !(options_.used == WhenUsed::both && user->may_share)) {
      if (options_.used == WhenUsed::moved) return accept(std::move(source), true);
      LearnEvent event = refusal(LearnRefusal::used, source.role);
      event.target = user->name;
      event.by_itself = !user->may_share;
      say(std::move(event));
      last_ = source;
      last_at_ = now_;
      if (options_.used != WhenUsed::left) in_use_ = std::move(source);
      return;
    }
    accept(std::move(source));
  }

  void accept(LearnedSource source, bool moves_over = false) {
    const std::size_t question = *at();
    in_use_.reset();
    last_ = source;
    last_at_ = now_;
    taken_ = {source.node, now_};
    const bool is_span = answers_.question().motion == LearnMotion::span;
    if (is_span) hands_.set_aside(source.node, source.code);
    if (is_span || answers_.question().motion == LearnMotion::turn) hands_.rest_here();
    const auto opposite = moves_over ? answers_.move_over(std::move(source)) : answers_.accept(std::move(source));
    say_taken(question, false);
    if (opposite) say_taken(*opposite, true);
    go_on();
  }

  void say_taken(std::size_t question, bool by_itself) {
    const LearnedSource& source = answers_.all()[question].sources.front();
    LearnEvent event{.kind = Kind::accepts, .question = question, .unit = source.unit, .role = source.role};
    event.by_itself = by_itself;
    event.detail = learn::side_words(source, answers_.questions()[question], options_.for_sheet);
    event.other_role = source.with;
    event.target = by_itself ? "" : std::exchange(shared_with_, "");
    say(std::move(event));
  }

  void finish() {
    answers_.finish();
    menu_.clear();
    tried_.reset();
    for (std::size_t q = 0; q < answers_.all().size(); ++q) {
      const auto is_gone = [&](const std::string& role) { return answers_.is_lost(q, role); };
      const bool may_lose = answers_.all()[q].state == Answer::State::open;
      if (may_lose && std::ranges::any_of(answers_.questions()[q].now, is_gone))
        say({.kind = Kind::loses, .question = q});
    }
    say({.kind = Kind::ends_asking});
    wait();
  }

  /// The effect of a control if the map is saved now.
  void try_out(const learn::Push& push) {
    LearnEvent event{.kind = Kind::tries, .unit = push.unit, .role = push.role};
    const auto is_it = [&push](const std::string& source) { return learn::overlap(source, push.role); };
    std::vector<std::string> moved;
    for (std::size_t q = 0; q < answers_.all().size(); ++q) {
      for (const LearnedSource& source : answers_.all()[q].sources)
        if (source.moved) moved.push_back(source.role);
      if (!std::ranges::any_of(sources(q), is_it)) continue;
      // Steering goes to the left and to the right.
      const bool is_across =
          learn::cross_of(push.role).empty() || push.role.ends_with("-left") || push.role.ends_with("-right");
      if (answers_.questions()[q].kind == TargetKind::two_sided && !is_across) continue;
      event.target += (event.target.empty() ? "" : " and ") + answers_.questions()[q].name;
      tried_ = q;
    }
    for (const auto& [role, target] : options_.in_use) {
      const auto takes_it = [&name = role](const std::string& other) { return learn::overlap(other, name); };
      if (options_.for_sheet || !is_it(role) || std::ranges::any_of(moved, takes_it)) continue;
      event.target += (event.target.empty() ? "" : " and ") + target;
    }
    say(std::move(event));
  }

  void end(bool kept, const char* why = "") {
    menu_.clear();
    pressed_.clear();
    held_ = {};
    offers_.clear();
    answers_.finish();
    mode_ = Mode::over;
    kept_ = kept;
    say({.kind = Kind::ends, .detail = why});
  }

  learn::Hands hands_;
  Gesture gesture_ = Gesture::waiting;
  std::optional<LearnedSource> in_use_;        ///< rejected, because another target has it
  std::string shared_with_;                    ///< the other target that has it from now on
  std::optional<LearnedSource> last_;          ///< accepted, or rejected for that reason, at `last_at_`
  std::optional<std::pair<int, Time>> taken_;  ///< the node of the last answer, and when it was accepted
  std::optional<std::size_t> tried_;
  std::optional<std::size_t> asking_;  ///< the last question, if no other message followed it
  std::optional<Time> released_at_;
  Hold held_;
  Time now_{};
  Time last_at_{};
  Time asked_at_{};
  Time idle_since_{};
  std::optional<Time> held_on_;  ///< the time since which the control that opened the menu is held
  std::deque<LearnOffer> offers_;
  Time last_told_[2]{};
  bool offering_ = false;
  bool axes_matter_ = true;  ///< part of the gesture; the others are side effects
  bool leaving_ = false;     ///< quitting was chosen once
  Time waits_since_{};
  bool met_ = false;
  bool said_waiting_ = false;
};

Learning::Learning(std::vector<Question> questions, LearnOptions options)
    : impl_(std::make_unique<Impl>(std::move(questions), std::move(options))) {}
Learning::~Learning() = default;
Learning::Learning(Learning&&) noexcept = default;
Learning& Learning::operator=(Learning&&) noexcept = default;

void Learning::meet(int node, const std::string& unit, const Attachment& attachment, bool ours) {
  impl_->meet(node, unit, attachment, ours);
}
void Learning::lose(int node) { impl_->lose(node); }
void Learning::feed(int node, const Report& report) { impl_->feed(node, report); }
void Learning::advance(Time now) { impl_->advance(now); }
std::optional<Time> Learning::next_due() const { return impl_->next_due(); }

std::optional<LearnEvent> Learning::next_event() {
  if (impl_->events_.empty()) return std::nullopt;
  LearnEvent event = std::move(impl_->events_.front());
  impl_->events_.pop_front();
  return event;
}

void Learning::ask_only(const std::vector<std::string>& names) { impl_->ask_only(names); }
void Learning::set_questions(std::vector<Question> questions) { impl_->set_questions(std::move(questions)); }
void Learning::offer(LearnOffer offer) { impl_->offer(std::move(offer)); }
void Learning::resume(const std::vector<std::pair<std::string, Answer>>& answers) { impl_->resume(answers); }
void Learning::mark_next() { impl_->mark_next(); }
void Learning::decide() { impl_->decide(); }
const LearnOffer* Learning::offered() const noexcept { return impl_->offered(); }
std::vector<std::string> Learning::sources(std::size_t question) const { return impl_->sources(question); }
bool Learning::is_lost(std::size_t question, const std::string& role) const {
  return impl_->answers_.is_lost(question, role);
}
bool Learning::has_answers() const noexcept { return impl_->answers_.has_any(); }
void Learning::set_in_use(std::vector<std::pair<std::string, std::string>> in_use) {
  impl_->options_.in_use = std::move(in_use);
}
void Learning::choose(LearnChoice choice) { impl_->choose(choice); }
void Learning::ask_again(std::size_t question) { impl_->ask_again(question); }
const std::vector<Question>& Learning::questions() const noexcept { return impl_->answers_.questions(); }
const std::vector<Answer>& Learning::answers() const noexcept { return impl_->answers_.all(); }
std::optional<std::size_t> Learning::asked() const noexcept { return impl_->at(); }
const std::string& Learning::pressed() const noexcept { return impl_->pressed_; }
double Learning::held(Time now) const noexcept { return impl_->held(now); }
const std::vector<LearnChoice>& Learning::menu() const noexcept { return impl_->menu_; }
std::size_t Learning::marked() const noexcept { return impl_->marked_; }
const std::string& Learning::unit() const noexcept {
  static const std::string nobody;
  return impl_->units_.empty() ? nobody : impl_->units_.front();
}
bool Learning::paused() const noexcept { return impl_->paused_; }
bool Learning::over() const noexcept { return impl_->mode_ == Impl::Mode::over; }
void Learning::keep() { impl_->end_kept(); }
bool Learning::discarded() const noexcept { return impl_->discarded_; }
bool Learning::kept() const noexcept { return impl_->kept_; }

}  // namespace omnipar::inline abi_0
