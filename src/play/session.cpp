#include "play/session.hpp"

#include <algorithm>
#include <csignal>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "host/look.hpp"
#include "outlet/outlets.hpp"
#include "play/at_ports.hpp"
#include "play/desktop_keys.hpp"
#include "play/grabs.hpp"
#include "play/hearing.hpp"
#include "play/hotkeys.hpp"
#include "play/program_run.hpp"
#include "play/program_start.hpp"
#include "play/rumble.hpp"
#include "play/table.hpp"
#include "play/words.hpp"

namespace omnipar::play {
namespace {

constexpr const char* exit_words =
    "To end: Ctrl-C here, or hold start + select of one controller (start + coin of a panel) for 2 s.";

class Session final : Listener {
 public:
  Session(os::Door& door, const Plan& plan, Profile profile, const SessionOptions& options)
      : door_(door),
        options_(options),
        profile_(std::move(profile)),
        engine_(plan),
        table_(engine_, options.catalogue, options.rig, *this),
        outlets_(door, engine_),
        words_(door, engine_, table_, outlets_, options.say),
        hearing_(door, options.catalogue, options.with_virtual),
        nodes_(hearing_.nodes()),
        grabs_(nodes_, options.say, [this](int node) { words_.grabbed(nodes_.path(node), nodes_.description(node)); }),
        rumble_(nodes_, options.rumble),
        feedback_(options.feedback, nodes_, rumble_),
        desktop_keys_(nodes_, table_, outlets_),
        program_(door, {options.command, options.insist_after, options.say}, outlets_.keeper()),
        start_(door, {options.rig, options.longest_wait, options.alone, options.say}, engine_, table_, nodes_, outlets_,
               program_, words_) {
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
    if (auto failure = hearing_.begin({SIGINT, SIGTERM, SIGHUP, SIGCHLD})) return failure;
    if (auto failure = outlet::VirtualDevice::check(door_)) return failure;
    if (auto failure = start_.refuses_alone()) return failure;
    if (auto failure = outlets_.start(number_of_play())) return failure;
    if (auto failure = also_wait_for(outlets_.keeper().descriptor(), {Waited::keeper})) return failure;
    if (auto failure = also_wait_for_devices()) return failure;
    if (options_.urgent && door_.be_urgent() < 0)
      say("Real-time priority was refused; Omnipar plays without it. (See 'ulimit -r'.)");
    say(exit_words);
    if (!feedback_.find_desktop()) say("There is no desktop here that shows notifications.");
    if (const int desktop = feedback_.descriptor(); desktop >= 0)
      if (auto failure = also_wait_for(desktop, {Waited::desktop})) return failure;
    start_.begin();
    if (program_.is_wished()) table_.await(start_.seats());
    for (const host::NodePlace& place : hearing_.watch().present()) open(place);
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

  // -- units ------------------------------------------------------------------------------------------

  void open(const host::NodePlace& place) {
    if (const auto node = nodes_.open(place)) {
      grabs_.look_at(*node);
      arrive(*node);
    }
    if (nodes_.met_a_closed_door() && !std::exchange(said_no_permission_, true))
      say("You may not read some units; 'omnipar doctor' says which, and how to fix it.");
  }

  void arrive(int node) {
    if (auto failure = hearing_.hear(node)) return fail(*failure);
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

  void grab_what_plays() {
    if (!std::exchange(seats_have_changed_, false)) return;
    const std::vector<int> playing = table_.playing_nodes();
    grabs_.set(playing, engine_.frozen(), now_);
    for (const int node : playing) {
      auto failure = desktop_keys_.find(node);
      if (!failure) failure = also_wait_for_devices();
      if (failure) return fail(*failure);
    }
    feedback_.seat(parts_at_ports(engine_.plan(), table_, nodes_));
    start_.hide_what_came(hearing_.watch());
    for (const outlet::VirtualDevice& device : outlets_.devices())
      if (const PortInfo* port = engine_.plan().port(device.key().port))
        rumble_.move(device.key(), parts_at(*port, table_, nodes_));
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
    also(start_.due());
    also(program_.due());
    also(feedback_.next_due());
    also(grabs_.next_due());
    return due;
  }

  std::optional<Diagnostic> also_wait_for(int descriptor, Ready ready) {
    return hearing_.waiter().also(descriptor, ready);
  }

  std::optional<Diagnostic> also_wait_for_devices() {
    for (; waited_devices_ < outlets_.devices().size(); ++waited_devices_)
      if (auto failure =
              also_wait_for(outlets_.devices()[waited_devices_].descriptor(), {Waited::device, waited_devices_}))
        return failure;
    return std::nullopt;
  }

  /// Waits for what there may be. False if that failed.
  bool wait(std::optional<Time> until) {
    keeper_is_gone_ = false;
    return hearing_.wait(until, takes_other_);
  }

  /// What games ask of the motors is answered first of all.
  void take(Ready ready) {
    if (ready.what == Waited::keeper) keeper_is_gone_ = true;
    if (ready.what == Waited::desktop) feedback_.take();
    if (ready.what == Waited::device) answer(outlets_.devices()[ready.which]);
  }

  void step() {
    if (!wait(next_due())) return fail(Waiter::failure());
    ++stats_.wake_ups;
    take_reports();
    grab_what_plays();
    grabs_.insist(now_);
    if (!wishes_.empty()) shake();
    act();
    if (hearing_.has_news()) take_news();
    if (keeper_is_gone_) replace_keeper();
    if (hearing_.has_signals()) take_signals();
    program_.insist_when_due(now_);
    feedback_.advance(now_);
    if (auto failure = start_.start_when_ready(hearing_.watch())) fail(*failure);
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

  /// What hands asked for besides playing: hotkeys, which are never frozen.
  void act() {
    if (!outlets_.any_fired()) return;
    if (outlets_.fired(exit_action)) ask_to_end(SessionEnd::hands, false);
    const bool turns = outlets_.times_fired(freeze_action) % 2 != 0;
    for (std::size_t n = outlets_.times_fired(swap_action); n > 0; --n) swap_ports();
    if (turns) engine_.frozen() ? thaw() : freeze();
    outlets_.forget_fired();
  }

  void take_news() {
    while (const auto news = hearing_.next_news()) {
      const bool ours = std::ranges::find(outlets_.devices(), news->place.path, &outlet::VirtualDevice::node) !=
                        outlets_.devices().end();
      if (ours && news->came)
        start_.announced(news->place.path);
      else if (news->came)
        open(news->place);
      else if (const auto node = nodes_.close(news->place.path))
        leave(*node);
    }
    start_.hide_what_came(hearing_.watch());
    grab_what_plays();
    flush(door_.now());
  }

  void freeze() {
    engine_.freeze();
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
        also_wait_for(outlets_.keeper().descriptor(), {Waited::keeper}).has_value())
      fail({"no-keeper", Severity::error,
            "the keeper of the virtual controllers has ended, and another cannot be started", "",
            "close other programs and start again"});
  }

  void take_signals() {
    while (const auto caught = hearing_.next_signal()) {
      if (caught->number == SIGCHLD && program_.follow())
        end_ = asked_by_hands_ ? SessionEnd::hands : SessionEnd::program;
      else if (caught->number != SIGCHLD)
        ask_to_end(SessionEnd::asked, caught->from_terminal);
    }
  }

  // -- the end ------------------------------------------------------------------------------------------

  /// Until that time and no less; games that still ask are answered.
  void wait_and_answer(Time until) {
    while (door_.now() < until && wait(until)) {
      static_cast<void>(nodes_.drain(door_.now()));
      while (hearing_.next_news()) {
      }
    }
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
    // Last, for the kernel keeps whoever closes a unit waiting until its driver has answered.
    hearing_.give_back(options_.say, takes_other_, [this](int node) { leave(node); });
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
  Hearing hearing_;
  host::Nodes& nodes_;
  Grabs grabs_;
  Rumble rumble_;
  Feedback feedback_;
  DesktopKeys desktop_keys_;
  ProgramRun program_;
  ProgramStart start_;
  Stats stats_;
  std::size_t waited_devices_ = 0;  ///< so many of our devices the waiter knows
  const Hearing::Other takes_other_ = [this](Ready ready) { take(ready); };
  bool keeper_is_gone_ = false;
  Time now_{};                  ///< of the wake-up
  std::vector<Wishes> wishes_;  ///< of games, answered but not yet done
  std::optional<SessionEnd> end_;
  bool asked_by_hands_ = false;
  bool said_no_permission_ = false;
  bool said_loss_ = false;
  bool seats_have_changed_ = false;
};

}  // namespace

Played play(os::Door& door, const SessionOptions& options) {
  Profile profile = with_way_out(options.profile);
  const auto plan = compile(options.catalogue, profile);
  if (plan) return Session{door, *plan, std::move(profile), options}.run();
  for (const Diagnostic& why : plan.error()) options.say("omnipar: " + to_text(why));
  return {SessionEnd::failed, options.rig, std::nullopt, {}};
}

}  // namespace omnipar::play
