#include "play/session.hpp"

#include <sys/signalfd.h>

#include <algorithm>
#include <map>
#include <memory>
#include <set>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/list.hpp"
#include "host/look.hpp"
#include "host/nodes.hpp"
#include "host/watch.hpp"
#include "outlet/outlets.hpp"
#include "play/at_ports.hpp"
#include "play/desktop_keys.hpp"
#include "play/chord_detector.hpp"
#include "play/program_run.hpp"
#include "play/program_start.hpp"
#include "play/rumble.hpp"
#include "play/swap.hpp"
#include "play/table.hpp"
#include "play/waiter.hpp"
#include "play/words.hpp"

namespace omnipar::play {
namespace {

constexpr std::string_view freeze_action = "freeze";

/// It cannot be bound away, for it is watched beside the plan.
ChordDetector exit_combination() {
  constexpr Duration long_enough = std::chrono::seconds{2};
  return ChordDetector{{{"start", "select", long_enough}, {"start", "coin", long_enough}}};
}
constexpr const char* exit_words =
    "To end: Ctrl-C here, or hold start + select of one controller (start + coin of a panel) for 2 s.";

/// What ends a freeze: the chords that begin one. The engine, which is frozen, does not see them.
ChordDetector ways_to_thaw(const Profile& profile) {
  std::vector<Pair> pairs;
  for (const Hotkey& hotkey : profile.hotkeys)
    if (hotkey.action == freeze_action) pairs.push_back({hotkey.modifier, hotkey.press, hotkey.after});
  return ChordDetector{std::move(pairs)};
}

class Session final : Listener {
 public:
  Session(os::Door& door, const Plan& plan, const SessionOptions& options)
      : door_(door),
        options_(options),
        profile_(options.profile),
        engine_(plan),
        table_(engine_, options.catalogue, options.rig, *this),
        outlets_(door, engine_),
        words_(door, engine_, table_, outlets_, options.say),
        nodes_(door, options.catalogue, options.with_virtual),
        rumble_(nodes_, options.rumble),
        feedback_(options.feedback, nodes_, rumble_),
        desktop_keys_(nodes_, table_, outlets_),
        waiter_(door),
        program_(door, {options.command, options.insist_after, options.say}, outlets_.keeper()),
        start_(door, options, engine_, table_, nodes_, outlets_, program_, words_),
        exit_(exit_combination()),
        thaw_(ways_to_thaw(options.profile)) {
    nodes_.say_to(options.say);
    nodes_.take_alone();
  }

  Played run() {
    if (auto failure = begin()) fail(*failure);
    while (!end_) step();
    close();
    stats_.losses = nodes_.losses();
    stats_.refused = outlets_.refused();
    return {*end_, table_.rig(), program_.status(), stats_};
  }

 private:
  void say(const std::string& line) const { options_.say(line); }

  void fail(const Diagnostic& why) {
    say("omnipar: " + to_text(why));
    end_ = SessionEnd::failed;
  }

  std::optional<Diagnostic> begin() {
    engine_.advance(door_.now());
    signals_ = os::Descriptor{door_, door_.catch_signals({SIGINT, SIGTERM, SIGHUP, SIGCHLD})};
    if (!signals_) return Diagnostic{"no-signals", Severity::error, "signals cannot be watched", "", "try again"};
    if (auto failure = outlet::VirtualDevice::check(door_)) return failure;
    if (auto failure = start_.refuses_alone()) return failure;
    watch_ = host::open_watch();
    if (!watch_ || watch_->descriptor() < 0)
      return Diagnostic{"no-udev", Severity::error, "units that come and go cannot be watched", "",
                        "'omnipar doctor' looks for the cause"};
    if (auto failure = outlets_.start(number_of_play())) return failure;
    if (auto failure = begin_to_wait()) return failure;
    if (options_.urgent && door_.be_urgent() < 0)
      say("Real-time priority was refused; Omnipar plays without it. (See 'ulimit -r'.)");
    say(exit_words);
    if (!feedback_.find_desktop()) say("There is no desktop here that shows notifications.");
    if (const int desktop = feedback_.descriptor(); desktop >= 0)
      if (auto failure = waiter_.also(desktop, {Waited::desktop})) return failure;
    start_.begin();
    if (program_.is_wished()) table_.await(start_.seats());
    for (const host::NodePlace& place : watch_->present()) open(place);
    if (!start_.ask_for_the_missing()) words_.ask_for_players();
    grab_what_plays();
    return std::nullopt;
  }

