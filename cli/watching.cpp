#include "watching.hpp"

#include <algorithm>
#include <utility>

#include <fmt/format.h>

#include "command.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/session_words.hpp"
#include "omnipar/unit.hpp"

namespace omnipar::cli {
namespace {

constexpr std::string_view no_machine = "none";

/// True if the terminal also receives the keys of this node.
bool types(const Description& node) {
  return std::ranges::any_of(node.codes, [](const CodeRange& range) {
    constexpr std::uint16_t first_button = 0x100;  // KEY_MAX of keyboards; buttons follow
    return range.code.type == ev_key && range.code.number < first_button;
  });
}

/// Events that are visible in the view need no message.
bool is_worth_a_note(const SessionEvent& event) {
  return !std::holds_alternative<NoUse>(event) && !std::holds_alternative<NoSeat>(event) &&
         !std::holds_alternative<Idle>(event);
}

}  // namespace

void watch_units_only(SessionOptions& options) {
  options.catalogue.systems.push_back({std::string{no_machine}, "no machine", 60'000, {}, {}});
  options.profile = {};
  options.profile.system = no_machine;
}

Watching::Watching(WatchingOptions& run_options)
    : catalogue_(run_options.session.catalogue),
      profile_(run_options.session.profile),
      seen_(catalogue_),
      wants_ticks_(run_options.ticks),
      players_(run_options.players),
      on_units_(std::move(run_options.on_units)),
      on_report_(std::move(run_options.on_report)),
      on_event_(std::move(run_options.on_event)) {}

tl::expected<std::unique_ptr<Watching>, Diagnostics> Watching::open(WatchingOptions run_options) {
  std::unique_ptr<Watching> made{new Watching{run_options}};
  Watching* self = made.get();
  run_options.session.on_event = [self](const SessionEvent& event) { self->on_event(event); };
  run_options.session.on_report = [self](int node, const Report& report) { self->on_report(node, report); };
  if (run_options.room)
    run_options.room->on_trace_event = [self](const TraceEvent& event, const Description&) {
      if (event.action != TraceAction::report) self->units_are_new_ = self->is_busy_ = true;
    };
  auto session = run_options.room ? Session::open_room(std::move(run_options.session), std::move(*run_options.room))
                                  : Session::open(std::move(run_options.session));
  if (!session) return tl::unexpected(session.error());
  made->session_.emplace(std::move(*session));
  made->reader_.emplace(made->session_->engine());
  made->profile_ = made->session_->profile();
  made->plan_is(made->session_->plan());
  if (run_options.samples) made->samples_ = sample_view(made->session_->plan(), run_options.samples);
  made->sampled_ = made->session_->now();
  return made;
}

void Watching::plan_is(const Plan& plan) {
  seen_.set_plan(plan);
  links_ = inspect::links(catalogue_, profile_);
  if (!wants_ticks_) return;
  inspect::TickOff ticks{plan, seen_, players_};
  if (ticks_) ticks.carry_over(*ticks_);
  ticks_ = std::move(ticks);
}

// -- what comes -----------------------------------------------------------------------------------------------

void Watching::on_event(const SessionEvent& event) {
  units_are_new_ = is_busy_ = changed_ = true;
  if (on_event_) on_event_(event);
  if (!session_) return;
  if (samples_) samples_->on_event(event, session_->now());
  if (const auto* fired = std::get_if<HotkeyFired>(&event)) exits_ = exits_ || fired->action == exit_action;
  if (const auto* swapped = std::get_if<Swapped>(&event)) {
    profile_ = session_->profile();
    plan_is(swapped->plan);
  }
  if (const auto* seated = std::get_if<Seated>(&event); seated != nullptr && !seated->again)
    tick_what_seats(seated->seat);
  if (const auto* grabbed = std::get_if<GrabbedElsewhere>(&event))
    grabbed_[grabbed->node] = grabbed->opener.empty() ? "another program" : grabbed->opener;
  if (const auto* ended = std::get_if<GrabEnded>(&event)) grabbed_.erase(ended->node);
  const std::string words = to_text(event, *session_);
  if (words.empty() || !is_worth_a_note(event)) return;
  if (say_) say_(words);
  for (std::size_t from = 0; from < words.size();) {
    const std::size_t end = std::min(words.find('\n', from), words.size());
    notes_.push_back(words.substr(from, end - from));
    from = end + 1;
  }
  constexpr std::size_t most = 8;
  if (notes_.size() > most) notes_.erase(notes_.begin(), notes_.end() - most);
}

/// The machine does not receive the press that claims a seat, but it counts as tested.
void Watching::tick_what_seats(const std::string& seat) {
  const auto press = ticks_ ? seen_.last_press() : std::nullopt;
  if (!press) return;
  std::string source = press->role;
  if (role_kind(source) == RoleKind::dpad)
    source += press->x < 0 ? "-left" : press->x > 0 ? "-right" : press->y < 0 ? "-up" : "-down";
  for (const inspect::Link& link : links_)
    if (link.seat == seat && link.port != 0 && inspect::concerns(link.source, source)) {
      const bool is_direction = source != press->role;
      ticks_->tick(link.port, is_direction ? source.substr(press->role.size() + 1) : link.target);
    }
  changed_ = true;
}

void Watching::on_report(int node, const Report& report) {
  if (std::exchange(units_are_new_, false)) look_at_units();
  is_busy_ = true;
  seen_.feed(node, report);
  if (on_report_) on_report_(node, report);
  const auto typing = types_.find(node);
  if (typing != types_.end() && typing->second) typed_at_ = session_->now();
}

void Watching::look_at_units() {
  const std::vector<UnitDetails> units = session_->unit_details();
  types_.clear();
  std::map<int, std::string> grabbed;
  for (const UnitDetails& unit : units)
    for (const UnitDetails::Node& node : unit.nodes) {
      types_[node.number] = types(node.description);
      if (const auto by = grabbed_.find(node.description.node); by != grabbed_.end()) grabbed[node.number] = by->second;
    }
  seen_.set_units(units, grabbed);
  if (on_units_) on_units_(units);
}

bool Watching::is_typed_on(Duration within) const { return typed_at_ && session_->now() - *typed_at_ < within; }

// -- time -----------------------------------------------------------------------------------------------------

Time Watching::next_frame(Time after) const {
  const Duration frame = session_->plan().frame();
  return Time{(after.time_since_epoch() / frame + 1) * frame};
}

std::optional<Time> Watching::next_due() const {
  const auto due = session_->next_due();
  if (!is_busy_) return due;
  const Time next = next_frame(sampled_);
  return due ? std::min(*due, next) : next;
}

void Watching::sample(Time time) {
  sampled_ = time;
  const bool new_units = std::exchange(units_are_new_, false);
  if (new_units) look_at_units();
  reader_->next_frame();
  const bool different = seen_.look(*reader_) || new_units;
  if (different && ticks_) ticks_->update(seen_);
  if (samples_) samples_->frame(time, *reader_);
  changed_ = changed_ || different || seen_changes_ != seen_.changes();
  seen_changes_ = seen_.changes();
  // A press and its release may take one sample each.
  is_busy_ = !reader_->changed().empty() || seen_.is_moving();
}

void Watching::process(Time now) {
  session_->process();
  if (session_->next_due().value_or(latest_time) <= next_frame(now)) is_busy_ = true;
  if (is_busy_ && now >= next_frame(sampled_)) sample(now);
}

void Watching::run(Time until) {
  while (!is_over()) {
    const Time next = next_frame(sampled_);
    const Time end = std::min(next, until);
    while (!is_over() && session_->wait(end)) session_->process();
    if (session_->failure()) return;
    session_->process();
    if (next > until) return;
    sample(next);
    // Frames in which nothing can change are skipped.
    const auto due = session_->next_due();
    if (!is_busy_ && (!due || *due > next)) {
      const Duration frame = session_->plan().frame();
      const Time last = std::min(due.value_or(until), until);
      if (last > next) sampled_ = std::max(next, Time{(last.time_since_epoch() - Duration{1}) / frame * frame});
    }
    if (session_->now() >= until) return;
  }
}

// -- what is shown --------------------------------------------------------------------------------------------

view::Page Watching::page() const {
  view::Page page;
  const bool plays = !seen_.ports().empty();
  page.title = profile_.name.starts_with(profile_.system) ? profile_.name
                                                          : fmt::format("{} on {}", profile_.name, profile_.system);
  if (!plays) page.title = "units, without a profile";
  if (auto press = seen_.last_press()) {
    // It may have been the press that claimed the seat.
    for (const inspect::SeenUnit& unit : seen_.units())
      if (unit.name == press->unit) press->seat = unit.seat;
    std::function<std::vector<inspect::Stop>()> stops;
    if (plays) stops = [&] { return inspect::stops(catalogue_, profile_, press->role); };
    page.press = view::press_words(*press, links_, stops);
  }
  page.notes = notes_;
  page.ticks = ticks_ ? &*ticks_ : nullptr;
  return page;
}

void Watching::print_messages() {
  if (!ticks_) return;
  const auto& ports = ticks_->ports();
  told_complete_.resize(ports.size());
  for (std::size_t p = 0; p < ports.size(); ++p)
    if (!told_complete_[p] && ports[p].expected() > 0 && ports[p].ticked() == ports[p].expected()) {
      told_complete_[p] = true;
      talk(fmt::format("Player {} is complete.", ports[p].number));
    }
}

nlohmann::ordered_json Watching::seen_json() const {
  auto units = nlohmann::ordered_json::array();
  for (const inspect::SeenUnit& unit : seen_.units()) {
    auto controls = nlohmann::ordered_json::array();
    for (const inspect::SeenControl& control : unit.controls) {
      if (!control.is_known && !control.has_reported) continue;
      const bool pair = control.kind == RoleKind::stick || control.kind == RoleKind::dpad ||
                        control.kind == RoleKind::pointer || control.kind == RoleKind::movement;
      nlohmann::ordered_json one{{"role", control.role}, {"code", control.codes()}, {"lit", control.is_lit()}};
      one["raw"] = pair ? nlohmann::ordered_json{control.raw_x, control.raw_y} : nlohmann::ordered_json(control.raw_x);
      if (control.odd != inspect::Oddity::none) one["odd"] = word_of(control.odd);
      controls.push_back(std::move(one));
    }
    units.push_back({{"unit", unit.name}, {"seat", unit.seat}, {"plays", unit.plays}, {"controls", controls}});
    if (!unit.grabbed_by.empty()) units.back()["grabbed_by"] = unit.grabbed_by;
  }
  auto ports = nlohmann::ordered_json::array();
  for (const inspect::SeenPort& port : seen_.ports()) {
    auto targets = nlohmann::ordered_json::array();
    for (const inspect::SeenTarget& target : port.targets) {
      targets.push_back({{"target", target.name},
                         {"lit", target.lit},
                         {"native", target.native.size() == 1 ? nlohmann::ordered_json(target.native[0])
                                                              : nlohmann::ordered_json(target.native)}});
      for (const inspect::SeenPoint& shot : target.shots)
        targets.back()["shots"].push_back({{"x", shot.x}, {"y", shot.y}, {"on", shot.on}});
    }
    ports.push_back({{"port", port.number}, {"seat", port.seat}, {"targets", targets}});
  }
  return {{"units", units}, {"ports", ports}};
}

nlohmann::ordered_json Watching::ticks_json() const {
  auto players = nlohmann::ordered_json::array();
  for (const inspect::TickedPort& port : ticks_->ports()) {
    auto targets = nlohmann::ordered_json::array();
    for (const inspect::TickedTarget& target : port.targets) {
      nlohmann::ordered_json one{
          {"target", target.name}, {"bound", target.bound}, {"ticked", !target.is_open() && target.bound}};
      if (target.kind == TargetKind::button) one["presses"] = target.presses;
      targets.push_back(std::move(one));
    }
    players.push_back({{"port", port.number},
                       {"seat", port.seat},
                       {"there", port.was_played},
                       {"complete", port.ticked() == port.expected()},
                       {"open", port.open()},
                       {"targets", targets}});
  }
  return {{"complete", ticks_->complete()}, {"lost", session_->stats().losses}, {"players", players}};
}

}  // namespace omnipar::cli
