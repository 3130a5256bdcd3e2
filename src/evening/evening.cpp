#include "evening/evening.hpp"

#include <algorithm>
#include <csignal>
#include <set>

#include <fmt/format.h>

#include "base/list.hpp"
#include "evening/program_run.hpp"
#include "evening/program_start.hpp"
#include "omnipar/session_words.hpp"

namespace omnipar::inline abi_0::evening {
namespace {

constexpr const char* exit_words =
    "To end, press Ctrl-C, or hold start + select on one controller (start + coin on a panel) for 2 s.";

/// Describes how each virtual pointer reports off-screen, for configuring the program.
std::vector<std::string> off_screen_words(const Session& session) {
  std::vector<std::string> lines;
  for (const VirtualDeviceHere& device : session.virtual_devices()) {
    if (!device.says_off_screen) continue;
    lines.push_back(
        session.profile().off_screen == OffScreen::edge
            ? fmt::format(
                  "Off-screen, \"{}\" reports the edge of its range (0 or 65535), which it never does on the picture.",
                  device.name)
            : fmt::format("Off-screen, \"{}\" holds its middle button (BTN_MIDDLE).", device.name));
  }
  return lines;
}

class Evening {
 public:
  Evening(os::Door& door, const Options& run_options)
      : door_(door),
        run_options_(run_options),
        program_(door, {run_options.command, run_options.insist_after, run_options.say}) {}

  Played run() {
    begin();
    while (!end_) {
      look_after_all();
      if (end_) break;
      session_->wait(due());
      session_->process();
    }
    close();
    Played played{*end_, run_options_.session.rig, {}, program_.status(), {}};
    if (!session_) return played;
    played.rig = session_->rig();
    played.ranges = session_->ranges_by_use();
    played.stats = session_->stats();
    return played;
  }

 private:
  void say(const std::string& line) const { run_options_.say(line); }

  void fail(const Diagnostic& why) {
    say("omnipar: " + to_text(why));
    end_ = End::failed;
  }

  // -- the beginning --------------------------------------------------------------------------------

  void begin() {
    if (const auto refused = refuses_alone(door_, run_options_.alone)) return fail(*refused);
    SessionOptions options = run_options_.session;
    options.virtual_devices = true;
    options.signals = {SIGINT, SIGTERM, SIGHUP, SIGCHLD};
    options.on_event = [this](const SessionEvent& event) { on_event(event); };
    auto session = Session::open(std::move(options));
    if (!session) {
      for (const Diagnostic& why : session.error()) fail(why);
      return;
    }
    session_.emplace(std::move(*session));
    program_.spare(session_->helper());
    feedback_.emplace(run_options_.feedback, *session_);
    start_.emplace(
        door_, StartOptions{run_options_.session.rig, run_options_.longest_wait, run_options_.alone, run_options_.say},
        *session_, program_);
    if (run_options_.urgent && door_.be_urgent() < 0)
      say("Real-time priority was denied; continuing without it. (See 'ulimit -r'.)");
    say(exit_words);
    for (const std::string& line : off_screen_words(*session_)) say(line);
    if (!feedback_->find_desktop()) say("Desktop notifications are not available here.");
    if (feedback_->descriptor() >= 0) session_->also_wait_for(feedback_->descriptor());
    start_->begin();
    if (program_.is_requested()) session_->await(start_->seats());
    session_->process();
    if (start_->ask_for_the_missing()) return;
    if (const std::string asked = invitation(*session_); !asked.empty()) say(asked);
  }

  // -- messages -------------------------------------------------------------------------------------

  /// The signal that accompanies the message, if any. A lost unit is followed by `unit_back` once its seat has a unit
  /// again, the same or another one.
  std::optional<Turn> turn_of(const SessionEvent& event) {
    if (const auto* froze = std::get_if<Froze>(&event)) return froze->frozen ? Turn::frozen : Turn::resumed;
    if (std::holds_alternative<Swapped>(event)) return Turn::swapped;
    const auto* left = std::get_if<Left>(&event);
    const auto* socket = std::get_if<SocketChanged>(&event);
    if (left != nullptr || (socket != nullptr && socket->plug == Plug::taken_out)) {
      lost_.insert(left != nullptr ? left->seat : socket->seat);
      return Turn::unit_lost;
    }
    const auto* seated = std::get_if<Seated>(&event);
    return seated != nullptr && lost_.erase(seated->seat) > 0 ? std::optional{Turn::unit_back} : std::nullopt;
  }