  /// Others may play already, with other units; their devices have names of their own.
  int number_of_play() const {
    const auto others = host::models_named(door_, "Omnipar port");
    const auto is_taken = [&](int play) {
      const std::string end = fmt::format(" ({})", play);
      return std::ranges::any_of(others, [&](const host::ModelFact& other) {
        return play > 1 ? other.name.ends_with(end) : !other.name.ends_with(')');
      });
    };
    int play = 1;
    while (is_taken(play)) ++play;
    return play;
  }

  std::optional<Diagnostic> begin_to_wait() {
    if (auto failure = waiter_.begin()) return failure;
    if (auto failure = waiter_.also(signals_.get(), {Waited::signals})) return failure;
    if (auto failure = waiter_.also(watch_->descriptor(), {Waited::watch})) return failure;
    if (auto failure = waiter_.also(outlets_.keeper().descriptor(), {Waited::keeper})) return failure;
    return also_wait_for_devices();
  }

  // -- people ---------------------------------------------------------------------------------------

  void seated(const std::string& seat, const std::string& unit, bool again) override {
    seats_have_changed_ = true;
    words_.seated(seat, unit, again);
  }
  void joined(const std::string& seat, const std::string& unit) override { words_.joined(seat, unit); }
  void left(const std::string& seat, const std::string& unit) override {
    turn(Turn::unit_lost, words_.left(seat, unit));
  }
  void waiting(const std::string&) override {}
  void seat_is_elsewhere(const std::string& unit, const std::string& seat) override {
    say(
        fmt::format("\"{}\" belongs to seat {}, from which no port of this profile is played: press a button on it to "
                    "take another one.",
                    unit, seat));
  }
  void beside(const std::string& seat, const std::string& unit, const std::string& other) override {
    words_.beside(seat, unit, other);
  }
  void asked(const std::string& seat, const std::string& unit, Doubt doubt) override {
    words_.asked(seat, unit, doubt);
  }
  void socket(const std::string& seat, const std::string& unit, Plug plug) override {
    if (plug == Plug::taken_out) return turn(Turn::unit_lost, words_.socket(seat, unit, plug));
    say(words_.socket(seat, unit, plug));
  }
  void lacks(const std::string& seat, const std::string& unit, const std::vector<std::string>& targets) override {
    words_.lacks(seat, unit, targets);
  }
  void no_use(const std::string& unit) override { words_.no_use(unit); }
  void no_seat(const std::string& unit) override { words_.no_seat(unit); }
  void cannot_attach(const Diagnostic& why) override { say("omnipar: " + to_text(why)); }
  void heard(int hand, const Attachment& attachment, const Report& report) override {
    exit_.take(hand, attachment, report);
    if (engine_.frozen()) thaw_.take(hand, attachment, report);
  }
  void gone(int hand) override {
    exit_.forget(hand);
    thaw_.forget(hand);
  }

  // -- units ------------------------------------------------------------------------------------------

  void open(const host::NodePlace& place) {
    if (const auto node = nodes_.open(place)) {
      if (nodes_.is_grabbed_by_another(*node) && told_grabbed_.insert(*node).second)
        words_.grabbed(place.path, nodes_.description(*node));
      arrive(*node);
    }
    if (nodes_.met_a_closed_door() && !std::exchange(said_no_permission_, true))
      say("You may not read some units; 'omnipar doctor' says which, and how to fix it.");
  }

  void arrive(int node) {
    const Ready says_something{Waited::node, static_cast<std::size_t>(node)};
    if (auto failure = waiter_.also(nodes_.descriptor(node), says_something, true)) return fail(*failure);
    // A keeper that takes none has ended, and is replaced.
    for (const auto& report : nodes_.last_words(node))
      outlets_.keeper().give_last_word(node, nodes_.descriptor(node), report);
    table_.arrive(node, nodes_.description(node));
  }

  void leave(int node) {
    outlets_.keeper().forget(node);
    rumble_.forget(node);
    desktop_keys_.forget(node);
    table_.leave(node);
  }

  /// Who plays is grabbed; a mouse or a keyboard that nobody plays on goes on working for the desktop. While all is
  /// frozen nobody is grabbed.
  void grab_what_plays() {
    if (!std::exchange(seats_have_changed_, false)) return;
    grab_again_ = now_;
    waits_since_.clear();
    for (const int node : table_.playing_nodes()) {
      nodes_.grab(node, !engine_.frozen());
      auto failure = desktop_keys_.find(node);
      if (!failure) failure = also_wait_for_devices();
      if (failure) return fail(*failure);
    }
    feedback_.seat(parts_at_ports(engine_.plan(), table_, nodes_));
    start_.hide_what_came(*watch_);
    for (const outlet::VirtualDevice& device : outlets_.devices())
      if (const PortInfo* port = engine_.plan().port(device.key().port))
        rumble_.move(device.key(), parts_at(*port, table_, nodes_));
  }

