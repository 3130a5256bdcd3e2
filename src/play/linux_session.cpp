// A session with the units connected to this computer.
#include <algorithm>
#include <set>
#include <utility>

#include "base/earlier.hpp"
#include "host/look.hpp"
#include "omnipar/identity.hpp"
#include "outlet/outlets.hpp"
#include "play/at_ports.hpp"
#include "play/desktop_keys.hpp"
#include "play/grabs.hpp"
#include "play/device_monitor.hpp"
#include "play/hotkeys.hpp"
#include "play/lights.hpp"
#include "play/rumble.hpp"
#include "play/session_impl.hpp"
#include "play/spread.hpp"

namespace omnipar::inline abi_0::play {
namespace {

class LinuxSession final : public Session::Impl {
 public:
  LinuxSession(os::Door& door, const Plan& plan, SessionOptions options)
      : Impl(plan, std::move(options)),
        door_(door),
        monitor_(door, options_.catalogue, options_.with_virtual),
        nodes_(monitor_.nodes()),
        grabs_(nodes_, [this](const SessionEvent& event) { tell(event); }),
        rumble_(nodes_, options_.rumble),
        lights_(nodes_) {
    nodes_.say_to([this](const std::string& words) { tell(Remark{words}); });
    if (options_.accepts) nodes_.only(options_.accepts);
    nodes_.left_to_another([this](const std::string& unit, const std::string& opener) {
      tell(LeftToAnother{unit, opener});
    });
    if (grabs()) nodes_.claim_units();
    table_.nodes_come_within(std::chrono::seconds{2});
    if (options_.grab_idle) nodes_.grab_all(true);
  }

  ~LinuxSession() override { close(); }

  [[nodiscard]] std::optional<Diagnostic> begin();

  int descriptor() override;
  bool wait(Time until) override;
  void process() override;
  [[nodiscard]] std::optional<Time> next_due() const override;
  [[nodiscard]] Time now() const override { return door_.now(); }
  void rumble(int port, double strong, double weak, Duration how_long) override;
  void pulse(int port, int times) override;
  void light(int port, std::optional<std::uint32_t> which) override { lights_.set(port, which); }
  void grab_only(const std::vector<int>& nodes) override;
  bool also_wait_for(int other) override;
  [[nodiscard]] bool is_ready(int other) const noexcept override {
    return std::ranges::find(ready_others_, other) != ready_others_.end();
  }
  [[nodiscard]] bool waits_for_release() const override { return nodes_.waits_for_release(); }
  [[nodiscard]] std::vector<NodeHere> nodes() const override;
  [[nodiscard]] std::vector<VirtualDeviceHere> virtual_devices() const override;
  [[nodiscard]] int helper() const noexcept override { return outlets_ ? outlets_->keeper().process() : -1; }
  [[nodiscard]] SessionStats stats() const override;
  void end() override;
  void close() override;

 private:
  [[nodiscard]] bool grabs() const noexcept { return options_.grab || options_.grab_idle || options_.virtual_devices; }

  // -- units
  void meet();
  void open(const host::NodePath& where);
  void arrive(int node);
  void leave(int node);
  void look_who_plays();
  [[nodiscard]] std::vector<host::NodePart> players_of(int port) const;

  // -- input
  void ready(Ready ready);
  void process_reports();
  void process_changes();
  void process_signals();
  void look_for_others();
  void claim_seats();
  void arm_timer();

  // -- output
  [[nodiscard]] std::optional<Diagnostic> begin_virtual();
  [[nodiscard]] int number_of_play() const;
  [[nodiscard]] std::optional<Diagnostic> wait_for_devices();
  void show() override { flush(door_.now()); }
  void turned() override;
  void adopted() override;
  void settle() override {
    look_who_plays();
    arm_timer();
  }
  bool flush(Time now);
  /// When more of the current state can be shown; nothing if all is shown.
  [[nodiscard]] std::optional<Time> shown_whole() const;
  void shake();
  void replace_keeper();

  struct Settings {
    Asker asker;
    std::vector<outlet::ForceRequest> requests;
  };

