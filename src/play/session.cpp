#include "play/session.hpp"

#include <sys/signalfd.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <map>
#include <memory>
#include <set>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "host/alone.hpp"
#include "host/look.hpp"
#include "host/nodes.hpp"
#include "host/watch.hpp"
#include "outlet/outlets.hpp"
#include "play/held_pair.hpp"
#include "play/program.hpp"
#include "play/rumble.hpp"
#include "play/swap.hpp"
#include "play/table.hpp"

namespace omnipar::play {
namespace {

constexpr std::string_view freeze_action = "freeze";

/// It cannot be bound away, for it is watched beside the plan.
HeldPairs way_out() {
  constexpr Duration long_enough = std::chrono::seconds{2};
  return HeldPairs{{{"start", "select", long_enough}, {"start", "coin", long_enough}}};
}
constexpr const char* way_out_words =
    "Way out: Ctrl-C here, or start + select of one controller (start + coin of a panel) held for 2 s.";

/// What ends a freeze: the chords that begin one. The engine, which is frozen, does not see them.
HeldPairs ways_to_thaw(const Profile& profile) {
  std::vector<Pair> pairs;
  for (const HotAction& hot : profile.hot)
    if (hot.action == freeze_action) pairs.push_back({hot.hold, hot.press, hot.after});
  return HeldPairs{std::move(pairs)};
}

/// How many pulses of rumble say it.
int pulses_of(Turn what) {
  switch (what) {
    case Turn::goes_on:
      return 1;
    case Turn::frozen:
      return 2;
    case Turn::swapped:
      return 3;
    case Turn::unit_lost:
      return 4;
  }
  return 0;
}

std::string status_words(int status) {
  constexpr int by_signal = 128;
  if (status > by_signal) return fmt::format("by signal {}", status - by_signal);
  return status == 0 ? "well" : fmt::format("with status {}", status);
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
        nodes_(door, options.catalogue, options.with_virtual),
        rumble_(nodes_, options.rumble),
        program_(door),
        way_out_(way_out()),
        thaw_(ways_to_thaw(options.profile)) {}

  Played run() {
    if (auto failure = begin()) fail(*failure);
    while (!end_) step();
    close();
    stats_.losses = nodes_.losses();
    stats_.refused = outlets_.refused();
    Played played{*end_, table_.rig(), std::nullopt, stats_};
    if (program_.ended()) played.program_status = program_.status();
    return played;
  }

 private:
  void say(const std::string& line) const { options_.say(line); }

  void fail(const Diagnostic& why) {
    say("omnipar: " + to_text(why));
    end_ = SessionEnd::failed;
  }

  std::optional<Diagnostic> begin() {
    began_ = door_.now();
    engine_.advance(began_);
    signals_ = os::Descriptor{door_, door_.catch_signals({SIGINT, SIGTERM, SIGHUP, SIGCHLD})};
    if (!signals_) return Diagnostic{"no-signals", Severity::error, "signals cannot be watched", "", "try again"};
    if (auto failure = outlet::VirtualDevice::check(door_)) return failure;
    if (auto failure = refuses_alone()) return failure;
    watch_ = host::open_watch();
    if (!watch_ || watch_->descriptor() < 0)
      return Diagnostic{"no-udev", Severity::error, "units that come and go cannot be watched", "",
                        "'omnipar doctor' looks for the cause"};
    if (auto failure = outlets_.start()) return failure;
    if (auto failure = begin_to_wait()) return failure;
    if (options_.urgent && door_.be_urgent() < 0)
      say("The system does not let us be urgent; it goes on as usual. (See 'ulimit -r'.)");
    say(way_out_words);
    needed_ = seats_needed();
    if (!options_.command.empty()) table_.await(needed_);
    for (const host::NodePlace& place : watch_->present()) open(place);
    if (!ask_for_the_missing()) ask_for_players();
    hold_what_plays();
    return std::nullopt;
  }

  std::optional<Diagnostic> begin_to_wait() {
    waiter_ = os::Descriptor{door_, door_.make_waiter()};
    if (!waiter_) return cannot_wait();
    if (auto failure = also_wait_for(signals_.get(), tag_of(signals_kind))) return failure;
    if (auto failure = also_wait_for(watch_->descriptor(), tag_of(watch_kind))) return failure;
    if (auto failure = also_wait_for(outlets_.keeper().descriptor(), tag_of(keeper_kind))) return failure;
    return also_wait_for_devices();
  }

  // -- people ---------------------------------------------------------------------------------------

  /// "Player 2"; two on one plug are "Player 1a" and "Player 1b". A seat without a port is only its name.
  std::string who(const std::string& seat) const {
    for (const PortInfo& port : engine_.plan().ports()) {
      if (!port.is_played_from(seat)) continue;
      return fmt::format("Player {}{}", port.number, port.second_seat.empty() ? "" : port.seat == seat ? "a" : "b");
    }
    return seat;
  }

  void ask_for_players() {
    const auto seats = table_.free_seats();
    if (seats.empty()) return;
    if (table_.rig().units.empty())
      say(fmt::format("{}: press any button on your controller.", who(seats.front())));
    else
      say(fmt::format("{} may join at any time: press any button.", who(seats.front())));
  }

  void seated(const std::string& seat, const std::string& unit, bool again) override {
    seats_have_changed_ = true;
    for (const PortInfo& port : engine_.plan().ports()) {
      if (!port.is_played_from(seat)) continue;
      if (!port.splitter.empty() && !again)
        say(fmt::format("Port {} is there only with {}: switch it on in the emulator.", port.number, port.splitter));
      say(fmt::format("{} {} with \"{}\" on {}.", who(seat), again ? "goes on" : "plays", unit,
                      device_words(port.number)));
    }
    if (!again) ask_for_players();
  }

  /// "\"Omnipar port 1 pad\" (/dev/input/event7)", all of them.
  std::string device_words(int port) const {
    std::vector<std::string> words;
    for (const outlet::VirtualDevice& device : outlets_.devices())
      if (device.key().port == port)
        words.push_back(fmt::format("\"{}\"{}", outlet::device_name(device.key()),
                                    device.node().empty() ? "" : " (" + device.node() + ")"));
    return fmt::format("{}", fmt::join(words, " and "));
  }

  void left(const std::string& seat, const std::string& unit) override {
    say(fmt::format("{}: \"{}\" is gone; everything it held is let go. Plug it in again to go on.", who(seat), unit));
    turn(Turn::unit_lost);
  }
  void waiting(const std::string&) override {}
  void asked(const std::string& seat, const std::string& unit) override {
    say(fmt::format(
        "{}: \"{}\" is not where it was, and others look just like it. Press a button on the one that is yours.",
        who(seat), unit));
  }
  void no_use(const std::string& unit) override {
    say(fmt::format("\"{}\" was pressed, but it has nothing that this machine uses.", unit));
  }
  void no_seat(const std::string& unit) override {
    say(fmt::format("\"{}\" was pressed, but all {} players are seated.", unit, engine_.plan().seats().size()));
  }
  void cannot_attach(const Diagnostic& why) override { say("omnipar: " + to_text(why)); }
  void heard(int hand, const Attachment& attachment, const Report& report) override {
    way_out_.take(hand, attachment, report);
    if (engine_.frozen()) thaw_.take(hand, attachment, report);
  }
  void gone(int hand) override {
    way_out_.forget(hand);
    thaw_.forget(hand);
  }

  // -- units ------------------------------------------------------------------------------------------

  void open(const host::NodePlace& place) {
    if (const auto node = nodes_.open(place)) {
      if (auto failure =
              also_wait_for(nodes_.descriptor(*node), tag_of(node_kind, static_cast<std::size_t>(*node)), true))
        return fail(*failure);
      if (nodes_.is_held_by_another(*node)) say_who_holds(place.path, nodes_.description(*node));
      table_.arrive(*node, nodes_.description(*node));
    }
    if (nodes_.met_a_closed_door() && !std::exchange(said_no_permission_, true))
      say("Some units may not be read; 'omnipar doctor' says which and mends it.");
  }

  void leave(int node) {
    rumble_.forget(node);
    let_go_desktop_keys(node);
    table_.leave(node);
  }

  void say_who_holds(const std::string& node, const Description& unit) const {
    const host::Holders holders = host::holders_of(door_, node);
    say(fmt::format("\"{}\" is held by {}: what is pressed on it does not come here until that has ended{}.",
                    printable(unit.name), holders.names.empty() ? "another program" : holders.names,
                    holders.only == 0 ? "" : fmt::format(" ('kill {}' ends it)", holders.only)));
  }

  /// Who plays is held; a mouse or a keyboard that nobody plays on goes on working for the desktop. While all is
  /// frozen nobody is held.
  void hold_what_plays() {
    if (!std::exchange(seats_have_changed_, false)) return;
    for (const int node : table_.playing_nodes()) {
      nodes_.hold(node, !engine_.frozen());
      find_desktop_keys(node);
    }
  }

  // -- keys that are the desktop's ------------------------------------------------------------------------

  /// A keyboard that is held still changes the volume: such keys are passed on, but for those that are played on.
  void find_desktop_keys(int node) {
    if (passed_.contains(node)) return;
    for (const CodeRange& range : nodes_.description(node).codes)
      if (outlet::is_desktop_key(range.code) && !table_.is_control(node, range.code))
        passed_[node].push_back({range.code, false});
    if (!passed_.contains(node)) return;
    auto failure = outlets_.open_passed_on_keys();
    if (!failure) failure = also_wait_for_devices();
    if (failure) fail(*failure);
  }

  void pass_on(int node, std::span<const Change> changes) {
    const auto keys = passed_.find(node);
    if (keys == passed_.end()) return;
    for (const Change& change : changes) {
      const auto key = std::ranges::find(keys->second, change.code, &PassedKey::code);
      if (key == keys->second.end()) continue;
      const bool down = change.value != 0;
      // While it is not held, everybody hears the node itself.
      if (key->down == down || (down && !nodes_.is_held(node))) continue;
      key->down = down;
      outlets_.pass_on(key->code, down);
    }
  }

  void let_go_desktop_keys(int node) {
    const auto keys = passed_.find(node);
    if (keys == passed_.end()) return;
    for (const PassedKey& key : keys->second)
      if (key.down) outlets_.pass_on(key.code, false);
    passed_.erase(keys);
  }

  // -- the program --------------------------------------------------------------------------------------

  std::optional<Diagnostic> refuses_alone() const {
    const std::string setting = options_.alone ? host::setting_for_namespaces(door_) : "";
    if (setting.empty()) return std::nullopt;
    return Diagnostic{
        "not-alone", Severity::error,
        fmt::format("the units cannot be hidden from the program without the kernel's setting {}", setting), "",
        "'omnipar doctor' says how to make it; or leave --alone away"};
  }

  /// The seats of the plan that the household has units for; else the first.
  std::vector<std::string> seats_needed() const {
    std::vector<std::string> seats;
    for (const std::string& seat : engine_.plan().seats())
      if (std::ranges::find(options_.rig.units, seat, &RigUnit::seat) != options_.rig.units.end())
        seats.push_back(seat);
    if (seats.empty() && !engine_.plan().seats().empty()) seats.push_back(engine_.plan().seats().front());
    return seats;
  }

  bool is_missing(const std::string& seat) const { return !table_.is_played(seat); }

  /// False if nobody who has a unit is away.
  bool ask_for_the_missing() const {
    bool asked = false;
    for (const std::string& seat : needed_) {
      const auto unit = std::ranges::find(options_.rig.units, seat, &RigUnit::seat);
      if (options_.command.empty() || unit == options_.rig.units.end() || !is_missing(seat)) continue;
      asked = true;
      say(fmt::format("Waiting for {} with \"{}\": plug it in, or press a button on another controller to stand in.",
                      who(seat), unit->name));
    }
    return asked;
  }

  bool waits_for_units() const {
    const bool all_there = std::ranges::none_of(needed_, [this](const std::string& seat) { return is_missing(seat); });
    return !all_there && !(options_.longest_wait && door_.now() >= began_ + *options_.longest_wait);
  }

  /// The system has told everybody of the virtual devices, or seems to forget it.
  bool waits_for_announcement() const {
    constexpr Duration patience = std::chrono::seconds{3};
    return announced_.size() < outlets_.devices().size() && door_.now() < began_ + patience;
  }

  void start_when_ready() {
    if (options_.command.empty() || program_.started() || engine_.frozen()) return;
    if (waits_for_units() || waits_for_announcement()) return;
    if (nodes_.waits_for_hold()) {
      if (!std::exchange(said_let_go_, true)) say("Let go of all buttons; it starts when nothing is down.");
      return;
    }
    start();
  }

  void start() {
    host::Alone alone;
    if (options_.alone) alone = host::without(door_, hidden_places());
    say(fmt::format("Starting {}.", options_.command.front()));
    const auto before = [&] { return options_.alone ? host::go_alone(door_, alone) : 0; };
    started_ = door_.now();
    if (const int result = program_.start(options_.command, before); result < 0)
      return fail({"not-started", Severity::error, fmt::format("it cannot be started: {}", std::strerror(-result)),
                   options_.command.front(),
                   options_.alone ? "try it without --alone" : "start it by itself, to see what it lacks"});
    if (options_.alone)
      say("It cannot open the units that are played on. (Lists of what is plugged in still show them, and the raw\n"
          "nodes of units that come later are not hidden.)");
  }

  /// What the program must not open: what is played on, and all other controllers.
  std::vector<std::string> hidden_places() {
    std::vector<std::string> places;
    const auto playing = table_.playing_nodes();
    for (const host::NodePlace& place : watch_->present()) {
      const auto node = nodes_.number_of(place.path);
      if (!node) continue;
      if (std::ranges::find(playing, *node) != playing.end() || is_controller(nodes_.description(*node)))
        places.push_back(place.syspath);
    }
    return places;
  }

  void follow_program() {
    const bool had_ended = program_.ended();
    program_.collect();
    if (!program_.ended()) return;
    const auto left = program_.left(outlets_.keeper().process());
    if (left.empty()) {
      end_ = asked_by_hands_ ? SessionEnd::hands : SessionEnd::program;
      say(fmt::format("{} has ended {}.", options_.command.front(), status_words(program_.status())));
      constexpr Duration suspiciously_short = std::chrono::seconds{2};
      if (!asked_ && program_.status() == 0 && door_.now() - started_ < suspiciously_short)
        say("That was quick. If it handed over to a program that was running already, that one cannot be followed: "
            "end it first, or play without a command.");
    } else if (insisted_) {
      program_.insist(outlets_.keeper().process());
    } else if (!had_ended) {
      say(fmt::format("{} has ended, but left {}; playing goes on until that ends.", options_.command.front(),
                      fmt::join(left, ", ")));
    }
  }

  /// Asks the program to end; whoever asks again is heard at once. Without a program, playing ends.
  void ask_to_end(SessionEnd how, bool program_knows) {
    asked_by_hands_ = asked_by_hands_ || how == SessionEnd::hands;
    if (!program_.started()) {
      end_ = how;
      return;
    }
    constexpr Duration same_breath = std::chrono::seconds{1};  // the way out may be the exit action as well
    if (asked_ && door_.now() - *asked_ < same_breath) return;
    if (asked_) return insist();
    asked_ = door_.now();
    if (!program_knows) program_.ask(outlets_.keeper().process());
    say(fmt::format("{} is asked to end; after {:.0f} s it is ended by force.", options_.command.front(),
                    static_cast<double>(options_.insist_after.count()) / 1e6));
  }

  void insist() {
    if (std::exchange(insisted_, true)) return;
    say("It is ended by force.");
    program_.insist(outlets_.keeper().process());
  }

  std::optional<Time> program_due() const {
    if (options_.command.empty()) return std::nullopt;
    if (program_.started()) return asked_ && !insisted_ ? std::optional{*asked_ + options_.insist_after} : std::nullopt;
    const Time announcement = began_ + std::chrono::seconds{3};
    if (waits_for_announcement()) return announcement;
    if (waits_for_units() && options_.longest_wait) return began_ + *options_.longest_wait;
    return std::nullopt;
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
    also(way_out_.next_due());
    also(thaw_.next_due());
    also(program_due());
    return due;
  }

  // What the waiter's tags mean: a kind, and for devices and nodes which one.
  enum Kind : std::uint64_t { signals_kind, watch_kind, keeper_kind, device_kind, node_kind };
  static constexpr unsigned kind_bits = 3;
  static std::uint64_t tag_of(Kind kind, std::size_t which = 0) { return std::uint64_t{which} << kind_bits | kind; }

  /// `once`: whoever is told reads all that is there.
  std::optional<Diagnostic> also_wait_for(int descriptor, std::uint64_t tag, bool once = false) {
    if (door_.wait_also_for(waiter_.get(), descriptor, tag, once) == 0) return std::nullopt;
    return cannot_wait();
  }

  static Diagnostic cannot_wait() {
    return {"cannot-wait", Severity::error, "waiting for input failed", "", "try again"};
  }

  std::optional<Diagnostic> also_wait_for_devices() {
    for (; waited_devices_ < outlets_.devices().size(); ++waited_devices_)
      if (auto failure =
              also_wait_for(outlets_.devices()[waited_devices_].descriptor(), tag_of(device_kind, waited_devices_)))
        return failure;
    return std::nullopt;
  }

  /// Waits for what there may be; what games ask of the motors is answered first of all. False if that failed.
  bool wait(std::optional<Time> until) {
    news_waits_ = keeper_is_gone_ = signals_wait_ = false;
    std::array<std::uint64_t, 32> tags{};
    const int ready = door_.wait_at(waiter_.get(), tags, until ? &*until : nullptr);
    for (int i = 0; i < ready; ++i) {
      const std::uint64_t tag = tags.at(static_cast<std::size_t>(i));
      const std::size_t which = tag >> kind_bits;
      switch (static_cast<Kind>(tag & ((1U << kind_bits) - 1))) {
        case signals_kind:
          signals_wait_ = true;
          break;
        case watch_kind:
          news_waits_ = true;
          break;
        case keeper_kind:
          keeper_is_gone_ = true;
          break;
        case device_kind:
          answer(outlets_.devices()[which]);
          break;
        case node_kind:
          nodes_.mark_ready(static_cast<int>(which));
          break;
      }
    }
    return ready >= 0;
  }

  void step() {
    if (!wait(next_due())) return fail(cannot_wait());
    ++stats_.wake_ups;
    take_reports();
    hold_what_plays();
    if (!wishes_.empty()) shake();
    act();
    if (news_waits_) take_news();
    if (keeper_is_gone_) replace_keeper();
    if (signals_wait_) take_signals();
    if (asked_ && now_ >= *asked_ + options_.insist_after) insist();
    start_when_ready();
  }

  // -- rumble -------------------------------------------------------------------------------------------

  void answer(const outlet::VirtualDevice& device) {
    Wishes& wishes = wishes_.emplace_back(device.key());
    outlet::answer(door_, device.descriptor(), wishes.wishes);
  }

  /// The units' own motors may take their time; whoever asked has been answered.
  void shake() {
    for (const Wishes& wished : wishes_)
      if (const PortInfo* port = engine_.plan().port(wished.pad.port)) {
        auto nodes = table_.playing_nodes(port->seat);
        const auto more = table_.playing_nodes(port->second_seat);
        nodes.insert(nodes.end(), more.begin(), more.end());
        rumble_.take(wished.pad, wished.wishes, nodes);
      }
    wishes_.clear();
  }

  /// Says that something has changed to those who cannot see a terminal.
  void turn(Turn what) {
    if (options_.turned) options_.turned(what);
    if (!options_.feel) return;
    for (const int node : table_.playing_nodes()) rumble_.pulse(node, pulses_of(what));
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
      if (!passed_.empty()) pass_on(news.said.node(i), news.said[i].changes);
    }
    for (const int node : news.gone) leave(node);
    table_.advance(now_);
    engine_.advance(now_);
    stats_.reports += news.said.size();
    if (!said_loss_ && nodes_.losses() > 0) {
      said_loss_ = true;
      say("The kernel has lost events, for more came than could be taken; all is as the hands hold it again. (--stats "
          "counts it.)");
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
    const bool out = way_out_.fired(now_);
    if (out || outlets_.fired("exit")) ask_to_end(SessionEnd::hands, false);
    if (outlets_.fired(swap_action)) swap_ports();
    if (thaw_.fired(now_)) thaw();
    if (outlets_.fired(freeze_action)) freeze();
    outlets_.forget_fired();
  }

  void take_news() {
    while (const auto news = watch_->next()) {
      const bool ours = std::ranges::find(outlets_.devices(), news->place.path, &outlet::VirtualDevice::node) !=
                        outlets_.devices().end();
      if (ours && news->came)
        announced_.insert(news->place.path);
      else if (news->came)
        open(news->place);
      else if (const auto node = nodes_.close(news->place.path))
        leave(*node);
    }
    hold_what_plays();
    flush(door_.now());
  }

  void freeze() {
    engine_.freeze();
    thaw_.forget();
    flush(door_.now());
    rumble_.freeze();
    turn(Turn::frozen);
    seats_have_changed_ = true;
    say("Frozen: the controllers work for the desktop again. The same buttons go on.");
  }

  void thaw() {
    engine_.thaw();
    flush(door_.now());  // sticks are shown as they are held
    rumble_.thaw();
    turn(Turn::goes_on);
    seats_have_changed_ = true;
    say("It goes on.");
  }

  void swap_ports() {
    const Plan before = engine_.plan();
    const auto plan = swapped_plan(options_.catalogue, profile_);
    if (!plan) return say("omnipar: the ports stay as they are: " + to_text(plan.error().front()));
    engine_.adopt(*plan);
    if (auto failure = outlets_.rewire()) return fail(*failure);
    if (auto failure = also_wait_for_devices()) return fail(*failure);
    for (const PortInfo& port : plan->ports()) {
      const PortInfo* was = before.port(port.number);
      if (was != nullptr && was->seat == port.seat) continue;
      if (port.number == 0 || !table_.is_played(std::string{port.seat})) continue;
      say(fmt::format("Swapped: port {} is now played from {}.", port.number, port.seat));
    }
    flush(door_.now());
    turn(Turn::swapped);
  }

  void replace_keeper() {
    if (outlets_.keeper().start_again() < 0 ||
        also_wait_for(outlets_.keeper().descriptor(), tag_of(keeper_kind)).has_value())
      fail({"no-keeper", Severity::error, "the keeper of the virtual controllers has ended and no other can be started",
            "", "close other programs and start again"});
  }

  /// Reads the next signal that has come; false if there is none.
  bool next_signal(signalfd_siginfo& signal) {
    return door_.read(signals_.get(), std::as_writable_bytes(std::span{&signal, 1})) > 0;
  }

  void take_signals() {
    for (signalfd_siginfo signal{}; next_signal(signal);) {
      // A Ctrl-C at the terminal goes to the program as well.
      const bool from_terminal = signal.ssi_signo == SIGINT && signal.ssi_code > 0;
      if (signal.ssi_signo == SIGCHLD)
        follow_program();
      else
        ask_to_end(SessionEnd::asked, from_terminal);
    }
  }

  // -- the end ------------------------------------------------------------------------------------------

  /// Others would never see what is down now go up; so the units are given back when nothing is down, but nobody
  /// waits for ever.
  void give_back() {
    constexpr Duration patience = std::chrono::seconds{5};
    const Time until = door_.now() + patience;
    if (nodes_.anything_down()) say("Let go of all buttons: the controllers are given back when nothing is down.");
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

  /// Of the program nothing stays behind, whatever ended the play; but it is asked first, if it was not yet.
  void end_program() {
    if (!program_.started()) return;
    constexpr Duration pause{20'000};
    constexpr Duration enough = std::chrono::seconds{2};  // what not even force has ended by then is the kernel's
    const pid_t keeper = outlets_.keeper().process();
    const auto is_over = [&] {
      program_.collect();
      return program_.ended() && program_.left(keeper).empty();
    };
    if (!is_over() && !asked_) program_.ask(keeper);
    const Time by_force = insisted_ ? door_.now() : asked_.value_or(door_.now()) + options_.insist_after;
    while (!is_over() && door_.now() < by_force + enough) {
      if (door_.now() >= by_force) program_.insist(keeper);
      wait_and_answer(door_.now() + pause);
    }
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
    end_program();
    give_back();
    outlets_.keeper().close();
    if (*end_ == SessionEnd::hands) say("Ended by hand.");
    if (*end_ == SessionEnd::asked) say("Ended.");
  }

  struct Wishes {
    explicit Wishes(outlet::DeviceKey key) : pad(key) {}
    outlet::DeviceKey pad;
    std::vector<outlet::ForceWish> wishes;
  };

  struct PassedKey {
    Code code;
    bool down = false;
  };

  os::Door& door_;
  const SessionOptions& options_;
  Profile profile_;  ///< as it is played now
  Engine engine_;
  Table table_;
  outlet::Outlets outlets_;
  os::Descriptor signals_;
  std::unique_ptr<host::Watch> watch_;
  host::Nodes nodes_;
  Rumble rumble_;
  Program program_;
  HeldPairs way_out_;
  HeldPairs thaw_;
  Stats stats_;
  os::Descriptor waiter_;
  std::size_t waited_devices_ = 0;  ///< so many of our devices the waiter knows
  bool signals_wait_ = false;
  bool news_waits_ = false;
  bool keeper_is_gone_ = false;
  Time now_{};                                    ///< of the wake-up
  std::map<int, std::vector<PassedKey>> passed_;  ///< by node
  std::vector<Wishes> wishes_;                    ///< of games, answered but not yet done
  std::vector<std::string> needed_;               ///< seats
  std::set<std::string> announced_;               ///< nodes of our devices that the system has told of
  Time began_{};
  Time started_{};             ///< when the program was
  std::optional<Time> asked_;  ///< when the program was asked to end
  std::optional<SessionEnd> end_;
  bool asked_by_hands_ = false;
  bool insisted_ = false;
  bool said_no_permission_ = false;
  bool said_let_go_ = false;
  bool said_loss_ = false;
  bool seats_have_changed_ = false;
};

}  // namespace

Played play(os::Door& door, const Plan& plan, const SessionOptions& options) {
  return Session{door, plan, options}.run();
}

}  // namespace omnipar::play