  /// What could not be grabbed at once: a unit that another program has is asked for again, and one of which something
  /// stays down is grabbed all the same after a while, for its switch may be stuck. Others are told that it is up.
  void insist_on_grabs() {
    if (!grab_again_ || now_ < *grab_again_) return;
    constexpr Duration pause = std::chrono::milliseconds{250};
    constexpr Duration patience = std::chrono::seconds{3};  // the exit combination takes two
    grab_again_ = now_ + pause;
    nodes_.try_holds();
    const auto waiting = nodes_.waiting_for_grab();
    for (const int node : waiting) {
      const std::vector<std::string> down = nodes_.down(node);
      auto& [since, was_down] = waits_since_.try_emplace(node, std::pair{now_, down}).first->second;
      if (std::exchange(was_down, down) != down) since = now_;  // hands are at it
      if (!down.empty() && now_ - since >= patience) {
        const bool told = nodes_.grab_with_something_down(node);
        if (!nodes_.is_grabbed(node)) continue;  // another program has it
        say(fmt::format("\"{}\": {} {} down. It is grabbed all the same: {}.", printable(nodes_.description(node).name),
                        some_listed(down), down.size() == 1 ? "stays" : "stay",
                        told ? "other programs see it released, and it counts from its next press"
                             : "other programs do not see it released"));
      } else if (down.empty() && now_ - since >= pause && told_grabbed_.insert(node).second) {
        words_.grabbed(nodes_.path(node), nodes_.description(node));
      }
    }
    if (waiting.empty()) grab_again_.reset();
  }

  // -- the program --------------------------------------------------------------------------------------

  /// Asks the program to end; without one, playing ends.
  void ask_to_end(SessionEnd how, bool program_knows) {
    asked_by_hands_ = asked_by_hands_ || how == SessionEnd::hands;
    if (program_.started())
      program_.ask(program_knows);
    else
      end_ = how;
  }

  // -- the loop -----------------------------------------------------------------------------------------

  std::optional<Time> next_due() const {
    std::optional<Time> due = engine_.next_due();
    const auto also = [&due](std::optional<Time> other) {
      if (other && (!due || *other < *due)) due = other;
    };
    also(table_.next_due());
    also(outlets_.next_due());
    also(nodes_.next_due());
    also(exit_.next_due());
    also(thaw_.next_due());
    also(start_.due());
    also(program_.due());
    also(feedback_.next_due());
    also(grab_again_);
    return due;
  }

  std::optional<Diagnostic> also_wait_for_devices() {
    for (; waited_devices_ < outlets_.devices().size(); ++waited_devices_)
      if (auto failure =
              waiter_.also(outlets_.devices()[waited_devices_].descriptor(), {Waited::device, waited_devices_}))
        return failure;
    return std::nullopt;
  }

  /// Waits for what there may be; what games ask of the motors is answered first of all. False if that failed.
  bool wait(std::optional<Time> until) {
    news_waits_ = keeper_is_gone_ = signals_wait_ = false;
    if (!waiter_.wait(until)) return false;
    waiter_.each_ready([this](Ready ready) {
      switch (ready.what) {
        case Waited::signals:
          signals_wait_ = true;
          break;
        case Waited::watch:
          news_waits_ = true;
          break;
        case Waited::keeper:
          keeper_is_gone_ = true;
          break;
        case Waited::desktop:
          feedback_.take();
          break;
        case Waited::device:
          answer(outlets_.devices()[ready.which]);
          break;
        case Waited::node:
          nodes_.mark_ready(static_cast<int>(ready.which));
          break;
      }
    });
    return true;
  }

  void step() {
    if (!wait(next_due())) return fail(Waiter::failure());
    ++stats_.wake_ups;
    take_reports();
    grab_what_plays();
    insist_on_grabs();
    if (!wishes_.empty()) shake();
    act();
    if (news_waits_) take_news();
    if (keeper_is_gone_) replace_keeper();
    if (signals_wait_) take_signals();
    program_.insist_when_due(now_);
    feedback_.advance(now_);
    if (auto failure = start_.start_when_ready(*watch_)) fail(*failure);
  }

  // -- rumble -------------------------------------------------------------------------------------------

  void answer(const outlet::VirtualDevice& device) {
    Wishes& wishes = wishes_.emplace_back(device.key());
    outlet::answer(door_, device.descriptor(), wishes.wishes);
  }

