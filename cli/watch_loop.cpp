#include "watch_loop.hpp"

#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <memory>
#include <utility>

#include <fmt/format.h>

#include "command.hpp"
#include "style.hpp"

namespace omnipar::cli {
namespace {

constexpr Duration between_drawings{16'667};  // 60 per second

// The characters of Ctrl-C and Ctrl-Z.
constexpr char interrupt = 3, suspend = 26;

}  // namespace

std::string seconds_words(Time time) {
  return fmt::format("{:.3f} s", static_cast<double>(time.time_since_epoch().count()) / 1e6);
}

Time Pace::room(Time now) const {
  if (stands_) return room_;
  return room_ + Duration{static_cast<std::int64_t>(static_cast<double>((now - since_).count()) * speed_)};
}

std::optional<Time> Pace::when(Time room, Time now) const {
  if (stands_) return std::nullopt;
  const double left = static_cast<double>((room - this->room(now)).count()) / speed_;
  return now + Duration{static_cast<std::int64_t>(std::max(0.0, left)) + 1};
}

void Pace::stand(bool still, Time now) {
  room_ = room(now);
  since_ = now;
  stands_ = still;
}

void Pace::go_to(Time room, Time now) {
  room_ = room;
  since_ = now;
}

std::optional<Diagnostic> go_live(const LoopOptions& options, bool json, Live& live) {
  constexpr Duration behind{3'000'000};
  os::Door& door = os::real_door();
  const int stream = json ? 2 : 1;
  std::unique_ptr<view::Terminal> terminal;
  if (auto opened = view::Terminal::open(door, stream, has_colours(stream))) terminal = std::move(*opened);
  if (terminal) return WatchLoop{door, options, live}.run(terminal.get());
  live.say_to(talk);
  if (!options.begin.empty()) talk(options.begin);
  if (!options.is_room) return WatchLoop{door, options, live}.run(nullptr);
  live.run_through(behind);
  return live.session().failure();
}

std::optional<Diagnostic> WatchLoop::run(view::Terminal* terminal) {
  terminal_ = terminal;
  const int here[] = {SIGINT, SIGTERM, SIGHUP, SIGQUIT, SIGTSTP, SIGCONT, SIGWINCH};
  if (!signals_.begin(here))
    return Diagnostic{"no-signals", Severity::error, "cannot receive signals", "", "try again"};
  began_ = door_.now();
  if (options_.is_room) live_.run(at_us(0) + options_.from);
  pace_.emplace(live_.session().now(), began_, options_.speed, options_.step);
  if (terminal_ != nullptr) size_ = terminal_->size();
  process();  // the first drawing includes all connected units
  while (!ends()) {
    draw_when_due();
    if (!wait()) return Diagnostic{"cannot-wait", Severity::error, "cannot wait for input", "", "try again"};
    process();
  }
  return live_.session().failure();
}

bool WatchLoop::ends() const {
  if (ended_ || live_.wants_end() || live_.session().failure()) return true;
  if (options_.at_most && door_.now() - began_ >= *options_.at_most) return true;
  return options_.is_room && terminal_ == nullptr && live_.is_over();
}

Time WatchLoop::due() const {
  const Time now = door_.now();
  Time due = latest_time;
  const auto add = [&due](std::optional<Time> other) { due = std::min(due, other.value_or(due)); };
  const auto next = live_.next_due();
  if (options_.is_room) {
    // The end of the room is not an event.
    Session& session = live_.session();
    if (!live_.is_over()) add(pace_->when(next.value_or(session.now() + session.plan().frame()), now));
  } else {
    add(next);
  }
  if (options_.at_most) add(began_ + *options_.at_most);
  if (dirty_ && terminal_ != nullptr && terminal_->is_idle()) add(drawn_ + between_drawings);
  return due;
}

bool WatchLoop::wait() {
  const Time until = due();
  std::vector<pollfd> descriptors{{signals_.descriptor(), POLLIN, 0}};
  if (!options_.is_room) {
    const int session = live_.session().descriptor();
    if (session < 0) return false;
    descriptors.push_back({session, POLLIN, 0});
  }
  if (terminal_ != nullptr) {
    const short writes = terminal_->is_idle() ? 0 : POLLOUT;
    descriptors.push_back({terminal_->descriptor(), static_cast<short>(POLLIN | writes), 0});
  }
  if (door_.wait(descriptors, until == latest_time ? nullptr : &until) < 0) return false;
  if (terminal_ == nullptr) return true;
  const short ready = descriptors.back().revents;
  if ((ready & POLLOUT) != 0) terminal_->write_on();
  if ((ready & (POLLIN | POLLHUP | POLLERR)) != 0) is_typed_ = true;
  return true;
}

void WatchLoop::process() {
  while (const auto caught = signals_.next()) handle_signal(caught->number);
  const Time now = door_.now();
  if (options_.is_room)
    live_.run(pace_->room(now));
  else
    live_.process(now);
  if (std::exchange(is_typed_, false)) handle_keys();
  dirty_ = live_.has_changed() || dirty_;
  if (options_.prints && !flush_results()) ended_ = true;
  if (terminal_ == nullptr) live_.print_messages();
}

void WatchLoop::handle_signal(int number) {
  switch (number) {
    case SIGWINCH:
      if (terminal_ != nullptr) size_ = terminal_->size();
      dirty_ = true;
      break;
    case SIGTSTP:
      stop();
      break;
    case SIGCONT:
      if (terminal_ != nullptr) {
        terminal_->leave();
        terminal_->come_back();
        size_ = terminal_->size();
      }
      dirty_ = true;
      break;
    default:
      ended_ = true;
  }
}

/// Suspends until SIGCONT.
void WatchLoop::stop() {
  if (terminal_ != nullptr) terminal_->leave();
  static_cast<void>(door_.signal(::getpid(), SIGSTOP));
  if (terminal_ != nullptr) terminal_->come_back();
  dirty_ = true;
}

// -- keys -----------------------------------------------------------------------------------------------------

void WatchLoop::handle_keys() {
  const auto text = terminal_->typed();
  if (!text) {
    ended_ = true;  // the terminal is gone
    return;
  }
  constexpr Duration a_moment{300'000};
  // Keys of a watched unit are not commands, but the user must be able to end from there.
  const bool is_units = !options_.is_room && live_.is_typed_on(a_moment);
  for (const char key : *text) {
    if (is_units && key != interrupt && key != suspend) continue;
    if (is_units && !is_meant(key)) continue;
    press(key);
  }
}

/// On a typing unit, the second one within two seconds is.
bool WatchLoop::is_meant(char key) {
  constexpr Duration soon{2'000'000};
  const Time now = door_.now();
  const bool again = last_control_ == key && now - last_control_at_ < soon;
  last_control_ = key;
  last_control_at_ = now;
  if (!again) hint_ = key == interrupt ? "Press Ctrl-C again to quit." : "Press Ctrl-Z again to suspend.";
  dirty_ = true;
  return again;
}

void WatchLoop::press(char key) {
  const Time now = door_.now();
  dirty_ = true;
  hint_.clear();
  if (live_.press(key)) return;
  switch (key) {
    case interrupt:
    case 'q':
      ended_ = true;
      break;
    case suspend:
      stop();
      break;
    case 'r':
      options_.raw = !options_.raw;
      break;
    case ' ':
      if (options_.is_room) pace_->stand(!pace_->stands(), now);
      break;
    case 'n':
    case '\r':
      if (options_.is_room) step(now);
      break;
    default:
      break;
  }
}

/// Advances to the next event, and to its consequences.
void WatchLoop::step(Time now) {
  pace_->stand(true, now);
  Session& session = live_.session();
  const auto next = session.next_due();
  if (live_.is_over() || !next) return;
  live_.run(*next);
  const Time frame = session.now() + session.plan().frame();
  live_.run(frame);
  pace_->go_to(session.now(), now);
}

// -- what is shown --------------------------------------------------------------------------------------------

void WatchLoop::draw_when_due() {
  if (terminal_ == nullptr || !dirty_ || !terminal_->is_idle()) return;
  const Time now = door_.now();
  if (drawn_ + between_drawings > now) return;
  drawn_ = now;
  dirty_ = false;
  view::Canvas canvas{size_.width, size_.height, view::locale_is_utf8()};
  view::draw(canvas, live_.seen(), page());
  terminal_->show(canvas);
}

view::Page WatchLoop::page() const {
  view::Page page = live_.page();
  page.words.raw = options_.raw;
  if (options_.is_room)
    page.aside = seconds_words(live_.session().now()) + (live_.is_over() ? ", end" : pace_->stands() ? ", paused" : "");
  const std::string own = live_.keys();
  page.keys = !hint_.empty()     ? hint_
              : !own.empty()     ? own
              : options_.is_room ? "q quit   r raw values   space pause or resume   n next event"
                                 : "q or Ctrl-C quit   r raw values";
  return page;
}

}  // namespace omnipar::cli