  void on_event(const SessionEvent& event) {
    if (const auto* signal = std::get_if<SignalCaught>(&event)) return caught(*signal);
    if (const auto* fired = std::get_if<HotkeyFired>(&event); fired != nullptr && fired->action == exit_action)
      return ask_to_end(End::hands, false);
    nodes_have_changed_ = nodes_have_changed_ || std::holds_alternative<NodesChanged>(event);
    const std::string words = to_text(event, *session_);
    if (!words.empty()) say((std::holds_alternative<Refused>(event) ? "omnipar: " : "") + words);
    if (const auto turn = turn_of(event)) turns_.push_back({*turn, words});
  }

  // -- the program ----------------------------------------------------------------------------------

  void caught(const SignalCaught& signal) {
    if (end_) return;
    if (signal.number != SIGCHLD) return ask_to_end(End::asked, signal.from_terminal);
    if (program_.follow()) end_ = asked_by_hands_ ? End::hands : End::program;
  }

  /// Asks the program to end; without a program, the session ends.
  void ask_to_end(End how, bool program_knows) {
    asked_by_hands_ = asked_by_hands_ || how == End::hands;
    if (program_.started())
      program_.ask(program_knows);
    else if (!end_)
      end_ = how;
  }

  // -- the loop -------------------------------------------------------------------------------------

  /// The next time at which something is due here, apart from the session.
  [[nodiscard]] Time due() const {
    Time due = latest_time;
    for (const auto& other : {start_->due(), program_.due(), feedback_->next_due()})
      due = std::min(due, other.value_or(due));
    return due;
  }

  /// The consequences of what the session has processed.
  void look_after_all() {
    tell_turns();
    if (const auto& failure = session_->failure()) return fail(*failure);
    if (feedback_->descriptor() >= 0 && session_->is_ready(feedback_->descriptor())) feedback_->process();
    program_.spare(session_->helper());  // it may have changed by now
    if (program_.due() || feedback_->next_due()) {
      program_.insist_when_due(session_->now());
      feedback_->advance(session_->now());
    }
    if (std::exchange(nodes_have_changed_, false)) start_->hide_what_came();
    if (auto failure = start_->start_when_ready()) fail(*failure);
  }

  void tell_turns() {
    if (turns_.empty()) return;
    for (const auto& [turn, words] : std::exchange(turns_, {})) feedback_->tell(turn, words, session_->now());
  }

  // -- the end --------------------------------------------------------------------------------------

  /// Everything returns to rest, the program ends, then the devices are removed.
  void close() {
    if (!session_) return;
    session_->end();
    program_.end([this](Time until) {
      session_->run_until(until);
      if (session_->now() < until) door_.sleep(until - session_->now());
    });
    session_->close();
    if (*end_ == End::hands) say("Ended from a controller.");
    if (*end_ == End::asked) say("Ended.");
  }

  os::Door& door_;
  const Options& run_options_;
  ProgramRun program_;
  std::optional<Session> session_;
  std::optional<Feedback> feedback_;
  std::optional<ProgramStart> start_;
  std::vector<std::pair<Turn, std::string>> turns_;  ///< since the last check
  std::set<std::string> lost_;                       ///< seats whose units are disconnected
  std::optional<End> end_;
  bool asked_by_hands_ = false;
  bool nodes_have_changed_ = false;
};

}  // namespace

Played play(os::Door& door, const Options& run_options) { return Evening{door, run_options}.run(); }

std::vector<std::string> lines_of(const SessionStats& stats) {
  std::vector<std::string> lines;
  lines.push_back(fmt::format("Received {} in {}; the kernel lost events {}{}.", quantity(stats.reports, "report"),
                              quantity(stats.wake_ups, "wake-up"), quantity(stats.losses, "time"),
                              stats.losses == 0 ? "" : ", and the state was read again"));
  if (stats.refused > 0)
    lines.push_back(fmt::format("A virtual controller rejected {}.", quantity(stats.refused, "report")));
  if (stats.measured > 0)
    lines.push_back(fmt::format(
        "Latency from input to game, {} events: median {} us, 90th percentile {} us, 99th percentile {} us, maximum {} "
        "us.",
        stats.measured, stats.half.count(), stats.nine_tenths.count(), stats.nearly_all.count(), stats.all.count()));
  return lines;
}

}  // namespace omnipar::inline abi_0::evening
