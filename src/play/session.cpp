#include "play/session.hpp"

#include <sys/signalfd.h>

#include <algorithm>
#include <array>
#include <map>
#include <memory>

#include <fmt/format.h>

#include "host/nodes.hpp"
#include "host/watch.hpp"
#include "outlet/pads.hpp"
#include "play/swap.hpp"
#include "play/table.hpp"

namespace omnipar::play {
namespace {

class Session final : Listener {
 public:
  Session(os::Door& door, const Plan& plan, const SessionOptions& options)
      : door_(door),
        options_(options),
        profile_(options.profile),
        engine_(plan),
        table_(engine_, options.catalogue, options.rig, *this),
        pads_(door, engine_),
        nodes_(door, options.catalogue, options.with_virtual) {}

  SessionEnd run() {
    engine_.advance(door_.now());
    signals_ = os::Descriptor{door_, door_.catch_signals({SIGINT, SIGTERM, SIGHUP})};
    if (!signals_) return fail({"no-signals", Severity::error, "signals cannot be watched", "", "try again"});
    if (auto failure = outlet::VirtualPad::check(door_)) return fail(*failure);
    if (auto failure = pads_.start()) return fail(*failure);
    watch_ = host::open_watch();
    if (!watch_ || watch_->descriptor() < 0)
      return fail({"no-udev", Severity::error, "units that come and go cannot be watched", "",
                   "'omnipar doctor' looks for the cause"});
    for (const host::NodePlace& place : watch_->present()) open(place);
    ask_for_players();
    hold_what_plays();
    while (!end_) step();
    close();
    return *end_;
  }

  [[nodiscard]] const Rig& rig() const noexcept { return table_.rig(); }

 private:
  void say(const std::string& line) const { options_.say(line); }

  SessionEnd fail(const Diagnostic& why) {
    say("omnipar: " + to_text(why));
    end_ = SessionEnd::failed;
    pads_.keeper().close();
    return SessionEnd::failed;
  }

  // -- people ---------------------------------------------------------------------------------------

  /// "Player 2 (port 2)"; a seat without a port is only its name.
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
      say(fmt::format("{}: press any button on your controller. (Ctrl-C ends; so does start + select held for 2 s.)",
                      who(seats.front())));
    else
      say(fmt::format("{} may join at any time: press any button.", who(seats.front())));
  }

  void seated(const std::string& seat, const std::string& unit, bool again) override {
    somebody_sat_down_ = true;
    for (const PortInfo& port : engine_.plan().ports()) {
      if (!port.is_played_from(seat)) continue;
      const auto pad = pads_.open(port.number);
      if (!pad) {
        fail(pad.error());
        return;
      }
      if (!port.splitter.empty() && !again)
        say(fmt::format("Port {} is there only with {}: switch it on in the emulator.", port.number, port.splitter));
      say(fmt::format("{} {} with \"{}\" on \"{}\"{}.", who(seat), again ? "goes on" : "plays", unit,
                      outlet::pad_name(port.number), (*pad)->node().empty() ? "" : " (" + (*pad)->node() + ")"));
    }
    if (!again) ask_for_players();
  }

