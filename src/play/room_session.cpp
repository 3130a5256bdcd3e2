// A session with the simulated units of a room. Its only system resource is a descriptor for poll.
#include <algorithm>
#include <map>
#include <utility>

#include <fmt/format.h>

#include "base/earlier.hpp"
#include "omnipar/identity.hpp"
#include "play/hotkeys.hpp"
#include "play/lights.hpp"
#include "play/session_impl.hpp"
#include "play/trace_host.hpp"

namespace omnipar::inline abi_0::play {
namespace {

Description as_found(const Description& node, std::span<const Change> state) {
  Description found = node;
  for (const Change& change : state)
    for (CodeRange& range : found.codes)
      if (range.code == change.code) range.value = change.value;
  return found;
}

class RoomSession final : public Session::Impl {
 public:
  RoomSession(const Plan& plan, SessionOptions options, Room room)
      : Impl(plan, std::move(options)),
        room_(std::move(room)),
        trace_(room_.name),
        host_(
            options_.catalogue, [this](const TraceEvent& event, const Description& node) { play(event, node); },
            [this](const Diagnostic& why) { tell(Refused{why}); }) {
    read_on();
  }

  int descriptor() override;
  bool wait(Time until) override;
  void process() override;
  [[nodiscard]] std::optional<Time> next_due() const override;
  [[nodiscard]] Time now() const override { return now_; }
  void rumble(int port, double strong, double weak, Duration how_long) override;
  void pulse(int port, int times) override;
  void light(int port, std::optional<std::uint32_t> which) override;
  bool also_wait_for(int) override { return false; }
  [[nodiscard]] bool is_ready(int) const noexcept override { return false; }
  [[nodiscard]] bool waits_for_release() const override { return false; }
  [[nodiscard]] std::vector<NodeHere> nodes() const override { return {}; }
  [[nodiscard]] std::vector<VirtualDeviceHere> virtual_devices() const override { return {}; }
  [[nodiscard]] int helper() const noexcept override { return -1; }
  [[nodiscard]] SessionStats stats() const override { return stats_; }
  [[nodiscard]] bool over() const noexcept override { return ended_ || (!next_ && now_ >= all_seen_); }
  void end() override;
  void close() override { end(); }

 private:
  using Players = std::map<int, std::string>;  ///< the names of units, by id

  /// The requested rumble and LEDs of a port, and the units that received them.
  struct Request {
    Felt felt{};
    Players shaken;
    bool is_lit = false;
    std::uint32_t lit = 0;
    Players shown;
  };

  void read_on();
  void play(const TraceEvent& event, const Description& node);
  void pass(Time time);
  [[nodiscard]] Players players_of(int port) const;
  void tell_newcomers();

  void show() override { catch_up(now_); }
  void turned() override {}
  void adopted() override {}
  void settle() override {}

