// omnipar watch [PROFILE]
#include <csignal>
#include <memory>
#include <optional>

#include <fmt/format.h>

#include "command.hpp"
#include "omnipar/sheets.hpp"
#include "os/signals.hpp"
#include "sources.hpp"
#include "style.hpp"
#include "view/terminal.hpp"
#include "watching.hpp"

namespace omnipar::cli {
namespace {

struct WatchWords {
  Sources sources;
  bool once = false;
  bool tick_off = false;
  bool raw = false;
  bool json = false;
  bool grab = false;
  bool with_virtual = false;
  bool step = false;
  std::string size;
  double from = -1;
  double speed = 1;
  double at_most = -1;
  std::vector<int> players;
};

constexpr Duration between_drawings{16'667};  // 60 a second

Duration seconds(double count) { return Duration{static_cast<std::int64_t>(count * 1e6)}; }

/// A room's time by the clock on the wall: as fast as was asked for, or standing still.
class Pace {
 public:
  Pace(Time room, Time now, double speed, bool stands) : room_(room), since_(now), speed_(speed), stands_(stands) {}

  [[nodiscard]] bool stands() const noexcept { return stands_; }
  [[nodiscard]] Time room(Time now) const {
    if (stands_) return room_;
    return room_ + Duration{static_cast<std::int64_t>(static_cast<double>((now - since_).count()) * speed_)};
  }
  /// When the room is so far; nothing while it stands.
  [[nodiscard]] std::optional<Time> when(Time room, Time now) const {
    if (stands_) return std::nullopt;
    const double left = static_cast<double>((room - this->room(now)).count()) / speed_;
    return now + Duration{static_cast<std::int64_t>(std::max(0.0, left)) + 1};
  }
  void stand(bool still, Time now) {
    room_ = room(now);
    since_ = now;
    stands_ = still;
  }
  void go_to(Time room, Time now) {
    room_ = room;
    since_ = now;
  }

 private:
  Time room_;
  Time since_;
  double speed_;
  bool stands_;
};

/// The loop in which a terminal is drawn on, or only what is ticked off is said.
class Loop {
 public:
  Loop(os::Door& door, const WatchWords& words, Watching& watching)
      : door_(door), words_(words), watching_(watching), signals_(door) {}

  /// The terminal, if there is one, is as it was behind it. Fails if nothing can be waited for, or the session fails.
  [[nodiscard]] std::optional<Diagnostic> run(view::Terminal* terminal) {
    terminal_ = terminal;
    const int here[] = {SIGINT, SIGTERM, SIGHUP, SIGQUIT, SIGTSTP, SIGCONT, SIGWINCH};
    if (!signals_.begin(here))
      return Diagnostic{"no-signals", Severity::error, "signals cannot be watched", "", "try again"};
    is_room_ = !words_.sources.host.empty();
    const Time now = door_.now();
    began_ = now;
    Session& session = watching_.session();
    if (words_.from > 0) watching_.run(at_us(0) + seconds(words_.from));
    pace_.emplace(session.now(), now, words_.speed, words_.step);
    if (terminal_ != nullptr) size_ = terminal_->size();
    take();  // whoever is there is in the first drawing
    while (!ends()) {
      draw_when_due();
      if (!wait()) return Diagnostic{"cannot-wait", Severity::error, "nothing can be waited for", "", "try again"};
      take();
    }
    if (watching_.session().failure()) return watching_.session().failure();
    return std::nullopt;
  }

  /// The number of the signal by which it was ended, or 0.
  [[nodiscard]] int signal() const noexcept { return signal_; }

 private:
  [[nodiscard]] bool ends() {
    if (ended_ || watching_.wants_end() || watching_.session().failure()) return true;
    if (words_.tick_off && watching_.is_complete()) return true;
    if (words_.at_most >= 0 && door_.now() - began_ >= seconds(words_.at_most)) return true;
    return is_room_ && terminal_ == nullptr && watching_.is_over();
  }

  // -- waiting ----------------------------------------------------------------------------------------
  [[nodiscard]] Time due() {
    const Time now = door_.now();
    Time due = latest_time;
    const auto add = [&due](std::optional<Time> other) { due = std::min(due, other.value_or(due)); };
    const auto next = watching_.next_due();
    if (is_room_) {
      // The room's end is nothing that happens in it.
      Session& session = watching_.session();
      if (!watching_.is_over()) add(pace_->when(next.value_or(session.now() + session.plan().frame()), now));
    } else {
      add(next);
    }
    if (words_.at_most >= 0) add(began_ + seconds(words_.at_most));
    if (dirty_ && terminal_ != nullptr && terminal_->is_idle()) add(drawn_ + between_drawings);
    return due;
  }

  [[nodiscard]] bool wait() {
    const Time until = due();
    std::vector<pollfd> descriptors{{signals_.descriptor(), POLLIN, 0}};
    if (!is_room_) {
      const int session = watching_.session().descriptor();
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

  void take() {
    while (const auto caught = signals_.next()) take_signal(caught->number);
    const Time now = door_.now();
    if (is_room_)
      watching_.run(pace_->room(now));
    else
      watching_.take(now);
    if (std::exchange(is_typed_, false)) take_typed();
    dirty_ = watching_.has_changed() || dirty_;
    if (terminal_ == nullptr && words_.tick_off) say_what_is_complete();
  }

  void take_signal(int number) {
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
        signal_ = number;
    }
  }

  /// Until somebody lets us go on; then SIGCONT comes, too.
  void stop() {
    if (terminal_ != nullptr) terminal_->leave();
    static_cast<void>(door_.signal(::getpid(), SIGSTOP));
    if (terminal_ != nullptr) terminal_->come_back();
    dirty_ = true;
  }

  // -- keys -------------------------------------------------------------------------------------------
  void take_typed() {
    const auto text = terminal_->typed();
    if (!text) {
      ended_ = true;  // the terminal is gone
      return;
    }
    constexpr Duration a_moment{300'000};
    // What is typed on a unit that is looked at is no wish; but a hand must be able to end it from there.
    const bool is_units = !is_room_ && watching_.is_typed_on(a_moment);
    for (const char key : *text) {
      constexpr char interrupt = 3, suspend = 26;
      if (is_units && key != interrupt && key != suspend) continue;
      if (is_units && !is_meant(key)) continue;
      press(key);
    }
  }

  /// On a unit that types, the second one within two seconds is.
  bool is_meant(char key) {
    constexpr Duration soon{2'000'000};
    const Time now = door_.now();
    const bool again = last_control_ == key && now - last_control_at_ < soon;
    last_control_ = key;
    last_control_at_ = now;
    if (!again) hint_ = key == 3 ? "Ctrl-C once more ends." : "Ctrl-Z once more stops.";
    dirty_ = true;
    return again;
  }

  void press(char key) {
    const Time now = door_.now();
    dirty_ = true;
    hint_.clear();
    switch (key) {
      case 3:
      case 'q':
        ended_ = true;
        break;
      case 26:
        stop();
        break;
      case 'r':
        raw_ = !raw_;
        break;
      case ' ':
        if (is_room_) pace_->stand(!pace_->stands(), now);
        break;
      case 'n':
      case '\r':
        if (is_room_) step(now);
        break;
      default:
        break;
    }
  }

  /// To the next thing that happens, and what follows from it.
  void step(Time now) {
    pace_->stand(true, now);
    Session& session = watching_.session();
    const auto next = session.next_due();
    if (watching_.is_over() || !next) return;
    watching_.run(*next);
    const Time frame = session.now() + session.plan().frame();
    watching_.run(frame);
    pace_->go_to(session.now(), now);
  }

  // -- what is shown ----------------------------------------------------------------------------------
  void draw_when_due() {
    if (terminal_ == nullptr || !dirty_ || !terminal_->is_idle()) return;
    const Time now = door_.now();
    if (drawn_ + between_drawings > now) return;
    drawn_ = now;
    dirty_ = false;
    view::Canvas canvas{size_.width, size_.height, view::locale_is_utf8()};
    view::draw(canvas, watching_.seen(), page());
    terminal_->show(canvas);
  }

  [[nodiscard]] view::Page page() {
    view::Page page = watching_.page();
    page.words.raw = raw_ || words_.raw;
    if (is_room_)
      page.aside =
          fmt::format("{:.3f} s{}", static_cast<double>(watching_.session().now().time_since_epoch().count()) / 1e6,
                      watching_.is_over() ? ", the end"
                      : pace_->stands()   ? ", stands still"
                                          : "");
    page.keys = !hint_.empty() ? hint_
                : is_room_     ? "q ends   r numbers   space stands still or goes on   n the next thing"
                               : "q or Ctrl-C ends   r numbers";
    return page;
  }

  void say_what_is_complete() {
    const auto& ports = watching_.ticks()->ports();
    told_.resize(ports.size());
    for (std::size_t p = 0; p < ports.size(); ++p)
      if (!told_[p] && ports[p].expected() > 0 && ports[p].ticked() == ports[p].expected()) {
        told_[p] = true;
        talk(fmt::format("Player {} is complete.", ports[p].number));
      }
  }

  os::Door& door_;
  const WatchWords& words_;
  Watching& watching_;
  os::Signals signals_;
  view::Terminal* terminal_ = nullptr;
  view::Size size_;
  std::optional<Pace> pace_;
  Time began_{};
  Time drawn_{};
  bool is_room_ = false;
  bool dirty_ = true;
  bool ended_ = false;
  bool is_typed_ = false;
  bool raw_ = false;
  int signal_ = 0;
  std::string hint_;
  char last_control_ = 0;
  Time last_control_at_{};
  std::vector<bool> told_;
};

std::optional<view::Size> parsed_size(const std::string& word) {
  view::Size size;
  int used = 0;
  if (std::sscanf(word.c_str(), "%4dx%4d%n", &size.width, &size.height, &used) != 2 ||
      static_cast<std::size_t>(used) != word.size())
    return std::nullopt;
  if (size.width < 20 || size.height < 5 || size.width > 1000 || size.height > 1000) return std::nullopt;
  return size;
}

/// What is wrong with the words themselves.
std::optional<Diagnostic> refused_words(const WatchWords& words) {
  const auto refuse = [](std::string id, std::string message, std::string hint) {
    return Diagnostic{std::move(id), Severity::error, std::move(message), "", std::move(hint)};
  };
  if (words.tick_off && words.sources.profile.empty())
    return refuse("no-profile-to-tick-off", "--tick-off needs a profile: it ticks what the machine gets",
                  "such as: omnipar watch pad-2b --tick-off");
  if (words.sources.host.empty() && (words.from >= 0 || words.step || words.speed != 1))
    return refuse("no-room", "--from, --speed and --step are for rooms", "name a room with --host");
  if (!words.size.empty() && !parsed_size(words.size))
    return refuse("bad-size", fmt::format("'{}' is not the size of a drawing", words.size),
                  "columns x rows, such as 120x36; from 20x5 to 1000x1000");
  return std::nullopt;
}

int show_once(const WatchWords& words, Watching& watching) {
  os::Door& door = os::real_door();
  if (words.sources.host.empty()) {
    // Until sockets and pads that send all the time have said who they are.
    constexpr Duration a_moment{400'000};
    const Time end = door.now() + a_moment;
    while (door.now() < end) {
      watching.session().wait(end);
      watching.take(door.now());
    }
  } else {
    watching.run(words.from < 0 ? latest_time : at_us(0) + seconds(words.from));
    watching.run(watching.session().now() + watching.session().plan().frame());  // the machine sees it a frame later
  }
  if (const auto& failure = watching.session().failure()) {
    tell({*failure});
    return words.sources.host.empty() ? machine_refuses : bad_input;
  }
  if (words.json) {
    print_json(watching.seen_json(), 2);
    return good;
  }
  const auto asked = words.size.empty() ? view::terminal_size(door, 1) : parsed_size(words.size);
  const view::Size size = asked.value_or(view::Size{});
  view::Canvas canvas{size.width, size.height, view::locale_is_utf8()};
  view::Page page = watching.page();
  page.words.raw = words.raw;
  if (!words.sources.host.empty())
    page.aside =
        fmt::format("{:.3f} s", static_cast<double>(watching.session().now().time_since_epoch().count()) / 1e6);
  view::draw(canvas, watching.seen(), page);
  std::vector<std::string> lines = canvas.lines();
  while (!lines.empty() && lines.back().empty()) lines.pop_back();
  for (const std::string& line : lines) print(line);
  return good;
}

int end_of_ticks(const WatchWords& words, const Watching& watching, bool all_players) {
  if (words.json)
    print_json(watching.ticks_json(), 2);
  else
    for (const std::string& line : watching.ticks()->result()) print(line);
  const bool whole = all_players ? watching.ticks()->complete() : watching.ticks()->complete_for_those_there();
  return whole ? good : found_something;
}

int run(const WatchWords& words) {
  os::Door& door = os::real_door();
  if (const auto problem = refused_words(words)) {
    tell({*problem});
    return bad_input;
  }
  WatchWish wish;
  wish.ticks = words.tick_off;
  wish.players = words.players;
  wish.session.with_virtual = words.with_virtual;
  wish.session.grab = words.grab;
  if (words.sources.profile.empty()) {
    FoundSheets shelf = load_shelf(door, words.sources);
    tell(shelf.problems);
    wish.session.catalogue = std::move(shelf.catalogue);
    watch_units_only(wish.session);
  } else {
    FoundProfile given = load(door, words.sources);
    tell(given.elsewhere);
    tell(given.problems);
    if (!given.plan) return bad_input;
    wish.session.catalogue = std::move(given.catalogue);
    wish.session.profile = std::move(*given.profile);
  }
  // A machine may have more ports than people are there; a profile of one's own has those that are meant.
  const bool all_players = !words.players.empty() || !wish.session.profile.place.empty();
  auto rig = load_rig(door, words.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  wish.session.rig = std::move(*rig);
  if (!words.sources.host.empty()) wish.room = Room{words.sources.host, trace_lines(door, words.sources.host), {}};
  // A result as JSON may go to a file while the terminal of the talk is drawn on.
  const int stream = words.json ? 2 : 1;
  const bool draws = !words.once && (!words.json || words.tick_off) && view::terminal_size(door, stream).has_value();
  if (words.json && !words.once && !words.tick_off) {
    results_are_lines();
    wish.samples = print;
  }
  if (!draws && !words.once) wish.say = talk;
  auto watching = Watching::open(std::move(wish));
  if (!watching) {
    tell(watching.error());
    return words.sources.host.empty() ? machine_refuses : bad_input;
  }
  if (words.once) return show_once(words, **watching);
  std::unique_ptr<view::Terminal> terminal;
  if (draws || (!words.tick_off && !words.json)) {
    auto opened = view::Terminal::open(door, stream, has_colours(stream));
    if (!opened && !words.tick_off) {
      tell({opened.error()});
      return machine_refuses;
    }
    if (opened) terminal = std::move(*opened);
  }
  if (!terminal && words.tick_off) talk("Press every control of every player; the exit combination or Ctrl-C ends it.");
  Loop loop{door, words, **watching};
  const auto failure = loop.run(terminal.get());
  terminal.reset();
  if (failure) {
    tell({*failure});
    return words.sources.host.empty() ? machine_refuses : bad_input;
  }
  return words.tick_off ? end_of_ticks(words, **watching, all_players) : good;
}

}  // namespace

void add_watch(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("watch", "See live what hands do, and what the machine gets");
  const auto words = std::make_shared<WatchWords>();
  command->add_option("PROFILE", words->sources.profile,
                      "a machine such as pad-2b, or a profile; without one only the units are shown");
  add_data_option(*command, words->sources);
  add_rig_option(*command, words->sources);
  add_host_option(*command, words->sources);
  command->add_flag("--tick-off", words->tick_off,
                    "tick each control that the machine has got, and end when all players are complete");
  command
      ->add_option(
          "--players", words->players,
          "with --tick-off: these players must be complete, such as 1,2; otherwise all that the profile has, and "
          "of a machine all who are there")
      ->delimiter(',');
  command->add_option("--at-most", words->at_most, "end after so many seconds")->check(number_between(0, 86'400));
  command->add_flag("--raw", words->raw, "show the units' own numbers and codes");
  command->add_flag("--once", words->once, "print one drawing and end");
  command->add_option("--size", words->size, "with --once: columns x rows, such as 120x36");
  command->add_option("--from", words->from, "with --host: from this second of the room on; with --once: at it")
      ->check(number_between(0, 1e6));
  command->add_option("--speed", words->speed, "with --host: so many times as fast as it happened")
      ->check(number_between(0.01, 1000))
      ->capture_default_str();
  command->add_flag("--step", words->step, "with --host: stand still, and go on by a key");
  command->add_flag("--grab", words->grab, "no other program hears the units meanwhile");
  command->add_flag("--with-virtual", words->with_virtual, "show controllers that other programs made, too");
  command->add_flag("--json", words->json,
                    "print JSON: samples as lines, with --once all that is seen, with --tick-off the result");
  command->footer(
      "Example: is everything of Marrowby's cabinet wired as it should be?\n"
      "  omnipar watch cabinet.toml --tick-off\n"
      "Which control is which, on whatever is plugged in:\n"
      "  omnipar watch\n"
      "[name] is pressed; with --tick-off a name is ticked when the machine has got it. q ends, r shows raw numbers;\n"
      "with --host space stands still and n goes to the next thing. Keys that a watched unit types do nothing here:\n"
      "there Ctrl-C pressed twice ends.\n"
      "Exit status: 0 ended, or all is ticked off, 1 something is not ticked off, 2 bad profile or room, 3 no\n"
      "terminal, or the computer refuses ('omnipar doctor' says why).");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