  void left(const std::string& seat, const std::string& unit) override {
    say(fmt::format("{}: \"{}\" is gone; everything it held is let go. Plug it in again to go on.", who(seat), unit));
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

  // -- units ------------------------------------------------------------------------------------------

  void open(const host::NodePlace& place) {
    if (const auto node = nodes_.open(place)) table_.arrive(*node, nodes_.description(*node));
    if (nodes_.met_a_closed_door() && !std::exchange(said_no_permission_, true))
      say("Some units may not be read; 'omnipar doctor' says which and mends it.");
  }

  // -- the loop -----------------------------------------------------------------------------------------

  std::optional<Time> next_due() const {
    std::optional<Time> due = engine_.next_due();
    const auto also = [&due](std::optional<Time> other) {
      if (other && (!due || *other < *due)) due = other;
    };
    also(table_.next_due());
    also(pads_.next_due());
    also(nodes_.next_due());
    return due;
  }

  void step() {
    polled_.clear();
    polled_.push_back({signals_.get(), POLLIN, 0});
    polled_.push_back({watch_->descriptor(), POLLIN, 0});
    polled_.push_back({pads_.keeper().descriptor(), POLLIN, 0});
    nodes_.add_to(polled_);
    const auto due = next_due();
    const int ready = door_.wait(polled_, due ? &*due : nullptr);
    if (ready < 0) {
      fail({"cannot-wait", Severity::error, "waiting for input failed", "", "try again"});
      return;
    }
    constexpr std::size_t before_nodes = 3;
    const auto& news = nodes_.drain(std::span{polled_}.subspan(before_nodes));
    for (const host::Said& said : news.said) table_.report(said.node, {said.report.time, said.report.changes});
    for (const int node : news.gone) table_.leave(node);
    const Time now = door_.now();
    table_.advance(now);
    engine_.advance(now);
    pads_.flush(std::max(now, engine_.now()));
    hold_what_plays();
    if (pads_.fired("exit")) end_ = SessionEnd::chord;
    if (pads_.fired(swap_action)) swap_ports();
    if (polled_[1].revents != 0) take_news();
    if (polled_[2].revents != 0) replace_keeper();
    if (polled_[0].revents != 0) take_signal();
  }

  /// Who plays is held; a mouse or a keyboard that nobody plays on goes on working for the desktop.
  void hold_what_plays() {
    if (!std::exchange(somebody_sat_down_, false)) return;
    for (const int node : table_.playing_nodes()) nodes_.hold(node);
  }

  void take_news() {
    while (const auto news = watch_->next()) {
      if (news->came)
        open(news->place);
      else if (const auto node = nodes_.close(news->place.path))
        table_.leave(*node);
    }
    pads_.flush(std::max(door_.now(), engine_.now()));
  }

  void swap_ports() {
    const auto plan = swapped_plan(options_.catalogue, profile_);
    if (!plan) return say("omnipar: the ports stay as they are: " + to_text(plan.error().front()));
    engine_.adopt(*plan);
    pads_.rewire();
    for (const PortInfo& port : plan->ports()) {
      if (port.number == 0 || !table_.is_played(std::string{port.seat})) continue;
      if (const auto pad = pads_.open(port.number); !pad) fail(pad.error());
      say(fmt::format("Swapped: port {} is now played from {}.", port.number, port.seat));
    }
    pads_.flush(std::max(door_.now(), engine_.now()));
  }

  void replace_keeper() {
    if (pads_.keeper().start_again() < 0)
      fail({"no-keeper", Severity::error, "the keeper of the virtual controllers has ended and no other can be started",
            "", "close other programs and start again"});
  }

  void take_signal() {
    signalfd_siginfo signal{};
    if (door_.read(signals_.get(), std::as_writable_bytes(std::span{&signal, 1})) > 0) end_ = SessionEnd::asked;
  }

  /// Others would never see what is down now go up; so the units are given back when nothing is down, but nobody
  /// waits for ever.
  void give_back() {
    constexpr Duration patience = std::chrono::seconds{5};
    const Time until = door_.now() + patience;
    if (nodes_.anything_down()) say("Let go of all buttons: the controllers are given back when nothing is down.");
    while (nodes_.anything_down() && door_.now() < until) {
      polled_.clear();
      nodes_.add_to(polled_);
      if (door_.wait(polled_, &until) < 0) break;
      static_cast<void>(nodes_.drain(polled_));
    }
    nodes_.close_all();
  }

  /// Everything goes to rest, what is still to be shown is shown, then the keeper removes the devices.
  void close() {
    engine_.freeze();
    pads_.flush(std::max(door_.now(), engine_.now()));
    while (const auto due = pads_.next_due()) {
      door_.wait({}, &*due);
      pads_.flush(std::max(*due, door_.now()));
    }
    give_back();
    pads_.keeper().close();
    say(*end_ == SessionEnd::chord ? "Ended by start + select." : "Ended.");
  }

  os::Door& door_;
  const SessionOptions& options_;
  Profile profile_;  ///< as it is played now
  Engine engine_;
  Table table_;
  outlet::Pads pads_;
  os::Descriptor signals_;
  std::unique_ptr<host::Watch> watch_;
  host::Nodes nodes_;
  std::vector<pollfd> polled_;
  std::optional<SessionEnd> end_;
  bool said_no_permission_ = false;
  bool somebody_sat_down_ = false;
};

}  // namespace

Played play(os::Door& door, const Plan& plan, const SessionOptions& options) {
  Session session{door, plan, options};
  const SessionEnd how = session.run();
  return {how, session.rig()};
}

}  // namespace omnipar::play
