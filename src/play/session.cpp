#include <algorithm>
#include <utility>

#include "base/earlier.hpp"
#include "play/hotkeys.hpp"
#include "play/session_impl.hpp"

namespace omnipar::inline abi_0 {

// -- common to all sessions ----------------------------------------------------------------------------------

Session::Impl::Impl(const Plan& plan, SessionOptions options)
    : options_(std::move(options)),
      engine_(plan),
      reader_(engine_, shortest_press(plan)),
      table_(engine_, options_.catalogue, options_.rig, [this](const SessionEvent& event) {
        seats_have_changed_ =
            seats_have_changed_ || std::holds_alternative<Seated>(event) || std::holds_alternative<LeftSeat>(event);
        tell(event);
      }) {
  options_.rumble = options_.rumble > 0 ? std::min(options_.rumble, 1.0) : 0;
  if (options_.ranges_by_use) table_.find_ranges_by_use();
  hear_hotkeys();
}

void Session::Impl::hear_hotkeys() {
  const PortInfo* port = engine_.plan().port(0);
  first_hotkey_ = port == nullptr ? std::uint16_t{0} : port->first_target;
  hotkeys_ = port == nullptr ? std::uint16_t{0} : port->target_count;
  fired_.clear();
  constexpr std::size_t enough_for_a_wake_up = 64;
  fired_.reserve(enough_for_a_wake_up);
}

void Session::Impl::tell(const SessionEvent& event) {
  if (options_.on_event) return options_.on_event(event);
  constexpr std::size_t most = 1024;
  if (events_.size() == most) events_.pop_front();
  events_.push_back(event);
}

std::optional<SessionEvent> Session::Impl::next_event() {
  if (events_.empty()) return std::nullopt;
  std::optional<SessionEvent> event{std::move(events_.front())};
  events_.pop_front();
  return event;
}

void Session::Impl::fail(Diagnostic why) {
  if (!failure_) failure_ = std::move(why);
}

void Session::Impl::catch_up(Time now) noexcept {
  reader_.catch_up(std::max(now, engine_.now()));
  if (hotkeys_ == 0) return;
  for (const TargetPlace target : reader_.changed()) {
    const unsigned hotkey = unsigned{target.number} - first_hotkey_;
    if (hotkey < hotkeys_ && reader_.value(target) != 0 && fired_.size() < fired_.capacity())
      fired_.push_back(target.number);
  }
}

void Session::Impl::act() {
  if (fired_.empty()) return;
  std::vector<std::string> fired;
  if (ended_) return fired_.clear();
  for (const std::uint16_t target : fired_) fired.emplace_back(engine_.plan().targets()[target].name);
  fired_.clear();
  for (const std::string& action : fired) tell(HotkeyFired{action});
  for (auto swaps = std::ranges::count(fired, play::swap_action); swaps > 0; --swaps) swap_ports();
  if (std::ranges::count(fired, play::leave_action) > 0) let_holders_leave();
  if (std::ranges::count(fired, play::freeze_action) % 2 != 0) engine_.frozen() ? thaw() : freeze();
}

void Session::Impl::freeze() {
  if (ended_ || engine_.frozen()) return;
  engine_.freeze();
  show();
  turned();
  tell(Froze{true});
  settle();
}

void Session::Impl::thaw() {
  if (ended_ || !engine_.frozen()) return;
  engine_.thaw();
  show();  // sticks are shown in their physical position
  turned();
  tell(Froze{false});
  settle();
}

void Session::Impl::swap_ports() {
  if (ended_) return;
  const Plan before = engine_.plan();
  const auto plan = play::swapped_plan(options_.catalogue, options_.profile);
  if (!plan) {
    Diagnostic why = plan.error().front();
    why.message = "the ports are unchanged: " + why.message;
    return tell(Refused{std::move(why)});
  }
  engine_.adopt(*plan);
  hear_hotkeys();
  adopted();
  show();
  std::vector<int> ports;
  for (const PortInfo& port : plan->ports()) {
    const PortInfo* was = before.port(port.number);
    if (port.number != 0 && was != nullptr && was->seat != port.seat && table_.is_played(std::string{port.seat}))
      ports.push_back(port.number);
  }
  seats_have_changed_ = true;
  tell(Swapped{*plan, std::move(ports)});
  settle();
}

std::optional<Diagnostic> Session::Impl::reseat(int unit, const std::string& seat) {
  auto refused = table_.reseat(unit, seat);
  show();
  settle();
  return refused;
}

std::optional<Diagnostic> Session::Impl::leave_seat(int unit) {
  auto refused = table_.leave_seat(unit);
  show();
  settle();
  return refused;
}

bool Session::Impl::restore(std::span<const std::byte> saved) {
  if (ended_ || !engine_.restore(saved)) return false;
  settle();
  return true;
}

/// A hotkey identifies the buttons, not the unit.
void Session::Impl::let_holders_leave() {
  for (const Hotkey& hotkey : options_.profile.hotkeys) {
    if (hotkey.action != play::leave_action) continue;
    for (const int unit : table_.holders(hotkey.modifier, hotkey.press)) static_cast<void>(leave_seat(unit));
  }
}

std::optional<Time> Session::Impl::due() const {
  return earlier(earlier(engine_.next_due(), table_.next_due()), reader_.next_due());
}

// -- the calls ------------------------------------------------------------------------------------------------

Session::Session(std::unique_ptr<Impl> impl) noexcept : impl_(std::move(impl)) {}
Session::Session(Session&&) noexcept = default;
Session& Session::operator=(Session&& other) noexcept {
  if (this == &other) return *this;
  if (impl_) impl_->close();
  impl_ = std::move(other.impl_);
  return *this;
}
Session::~Session() {
  if (impl_) impl_->close();
}

tl::expected<Session, Diagnostics> Session::open(SessionOptions options) {
  return play::open_session(os::real_door(), std::move(options));
}

int Session::descriptor() { return impl_->descriptor(); }
bool Session::wait(Time until) { return impl_->wait(until); }
void Session::process() { impl_->process(); }

bool Session::run_until(Time until) {
  while (!over() && !failure()) {
    const bool more = wait(until);
    process();
    if (!more || now() >= until) break;
  }
  return !over() && !failure();
}

std::optional<Time> Session::next_due() const { return impl_->next_due(); }
Time Session::now() const { return impl_->now(); }
const Engine& Session::engine() const noexcept { return impl_->engine(); }
const Plan& Session::plan() const noexcept { return impl_->engine().plan(); }
const Profile& Session::profile() const noexcept { return impl_->profile(); }
std::vector<Calibration> Session::ranges_by_use() const { return impl_->table().ranges_by_use(); }
const Rig& Session::rig() const noexcept { return impl_->table().rig(); }
std::vector<UnitHere> Session::units() const { return impl_->table().units(); }
std::vector<UnitDetails> Session::unit_details() const { return impl_->table().unit_details(); }
std::vector<std::string> Session::free_seats() const { return impl_->table().free_seats(); }
bool Session::is_played(const std::string& seat) const { return impl_->table().is_played(seat); }
std::optional<SessionEvent> Session::next_event() { return impl_->next_event(); }
void Session::freeze() { impl_->freeze(); }
void Session::thaw() { impl_->thaw(); }
void Session::swap_ports() { impl_->swap_ports(); }
std::optional<Diagnostic> Session::reseat(int unit, const std::string& seat) { return impl_->reseat(unit, seat); }
std::optional<Diagnostic> Session::leave_seat(int unit) { return impl_->leave_seat(unit); }
void Session::await(std::vector<std::string> seats) { impl_->table().await(std::move(seats)); }
std::size_t Session::save_size() const noexcept { return impl_->engine().save_size(); }
bool Session::save(std::span<std::byte> into) const noexcept { return impl_->engine().save(into); }
bool Session::restore(std::span<const std::byte> saved) { return impl_->restore(saved); }
void Session::rumble(int port, double strong, double weak, Duration how_long) {
  const auto part = [](double strength) { return strength > 0 ? std::min(strength, 1.0) : 0; };  // NaN: none
  if (how_long < Duration{0}) return impl_->rumble(port, 0, 0, Duration{0});
  impl_->rumble(port, part(strong), part(weak), how_long);
}
void Session::pulse(int port, int times) { impl_->pulse(port, times); }
void Session::light(int port, std::uint32_t which) { impl_->light(port, which); }
void Session::light_number(int port) { impl_->light(port, std::nullopt); }
void Session::grab_only(const std::vector<int>& nodes) { impl_->grab_only(nodes); }
bool Session::also_wait_for(int other) { return impl_->also_wait_for(other); }
bool Session::is_ready(int other) const noexcept { return impl_->is_ready(other); }
bool Session::waits_for_release() const { return impl_->waits_for_release(); }
std::vector<NodeHere> Session::nodes() const { return impl_->nodes(); }
std::vector<VirtualDeviceHere> Session::virtual_devices() const { return impl_->virtual_devices(); }
int Session::helper() const noexcept { return impl_->helper(); }
SessionStats Session::stats() const { return impl_->stats(); }
const std::optional<Diagnostic>& Session::failure() const noexcept { return impl_->failure(); }
bool Session::over() const noexcept { return impl_->over(); }
void Session::end() { impl_->end(); }
void Session::close() { impl_->close(); }

}  // namespace omnipar::inline abi_0