  /// The units' own motors may take their time; whoever asked has been answered.
  void shake() {
    for (const Wishes& wished : wishes_)
      if (const PortInfo* port = engine_.plan().port(wished.pad.port))
        rumble_.take(wished.pad, wished.wishes, parts_at(*port, table_, nodes_));
    wishes_.clear();
  }

  void turn(Turn what, const std::string& words) {
    say(words);
    feedback_.tell(what, words, door_.now());
  }

  void take_reports() {
    now_ = door_.now();
    const auto& news = nodes_.drain(now_);
    bool any_out = false;
    std::uint64_t spoke = 0;  // a bit for each node; two that share one cost no more than a report
    for (std::size_t i = 0; i < news.said.size(); ++i) {
      const std::uint64_t bit = std::uint64_t{1} << (static_cast<unsigned>(news.said.node(i)) % 64);
      // What one unit says one after the other comes out one after the other.
      if ((spoke & bit) != 0) any_out = flush(engine_.now()) || any_out;
      spoke |= bit;
      table_.report(news.said.node(i), news.said[i]);
      desktop_keys_.pass_on(news.said.node(i), news.said[i].changes);
    }
    for (const int node : news.gone) leave(node);
    for (const int node : news.come) arrive(node);
    table_.advance(now_);
    engine_.advance(now_);
    stats_.reports += news.said.size();
    if (!said_loss_ && nodes_.losses() > 0) {
      said_loss_ = true;
      say("The kernel lost events, because too many came at once; Omnipar has read the true state again. (--stats "
          "counts this.)");
    }
    any_out = flush(now_) || any_out;
    if (!any_out || !options_.stats) return;
    const Time out = door_.now();
    for (std::size_t i = 0; i < news.said.size(); ++i) stats_.in_to_out.add(out - news.said[i].time);
  }

  /// True if anything went out.
  bool flush(Time now) { return outlets_.flush(std::max(now, engine_.now())); }

  /// What hands asked for besides playing.
  void act() {
    const bool out = exit_.fired(now_);
    if (out || outlets_.fired("exit")) ask_to_end(SessionEnd::hands, false);
    if (thaw_.fired(now_)) thaw();
    if (!outlets_.any_fired()) return;
    const bool freezes = outlets_.fired(freeze_action);
    for (std::size_t n = outlets_.times_fired(swap_action); n > 0; --n) swap_ports();
    if (freezes) freeze();
    outlets_.forget_fired();
  }

  void take_news() {
    while (const auto news = watch_->next()) {
      const bool ours = std::ranges::find(outlets_.devices(), news->place.path, &outlet::VirtualDevice::node) !=
                        outlets_.devices().end();
      if (ours && news->came)
        start_.announced(news->place.path);
      else if (news->came)
        open(news->place);
      else if (const auto node = nodes_.close(news->place.path))
        leave(*node);
    }
    start_.hide_what_came(*watch_);
    grab_what_plays();
    flush(door_.now());
  }

  void freeze() {
    engine_.freeze();
    thaw_.forget();
    flush(door_.now());
    rumble_.freeze();
    seats_have_changed_ = true;
    turn(Turn::frozen, "Frozen: the controllers work for the desktop again. Press the same buttons to go on.");
  }

  void thaw() {
    engine_.thaw();
    flush(door_.now());  // sticks are shown as they are held
    rumble_.thaw();
    seats_have_changed_ = true;
    turn(Turn::goes_on, "Play goes on.");
  }

  void swap_ports() {
    const Plan before = engine_.plan();
    const auto plan = swapped_plan(options_.catalogue, profile_);
    if (!plan) return say("omnipar: the ports stay as they are: " + to_text(plan.error().front()));
    engine_.adopt(*plan);
    if (auto failure = outlets_.rewire()) return fail(*failure);
    if (auto failure = also_wait_for_devices()) return fail(*failure);
    flush(door_.now());
    std::vector<std::string> words;
    for (const PortInfo& port : plan->ports()) {
      const PortInfo* was = before.port(port.number);
      if (port.number == 0 || was == nullptr || was->seat == port.seat || !table_.is_played(std::string{port.seat}))
        continue;
      words.push_back(fmt::format("Swapped: port {} is now played from {}.", port.number, port.seat));
    }
    if (words.empty()) words.emplace_back("Swapped; nobody is at these ports at the moment.");
    seats_have_changed_ = true;
    turn(Turn::swapped, fmt::format("{}", fmt::join(words, "\n")));
  }