  os::Door& door_;
  std::optional<outlet::Outlets> outlets_;
  std::optional<DesktopKeys> desktop_keys_;
  DeviceMonitor monitor_;
  host::Nodes& nodes_;
  Grabs grabs_;
  Rumble rumble_;
  Lights lights_;
  os::Descriptor timer_;
  std::optional<Time> armed_;
  bool timer_rang_ = false;  ///< readable until it is set again
  std::vector<int> ready_others_;
  std::size_t waited_devices_ = 0;  ///< the number of virtual devices in the waiter
  std::set<std::string> announced_;
  const DeviceMonitor::Other takes_other_ = [this](Ready what) { ready(what); };
  bool met_ = false;     ///< the nodes present at the start
  bool looked_ = false;  ///< the last wait's results have not been processed yet
  bool keeper_is_gone_ = false;
  Time now_{};                      ///< of the wake-up
  std::vector<Settings> requests_;  ///< requests of games, answered but not yet carried out
  SessionStats stats_;
  Spread in_to_out_;
  std::optional<Time> look_again_;  ///< for checking what other programs have grabbed
  bool nodes_have_changed_ = false;
  bool told_no_permission_ = false;
  bool told_loss_ = false;
  bool closed_ = false;
};

// -- the beginning --------------------------------------------------------------------------------------------

std::optional<Diagnostic> LinuxSession::begin() {
  engine_.advance(door_.now());
  if (auto failure = monitor_.begin(options_.signals)) return failure;
  return options_.virtual_devices ? begin_virtual() : std::nullopt;
}

std::optional<Diagnostic> LinuxSession::begin_virtual() {
  if (auto failure = outlet::VirtualDevice::check(door_)) return failure;
  outlets_.emplace(door_, engine_, reader_, options_.profile.off_screen);
  desktop_keys_.emplace(nodes_, table_, *outlets_);
  if (auto failure = outlets_->start(number_of_play())) return failure;
  if (auto failure = monitor_.waiter().also(outlets_->keeper().descriptor(), {Waited::keeper})) return failure;
  return wait_for_devices();
}

/// Other sessions may be playing with other units; their devices have distinct names.
int LinuxSession::number_of_play() const {
  const auto others = host::models_named(door_, "Omnipar port");
  const auto is_taken = [&](int play) {
    const std::string end = " (" + std::to_string(play) + ")";
    return std::ranges::any_of(others, [&](const host::ModelFact& other) {
      return play > 1 ? other.name.ends_with(end) : !other.name.ends_with(')');
    });
  };
  int play = 1;
  while (is_taken(play)) ++play;
  return play;
}

std::optional<Diagnostic> LinuxSession::wait_for_devices() {
  for (; waited_devices_ < outlets_->devices().size(); ++waited_devices_)
    if (auto failure = monitor_.waiter().also(outlets_->devices()[waited_devices_].descriptor(),
                                              {Waited::device, waited_devices_}))
      return failure;
  return std::nullopt;
}

void LinuxSession::meet() {
  met_ = true;
  for (const host::NodePath& where : monitor_.watch().present()) open(where);
}

// -- units ----------------------------------------------------------------------------------------------------

void LinuxSession::open(const host::NodePath& where) {
  look_again_ = now_;
  if (const auto node = nodes_.open(where)) {
    grabs_.look_at(*node);
    if (options_.grab_idle) grabs_.set({}, false, now_);
    arrive(*node);
  }
  if (nodes_.met_a_closed_door() && !std::exchange(told_no_permission_, true)) tell(NoPermission{});
}

void LinuxSession::arrive(int node) {
  nodes_have_changed_ = true;
  if (auto failure = monitor_.watch_node(node)) return fail(std::move(*failure));
  // A keeper that accepts none has ended, and is replaced.
  if (outlets_)
    for (const auto& report : nodes_.last_words(node))
      outlets_->keeper().give_last_word(node, nodes_.descriptor(node), report);
  if (options_.on_node) options_.on_node(node, &nodes_.description(node), door_.now());
  if (!ended_) table_.arrive(node, nodes_.description(node));
}

void LinuxSession::leave(int node) {
  nodes_have_changed_ = true;
  grabs_.forget(node);
  if (outlets_) outlets_->keeper().forget(node);
  if (desktop_keys_) desktop_keys_->forget(node);
  rumble_.forget(node);
  if (options_.on_node) options_.on_node(node, nullptr, door_.now());
  table_.leave(node);
}

std::vector<host::NodePart> LinuxSession::players_of(int port) const {
  const PortInfo* info = engine_.plan().port(port);
  return info == nullptr ? std::vector<host::NodePart>{} : parts_at(*info, table_, nodes_);
}

void LinuxSession::look_who_plays() {
  if (!std::exchange(seats_have_changed_, false)) return;
  nodes_have_changed_ = true;
  look_again_ = now_;  // units no longer in play are not grabbed
  const std::vector<int> playing = table_.playing_nodes();
  if (grabs()) grabs_.set(playing, engine_.frozen(), now_);
  if (grabs()) claim_seats();
  for (const int node : playing) {
    if (!desktop_keys_) break;
    auto failure = desktop_keys_->find(node);
    if (!failure) failure = wait_for_devices();
    if (failure) return fail(std::move(*failure));
  }
  lights_.seat(parts_at_ports(engine_.plan(), table_, nodes_));
  for (const PortInfo& port : engine_.plan().ports()) rumble_.move(port.number, players_of(port.number));
}

/// Disconnected units keep their claim against other sessions.
void LinuxSession::claim_seats() {
  const auto units = table_.unit_details();
  for (const bool seated : {false, true})  // one of two identical units may be seated
    for (const UnitDetails& unit : units)
      for (const UnitDetails::Node& node : unit.nodes)
        if (unit.here.seat.empty() != seated) seated ? nodes_.claim(node.number) : nodes_.give_up(node.number);
}

std::vector<NodeHere> LinuxSession::nodes() const {
  std::vector<NodeHere> nodes;
  const std::vector<int> playing = table_.playing_nodes();
  for (const host::NodePath& where : monitor_.watch().present()) {
    const auto node = nodes_.number_of(where.path);
    if (!node) continue;
    nodes.push_back({where.path, where.syspath, std::ranges::find(playing, *node) != playing.end(),
                     is_controller(nodes_.description(*node))});
  }
  return nodes;
}

void LinuxSession::grab_only(const std::vector<int>& nodes) {
  nodes_.grab_all(false);
  for (const host::NodePath& where : monitor_.watch().present())
    if (const auto node = nodes_.number_of(where.path))
      nodes_.grab(*node, std::ranges::find(nodes, *node) != nodes.end());
  grabs_.set(table_.playing_nodes(), engine_.frozen(), now_);
}

// -- waiting --------------------------------------------------------------------------------------------------

int LinuxSession::descriptor() {
  if (timer_ || closed_) return closed_ ? -1 : monitor_.waiter().descriptor();
  os::Descriptor timer{door_, door_.make_timer()};
  if (!timer || monitor_.waiter().also(timer.get(), {Waited::timer})) return -1;
  timer_ = std::move(timer);
  arm_timer();
  return monitor_.waiter().descriptor();
}

void LinuxSession::arm_timer() {
  if (!timer_) return;
  const auto due = met_ ? next_due() : std::optional{now()};
  if (due == std::exchange(armed_, due) && !std::exchange(timer_rang_, false)) return;
  timer_rang_ = false;
  if (door_.set_timer(timer_.get(), due ? &*due : nullptr) < 0) fail(Waiter::failure());
}

std::optional<Time> LinuxSession::shown_whole() const {
  return earlier(reader_.next_due(), outlets_ ? outlets_->next_due() : std::nullopt);
}

std::optional<Time> LinuxSession::next_due() const {
  return earlier(earlier(earlier(due(), shown_whole()), earlier(nodes_.next_due(), grabs_.next_due())), look_again_);
}

bool LinuxSession::wait(Time until) {
  if (failure() || closed_) return false;
  if (!met_) return true;
  keeper_is_gone_ = false;
  ready_others_.clear();
  const Time end = std::min(until, next_due().value_or(until));
  const bool has_end = end < latest_time;  // a timer that never expires costs as much as any other
  looked_ = monitor_.wait(has_end ? std::optional{end} : std::nullopt, takes_other_);
  if (!looked_) fail(Waiter::failure());
  return looked_ && (monitor_.waiter().anything_came() || end < until);
}

bool LinuxSession::also_wait_for(int other) {
  return !monitor_.waiter().also(other, {Waited::other, static_cast<std::size_t>(other)});
}

/// Rumble requests of games are answered first of all.
void LinuxSession::ready(Ready what) {
  if (what.what == Waited::keeper) keeper_is_gone_ = true;
  if (what.what == Waited::timer) timer_rang_ = true;
  if (what.what == Waited::other) ready_others_.push_back(static_cast<int>(what.which));
  if (what.what != Waited::device || !outlets_) return;
  const outlet::VirtualDevice& device = outlets_->devices()[what.which];
  requests_.push_back({{device.key().port, device.key().form}, {}});
  outlet::answer(door_, device.descriptor(), requests_.back().requests);
}

void LinuxSession::process() {
  if (closed_) return;
  if (!met_) meet();
  if (!looked_) static_cast<void>(wait(at_us(0)));
  looked_ = false;
  ++stats_.wake_ups;
  process_reports();
  look_who_plays();
  if (grabs()) grabs_.insist(now_);
  if (!requests_.empty()) shake();
  act();
  if (monitor_.has_node_events()) process_changes();
  look_for_others();
  look_who_plays();
  if (keeper_is_gone_ && !ended_) replace_keeper();
  if (monitor_.has_signals()) process_signals();
  if (std::exchange(nodes_have_changed_, false)) tell(NodesChanged{});
  arm_timer();
}

void LinuxSession::process_reports() {
  now_ = door_.now();
  const auto& batch = nodes_.drain(now_);
  if (ended_) {
    for (const int node : batch.gone) leave(node);
    return static_cast<void>(flush(now_));
  }
  bool any_out = false;
  std::uint64_t spoke = 0;  // one bit per node; two that share a bit cost no more than a report
  for (std::size_t i = 0; i < batch.said.size(); ++i) {
    const std::uint64_t bit = std::uint64_t{1} << (static_cast<unsigned>(batch.said.node(i)) % 64);
    // Consecutive reports of one unit are written one by one.
    if ((spoke & bit) != 0) any_out = flush(engine_.now()) || any_out;
    spoke |= bit;
    feed(batch.said.node(i), batch.said[i]);
    if (desktop_keys_) desktop_keys_->pass_on(batch.said.node(i), batch.said[i].changes);
  }
  for (const int node : batch.gone) leave(node);
  for (const int node : batch.come) arrive(node);
  table_.advance(now_);
  engine_.advance(now_);
  stats_.reports += batch.said.size();
  if (nodes_.has_news_of_loss() && !told_loss_) {
    told_loss_ = true;
    tell(LostEvents{});
  }
  any_out = flush(now_) || any_out;
  if (!any_out || !options_.measures) return;
  const Time out = door_.now();
  for (std::size_t i = 0; i < batch.said.size(); ++i) in_to_out_.add(out - batch.said[i].time);
}

void LinuxSession::process_changes() {
  while (const auto event = monitor_.next_node_event()) {
    const bool ours = outlets_ && std::ranges::find(outlets_->devices(), event->where.path,
                                                    &outlet::VirtualDevice::node) != outlets_->devices().end();
    if (ours && event->came)
      announced_.insert(event->where.path);
    else if (event->came && !ended_)
      open(event->where);
    else if (const auto node = event->came ? std::nullopt : nodes_.close(event->where.path))
      leave(*node);
  }
  show();
}

/// Other programs can grab and release units at any time without notice, so this is polled; so are units in use by
/// another session.
void LinuxSession::look_for_others() {
  if (!look_again_ || now_ < *look_again_ || ended_) return;
  const auto left = nodes_.left();
  for (const host::NodePath& where : left) open(where);  // restarts the interval
  const std::vector<int> shared = nodes_.not_grabbed();
  for (const int node : shared) grabs_.look_at(node);
  constexpr Duration pause = std::chrono::seconds{1};
  look_again_ = left.empty() && shared.empty() ? std::nullopt : std::optional{now_ + pause};
}

void LinuxSession::process_signals() {
  while (const auto caught = monitor_.next_signal()) tell(SignalCaught{caught->number, caught->from_terminal});
}

// -- output ---------------------------------------------------------------------------------------------------

/// Returns true if anything was written.
bool LinuxSession::flush(Time now) {
  catch_up(now);
  return outlets_ && outlets_->flush(std::max(now, engine_.now()));
}

void LinuxSession::turned() {
  engine_.frozen() ? rumble_.freeze() : rumble_.thaw();
  seats_have_changed_ = true;
}

void LinuxSession::adopted() {
  if (!outlets_) return;
  auto failure = outlets_->route_anew();
  if (!failure) failure = wait_for_devices();
  if (failure) fail(std::move(*failure));
}

/// Motors may be slow; the request has been answered already.
void LinuxSession::shake() {
  for (const Settings& request : requests_)
    rumble_.process(request.asker, request.requests, players_of(request.asker.port));
  requests_.clear();
}

void LinuxSession::rumble(int port, double strong, double weak, Duration how_long) {
  const auto magnitude = [](double part) { return static_cast<std::uint16_t>(part * 65535); };
  constexpr std::int64_t longest = 32'000;
  outlet::ForceRequest hold, play{outlet::ForceKind::play};
  hold.what.type = FF_RUMBLE;
  hold.what.u.rumble = {magnitude(strong), magnitude(weak)};
  const auto ms = std::chrono::ceil<std::chrono::milliseconds>(how_long).count();
  hold.what.replay.length = static_cast<std::uint16_t>(std::clamp<std::int64_t>(ms, 0, longest));
  play.value = strong > 0 || weak > 0 ? 1 : 0;
  rumble_.process({port}, {hold, play}, players_of(port));
}

void LinuxSession::pulse(int port, int times) {
  for (const host::NodePart part : players_of(port)) rumble_.pulse(part, times);
}

void LinuxSession::replace_keeper() {
  if (outlets_->keeper().start_again() < 0 ||
      monitor_.waiter().also(outlets_->keeper().descriptor(), {Waited::keeper}).has_value())
    fail({"no-keeper", Severity::error, "the process that owns the virtual controllers ended and cannot be restarted",
          "", "close other programs and restart Omnipar"});
}

std::vector<VirtualDeviceHere> LinuxSession::virtual_devices() const {
  std::vector<VirtualDeviceHere> devices;
  if (!outlets_) return devices;
  for (const outlet::VirtualDevice& device : outlets_->devices())
    devices.push_back({device.key().port, device.name(), device.node(), announced_.contains(device.node()),
                       outlets_->says_off_screen(device.key())});
  return devices;
}

SessionStats LinuxSession::stats() const {
  SessionStats stats = stats_;
  if (closed_) return stats;
  stats.losses = nodes_.losses();
  if (outlets_) stats.refused = outlets_->refused();
  stats.measured = in_to_out_.count();
  stats.half = in_to_out_.within(0.5);
  stats.nine_tenths = in_to_out_.within(0.9);
  stats.nearly_all = in_to_out_.within(0.99);
  stats.all = in_to_out_.longest();
  return stats;
}

// -- the end --------------------------------------------------------------------------------------------------

void LinuxSession::end() {
  if (std::exchange(ended_, true)) return;
  engine_.freeze();
  table_.release_all();  // hotkeys, too
  rumble_.freeze();
  show();
  // A device that still rejects its last report is left to the keeper.
  constexpr Duration patience = std::chrono::seconds{1};
  const Time until = door_.now() + patience;
  for (auto due = shown_whole(); due && *due < until && !failure(); due = shown_whole()) {
    while (door_.now() < *due && !failure()) {
      static_cast<void>(wait(*due));
      process();
    }
    show();
  }
}

void LinuxSession::close() {
  if (closed_) return;
  end();
  stats_ = stats();
  closed_ = true;
  if (outlets_) outlets_->keeper().close();
  desktop_keys_.reset();
  outlets_.reset();
  timer_.reset();
  // Last, because closing a unit can block until its driver has responded.
  monitor_.give_back([this] { tell(AwaitsRelease{}); }, takes_other_, [this](int node) { leave(node); });
}

}  // namespace

tl::expected<Session, Diagnostics> open_session(os::Door& door, SessionOptions options) {
  options.profile = with_exit_hotkeys(std::move(options.profile));
  const auto plan = compile(options.catalogue, options.profile);
  if (!plan) return tl::unexpected(plan.error());
  auto session = std::make_unique<LinuxSession>(door, *plan, std::move(options));
  if (auto failure = session->begin()) return tl::unexpected(Diagnostics{std::move(*failure)});
  return Session::Impl::session(std::move(session));
}

}  // namespace omnipar::inline abi_0::play