  Room room_;
  os::Descriptor always_ready_;  ///< for callers that poll
  bool waited_ = false;          ///< since the last `process`
  TraceReader trace_;
  TraceHost host_;
  std::optional<TraceEvent> next_;
  Time now_{};
  Time all_seen_{};  ///< some frames after the last event
  SessionStats stats_;
  std::map<int, Request> requests_;  ///< by port
};

/// Finds the next event. An unreadable line ends the room.
void RoomSession::read_on() {
  next_.reset();
  while (!next_ && !failure()) {
    const auto line = room_.lines();
    if (!line) return fail(line.error());
    if (!*line) {
      if (auto problem = trace_.finish()) fail(std::move(*problem));
      break;
    }
    auto event = trace_.read_line(**line);
    if (!event) return fail(event.error());
    next_ = std::move(*event);
  }
  constexpr int more_frames = 2;
  if (next_) all_seen_ = next_->time + more_frames * engine_.plan().frame();
}

std::optional<Time> RoomSession::next_due() const {
  const auto next = next_ ? std::optional{next_->time} : std::nullopt;
  return earlier(earlier(due(), host_.next_due()), next);
}

/// Callers that poll do not call `wait`, which would advance time.
int RoomSession::descriptor() {
  if (always_ready_) return always_ready_.get();
  os::Door& door = os::real_door();
  always_ready_ = {door, door.make_timer()};
  const Time past{Duration{1}};
  if (always_ready_) door.set_timer(always_ready_.get(), &past);
  return always_ready_.get();
}

bool RoomSession::wait(Time until) {
  waited_ = true;
  if (over() || failure()) return false;
  const auto due = next_due();
  const Time end = next_ ? until : std::min(until, all_seen_);
  now_ = std::max(now_, std::min(end, due.value_or(end)));
  return due && *due <= now_;
}

void RoomSession::process() {
  if (ended_) return;
  ++stats_.wake_ups;
  constexpr Duration a_moment{1000};
  if (always_ready_ && !std::exchange(waited_, false)) {
    static_cast<void>(wait(now_ + a_moment));
    waited_ = false;
  }
  while (next_ && next_->time <= now_) {
    const TraceEvent event = std::move(*next_);
    host_.process(event, trace_.nodes().at(event.node));
    read_on();
  }
  if (!next_ || !host_.waits_for(*next_, trace_.nodes().at(next_->node))) host_.settle();
  host_.pass(now_);
  pass(now_);
  tell_newcomers();
}

void RoomSession::pass(Time time) {
  table_.advance(time);
  engine_.advance(time);
  catch_up(time);
  act();
}

void RoomSession::play(const TraceEvent& event, const Description& node) {
  if (ended_) return;
  pass(event.time);
  if (room_.on_trace_event) room_.on_trace_event(event, node);
  switch (event.action) {
    case TraceAction::plug_in:
      table_.arrive(event.node, as_found(node, event.changes));
      break;
    case TraceAction::pull_out:
      table_.leave(event.node);
      break;
    case TraceAction::gap:
      tell(Remark{fmt::format("\"{}\" was grabbed by another program: its input is missing until its next report.",
                              printable(node.name))});
      break;
    case TraceAction::report:
      ++stats_.reports;
      feed(event.node, {event.time, event.changes, event.sockets});
      break;
  }
  pass(event.time);
}

void RoomSession::end() {
  if (std::exchange(ended_, true)) return;
  engine_.freeze();
  table_.release_all();  // hotkeys, too
  show();
}

// -- rumble and LEDs -----------------------------------------------------------------------------------------

RoomSession::Players RoomSession::players_of(int port) const {
  Players players;
  const PortInfo* info = engine_.plan().port(port);
  for (UnitHere& unit : table_.units())
    if (info != nullptr && unit.plays && info->is_played_from(unit.seat)) players[unit.id] = std::move(unit.name);
  return players;
}

void RoomSession::rumble(int port, double strong, double weak, Duration how_long) {
  Request& request = requests_[port];
  request.felt = {"", strong * options_.rumble, weak * options_.rumble, how_long};
  request.shaken = players_of(port);
  for (const auto& [id, unit] : request.shaken) tell(Felt{unit, request.felt.strong, request.felt.weak, how_long, id});
}

void RoomSession::pulse(int port, int times) {
  constexpr double strength = 0.6;
  constexpr Duration a_moment{120'000};
  for (const auto& [id, unit] : players_of(port))
    for (int pulse = 0; pulse < times; ++pulse) tell(Felt{unit, strength, strength, a_moment, id});
}

void RoomSession::light(int port, std::optional<std::uint32_t> which) {
  constexpr int leds = 4;
  constexpr std::uint32_t all = (1U << leds) - 1;
  Request& request = requests_[port];
  request.is_lit = true;
  request.lit = which.value_or(leds_of(port, leds)) & all;
  request.shown = players_of(port);
  for (const auto& [id, unit] : request.shown) tell(Lit{unit, request.lit, id});
}

/// A unit that joins a port takes over its endless rumble and its LEDs.
void RoomSession::tell_newcomers() {
  for (auto& [port, request] : requests_) {
    const Players playing = players_of(port);
    const bool shakes = request.felt.how_long == Duration{0} && (request.felt.strong > 0 || request.felt.weak > 0);
    for (const auto& [id, unit] : playing) {
      if (shakes && !request.shaken.contains(id))
        tell(Felt{unit, request.felt.strong, request.felt.weak, Duration{0}, id});
      if (request.is_lit && !request.shown.contains(id)) tell(Lit{unit, request.lit, id});
    }
    request.shaken = request.shown = playing;
  }
}

}  // namespace
}  // namespace omnipar::inline abi_0::play

namespace omnipar::inline abi_0 {

tl::expected<Session, Diagnostics> Session::open_room(SessionOptions options, Room room) {
  if (!room.lines)
    return tl::unexpected(Diagnostics{
        {"no-lines", Severity::error, "the room has no events", room.name, "use lines_of to create them from text"}});
  options.profile = play::with_exit_hotkeys(std::move(options.profile));
  const auto plan = compile(options.catalogue, options.profile);
  if (!plan) return tl::unexpected(plan.error());
  return Impl::session(std::make_unique<play::RoomSession>(*plan, std::move(options), std::move(room)));
}

Lines lines_of(std::string text) {
  return [text = std::move(text),
          from = std::size_t{0}]() mutable -> tl::expected<std::optional<std::string>, Diagnostic> {
    if (from >= text.size()) return std::nullopt;
    const std::size_t end = std::min(text.find('\n', from), text.size());
    std::string line = text.substr(from, end - from);
    from = end + 1;
    return line;
  };
}

}  // namespace omnipar::inline abi_0