  void replace_keeper() {
    if (outlets_.keeper().start_again() < 0 ||
        waiter_.also(outlets_.keeper().descriptor(), {Waited::keeper}).has_value())
      fail({"no-keeper", Severity::error,
            "the keeper of the virtual controllers has ended, and another cannot be started", "",
            "close other programs and start again"});
  }

  /// Reads the next signal that has come; false if there is none.
  bool next_signal(signalfd_siginfo& signal) {
    return door_.read(signals_.get(), std::as_writable_bytes(std::span{&signal, 1})) > 0;
  }

  void take_signals() {
    for (signalfd_siginfo signal{}; next_signal(signal);) {
      // A Ctrl-C at the terminal goes to the program as well.
      const bool from_terminal = signal.ssi_signo == SIGINT && signal.ssi_code > 0;
      if (signal.ssi_signo == SIGCHLD && program_.follow())
        end_ = asked_by_hands_ ? SessionEnd::hands : SessionEnd::program;
      else if (signal.ssi_signo != SIGCHLD)
        ask_to_end(SessionEnd::asked, from_terminal);
    }
  }

  // -- the end ------------------------------------------------------------------------------------------

  /// Others would never see what is down now go up; so the units are given back when nothing is down, but nobody
  /// waits for ever.
  void give_back() {
    constexpr Duration patience = std::chrono::seconds{5};
    const Time until = door_.now() + patience;
    if (nodes_.anything_down()) say("Release all buttons: the units are given back when no button is down.");
    bool told_again = false;  // who says it twice does not want to wait
    while (nodes_.anything_down() && !told_again && door_.now() < until && wait(until)) {
      for (const int node : nodes_.drain(door_.now()).gone) leave(node);
      while (news_waits_ && watch_->next()) {
      }
      for (signalfd_siginfo signal{}; signals_wait_ && next_signal(signal);)
        told_again = told_again || signal.ssi_signo != SIGCHLD;
    }
    nodes_.close_all();
  }

  /// Until that time and no less; games that still ask are answered.
  void wait_and_answer(Time until) {
    while (door_.now() < until && wait(until)) static_cast<void>(nodes_.drain(door_.now()));
    wishes_.clear();
  }

  /// Everything goes to rest, what is still to be shown is shown, then the keeper removes the devices.
  void close() {
    engine_.freeze();
    flush(door_.now());
    // A device that refuses to the last is left to the keeper.
    constexpr Duration patience = std::chrono::seconds{1};
    const Time until = door_.now() + patience;
    for (auto due = outlets_.next_due(); due && *due < until; due = outlets_.next_due()) {
      wait_and_answer(*due);
      flush(std::max(*due, door_.now()));
    }
    program_.end([this](Time until) { wait_and_answer(until); });
    outlets_.keeper().close();
    give_back();  // last: the kernel keeps whoever closes a unit waiting until its driver has answered
    if (*end_ == SessionEnd::hands) say("Ended from a controller.");
    if (*end_ == SessionEnd::asked) say("Ended.");
  }

  struct Wishes {
    explicit Wishes(outlet::DeviceKey key) : pad(key) {}
    outlet::DeviceKey pad;
    std::vector<outlet::ForceWish> wishes;
  };

  os::Door& door_;
  const SessionOptions& options_;
  Profile profile_;  ///< as it is played now
  Engine engine_;
  Table table_;
  outlet::Outlets outlets_;
  Words words_;
  os::Descriptor signals_;
  std::unique_ptr<host::Watch> watch_;
  host::Nodes nodes_;
  Rumble rumble_;
  Feedback feedback_;
  DesktopKeys desktop_keys_;
  Waiter waiter_;
  ProgramRun program_;
  ProgramStart start_;
  ChordDetector exit_;
  ChordDetector thaw_;
  Stats stats_;
  std::size_t waited_devices_ = 0;  ///< so many of our devices the waiter knows
  bool signals_wait_ = false;
  bool news_waits_ = false;
  bool keeper_is_gone_ = false;
  Time now_{};                  ///< of the wake-up
  std::vector<Wishes> wishes_;  ///< of games, answered but not yet done
  std::optional<SessionEnd> end_;
  bool asked_by_hands_ = false;
  bool said_no_permission_ = false;
  bool said_loss_ = false;
  bool seats_have_changed_ = false;
  std::optional<Time> grab_again_;  ///< while something is to be grabbed that is not
  std::map<int, std::pair<Time, std::vector<std::string>>> waits_since_;  ///< for being held, by node; what was down
  std::set<int> told_grabbed_;                                            ///< by another program
};

}  // namespace

Played play(os::Door& door, const Plan& plan, const SessionOptions& options) {
  return Session{door, plan, options}.run();
}

}  // namespace omnipar::play
