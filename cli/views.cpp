#include "views.hpp"

#include "command.hpp"

#include <algorithm>
#include <map>
#include <optional>
#include <set>
#include <vector>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/list.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/session_words.hpp"
#include "play/gathering.hpp"
#include "style.hpp"
#include "text/utf8.hpp"
#include "view/canvas.hpp"

namespace omnipar::cli {
namespace {

constexpr std::size_t most_act_width = 50;

/// Pressed names are bright; the blanks after them are not.
std::string cell(const std::string& text) {
  const std::size_t end = text.find_last_not_of(' ') + 1;
  return text.substr(0, end) == "." ? text : styled(Style::bright, text.substr(0, end)) + text.substr(end);
}

/// Cut or padded to a number of terminal columns; wide characters take two.
std::string fitted(std::string_view text, std::size_t width) {
  std::string all;
  std::size_t columns = 0;
  while (!text.empty()) {
    const std::string_view character = text::next_character(text);
    const auto own = static_cast<std::size_t>(view::columns_of(character));
    const bool is_last = text.empty();
    if (columns + own + (is_last ? 0 : 1) > width) {
      if (columns < width) all += "…", ++columns;
      break;
    }
    all += character;
    columns += own;
  }
  return all + std::string(width - columns, ' ');
}

class TableView final : public View {
 public:
  TableView(const Plan& plan, LineSink sink, std::function<void(Time)> pace)
      : plan_(plan), sink_(std::move(sink)), pace_(std::move(pace)) {
    const auto ports = std::ranges::count_if(plan_.ports(), [](const PortInfo& port) { return port.number != 0; });
    const bool axes =
        std::ranges::any_of(plan_.targets(), [](const TargetInfo& t) { return t.kind != TargetKind::button; });
    const std::size_t room = axes ? 80 : 56;  // columns for all ports
    port_width_ =
        std::clamp<std::size_t>(room / static_cast<std::size_t>(std::max<std::ptrdiff_t>(1, ports)), 10, 30) - 2;
    if (const std::size_t width = terminal_width(); width > 0) fit_into(width, static_cast<std::size_t>(ports));
  }

  void act(const TraceEvent& event, const Description& unit) override {
    if (!std::exchange(begun_, true)) print_head();
    print_waiting(nullptr);
    last_act_ = event.time;
    waiting_ = {event.time, describe(event, unit)};
    lesson_ = event.lesson;
  }

  void frame(Time time, const Reader& reader) override {
    const PortInfo* hotkeys = plan_.port(0);
    const auto is_hotkey = [&](TargetPlace target) {
      return hotkeys != nullptr && target.number >= hotkeys->first_target &&
             target.number < hotkeys->first_target + hotkeys->target_count;
    };
    if (!waiting_ && std::ranges::all_of(reader.changed(), is_hotkey)) return print_messages();
    const bool still_shown = time - last_act_ < 3 * plan_.frame();
    if (!waiting_) waiting_ = {time, still_shown ? "(a frame later)" : "(without input: timer or stage)"};
    print_waiting(&reader);
  }

  void on_event(const SessionEvent& event, Time now) override {
    if (const auto* fired = std::get_if<HotkeyFired>(&event)) return show_action(fired->action, now);
    std::visit([this](const auto& what) { tell(what); }, event);
  }

  void end() override { print_waiting(nullptr); }

 private:
  void add_message(std::string line) { messages_.push_back(std::move(line)); }

  void tell(const Seated& what) {
    for (const PortInfo& port : plan_.ports())
      if (port.is_played_from(what.seat))
        add_message(what.again ? fmt::format("port {}: \"{}\" is back ({})", port.number, what.unit, what.seat)
                               : fmt::format("\"{}\" takes port {} ({})", what.unit, port.number, what.seat));
  }
  void tell(const Joined& what) { add_message(fmt::format("\"{}\" plays at {} as well", what.unit, what.seat)); }
  void tell(const Left& what) {
    add_message(fmt::format("{}'s \"{}\" was disconnected: its buttons are released, its port is reserved", what.seat,
                            what.unit));
  }
  void tell(const SocketChanged& what) {
    const std::string_view plug = what.plug == Plug::none     ? "its socket is empty"
                                  : what.plug == Plug::put_in ? "something was plugged into its socket"
                                                              : "unplugged: its buttons are released";
    add_message(fmt::format("{}\"{}\": {}", what.seat.empty() ? "" : what.seat + "'s ", what.unit, plug));
  }
  void tell(const SeatedElsewhere& what) {
    add_message(
        fmt::format("\"{}\" is assigned to seat {}, which has no port here: press a button to take another seat",
                    what.unit, what.seat));
  }
  void tell(const Beside& what) {
    add_message(fmt::format("{} now uses both \"{}\" and \"{}\"", what.seat, what.other, what.unit));
  }
  void tell(const Asked& what) {
    add_message(fmt::format("{}: \"{}\" {}: press a button on yours", what.seat, what.unit, to_text(what.doubt)));
  }
  void tell(const Lacks& what) {
    add_message(fmt::format("{}: \"{}\" has no control for {}", what.seat, what.unit, some_listed(what.targets)));
  }
  void tell(const NoUse& what) { add_message(fmt::format("\"{}\" has no control that this machine uses", what.unit)); }
  void tell(const NoSeat& what) { add_message(fmt::format("\"{}\" was pressed, but all ports are taken", what.unit)); }
  void tell(const Refused& what) { add_message(to_text(what.why)); }
  void tell(const Froze& what) {
    add_message(what.frozen ? "frozen: only hotkeys work; press the same one to resume" : "resumed");
  }
  void tell(const Swapped& what) {
    plan_ = what.plan;
    for (const PortInfo& port : plan_.ports())
      if (port.number != 0) add_message(fmt::format("port {} is now played from {}", port.number, port.seat));
  }
  template <typename Other>
  void tell(const Other&) {}

  struct Waiting {
    Time time;
    std::string text;
  };

  /// Socket changes are separate events.
  std::string describe(const TraceEvent& event, const Description& unit) {
    if (!event.note.empty()) return event.note;
    std::string what = event.action == TraceAction::plug_in    ? "connected"
                       : event.action == TraceAction::pull_out ? "disconnected"
                       : event.action == TraceAction::gap      ? "a gap: another program had grabbed it"
                                                               : "";
    if (event.action == TraceAction::report)
      for (const Change& change : event.changes)
        what += fmt::format("{}{} {}", what.empty() ? "" : ", ", name_of(event.node, unit, change.code), change.value);
    return fmt::format("{}: {}", name_among(unit, event.action == TraceAction::plug_in), what);
  }

  /// Units with the same name are distinguished by their sockets.
  std::string name_among(const Description& unit, bool is_new) {
    const std::string name = printable(unit.name);
    std::set<std::string>& sockets = sockets_[name];
    sockets.insert(unit.socket);
    return (is_new || sockets.size() > 1) && !unit.socket.empty() ? play::name_with_socket(name, unit) : name;
  }

  const std::string& name_of(int node, const Description& unit, Code code) {
    const auto [at, is_new] = names_.try_emplace({node, code});
    if (is_new) at->second = control_name(unit, code);
    return at->second;
  }

  static std::string trimmed(std::string line) {
    line.erase(line.find_last_not_of(' ') + 1);
    return line;
  }

  /// From 80 columns on everything fits: first the inputs become shorter, then the ports.
  void fit_into(std::size_t width, std::size_t ports) {
    constexpr std::size_t time_width = 11, least_act = 22, least_port = 8;
    const std::size_t all_ports = ports * (port_width_ + 2);
    const std::size_t left = width > time_width + all_ports ? width - time_width - all_ports : 0;
    act_width_ = std::clamp(left, least_act, most_act_width);
    if (left >= least_act || ports == 0) return;
    const std::size_t for_ports = width > time_width + least_act ? width - time_width - least_act : 0;
    port_width_ = std::clamp<std::size_t>(for_ports / ports, least_port + 2, port_width_ + 2) - 2;
  }

  void print_head() const {
    std::string head = fmt::format("{:>9}  {}", "time", fitted("input", act_width_));
    for (const PortInfo& port : plan_.ports())
      if (port.number != 0) head += "  " + fitted(fmt::format("port {}", port.number), port_width_);
    sink_(trimmed(head));
  }

  /// Triggered by the current input, or by a hold that started earlier.
  void show_action(const std::string& action, Time now) {
    if (waiting_) return add_message("action: " + action);
    print_messages();
    if (pace_) pace_(now);
    sink_(fmt::format("{:>6} ms  action: {}", ms(now), action));
  }

  /// "stick-x", which is followed by "stick-y".
  bool is_first_of_pair(const PortInfo& port, std::uint16_t t) const {
    if (t + 1 >= port.target_count) return false;
    const std::string_view one = plan_.targets()[std::size_t{port.first_target} + t].name;
    const std::string_view other = plan_.targets()[std::size_t{port.first_target} + t + 1U].name;
    return one.ends_with("-x") && other.ends_with("-y") &&
           one.substr(0, one.size() - 1) == other.substr(0, other.size() - 1);
  }

  /// The targets of a port that are not at rest; "." if all are.
  std::string port_text(const PortInfo& port, const Reader& reader) const {
    std::string text;
    for (std::uint16_t t = 0; t < port.target_count; ++t) {
      const TargetInfo& info = plan_.targets()[std::size_t{port.first_target} + t];
      const PortSample sample = reader.port(port.number);
      if (is_first_of_pair(port, t)) {
        const TargetIndex other{static_cast<std::uint16_t>(t + 1)};
        if (info.kind == TargetKind::coordinate) {
          const TargetIndex on{static_cast<std::uint16_t>(t + 2)};
          const std::string_view name = info.name.substr(0, info.name.size() - 2);
          text += text.empty() ? "" : " ";
          text += sample.pressed(on) ? fmt::format("{}={},{}", name, sample.native({t}), sample.native(other))
                                     : fmt::format("{}=off", name);
          t += 2;
          continue;
        }
        if (sample.value({t}) != 0 || sample.value(other) != 0)
          text += fmt::format("{}{}={},{}", text.empty() ? "" : " ", info.name.substr(0, info.name.size() - 2),
                              sample.native({t}), sample.native(other));
        ++t;
        continue;
      }
      if (sample.value({t}) == 0) continue;
      text += text.empty() ? "" : " ";
      text += info.name;
      if (info.kind != TargetKind::button) text += fmt::format("={}", sample.native({t}));
    }
    return text.empty() ? "." : text;
  }

  /// Without a reader: another event came before the machine's sample, so the ports are left open.
  void print_waiting(const Reader* reader) {
    if (waiting_) {
      if (pace_) pace_(waiting_->time);
      std::string line = fmt::format("{:>6} ms  {}", ms(waiting_->time), fitted(waiting_->text, act_width_));
      for (const PortInfo& port : plan_.ports())
        if (port.number != 0 && reader != nullptr) line += "  " + cell(fitted(port_text(port, *reader), port_width_));
      sink_(trimmed(line));
    }
    print_messages();
    if (waiting_ && !lesson_.empty()) sink_(fmt::format("{:>11}   ({})", "", lesson_));
    waiting_.reset();
    lesson_.clear();
  }

  void print_messages() {
    for (const std::string& line : messages_) sink_(fmt::format("{:>11}-> {}", "", line));
    messages_.clear();
  }

  static std::int64_t ms(Time time) { return time.time_since_epoch().count() / 1000; }

  Plan plan_;
  LineSink sink_;
  std::function<void(Time)> pace_;
  std::optional<Waiting> waiting_;
  std::string lesson_;
  std::vector<std::string> messages_;
  std::map<std::pair<int, Code>, std::string> names_;     ///< by node
  std::map<std::string, std::set<std::string>> sockets_;  ///< by the name of a unit
  std::size_t act_width_ = most_act_width;
  std::size_t port_width_ = 0;
  bool begun_ = false;
  Time last_act_;
};

class SampleView final : public View {
 public:
  SampleView(const Plan& plan, LineSink sink) : plan_(plan), sink_(std::move(sink)) {}

  void act(const TraceEvent& event, const Description&) override { now_ = event.time; }

  void frame(Time time, const Reader& reader) override {
    now_ = time;
    changed_.assign(reader.changed().begin(), reader.changed().end());
    std::ranges::sort(changed_);
    for (const PortInfo& port : plan_.ports()) {
      nlohmann::ordered_json values = nlohmann::ordered_json::object();
      for (const TargetPlace target : changed_) {
        const int within = target.number - port.first_target;
        if (within < 0 || within >= port.target_count) continue;
        values[std::string{plan_.targets()[target.number].name}] =
            reader.port(port.number).native({static_cast<std::uint16_t>(within)});
      }
      if (values.empty()) continue;
      if (port.number != 0) put({{"t", us(time)}, {"port", port.number}, {"changed", values}});
    }
  }

  void on_event(const SessionEvent& event, Time now) override {
    now_ = now;
    std::visit([this](const auto& what) { tell(what); }, event);
  }

  void end() override {}

 private:
  void tell(const Seated& what) { put_event(what.seat, what.unit, what.again ? "back" : "seated"); }
  void tell(const Joined& what) { put_event(what.seat, what.unit, "joined"); }
  void tell(const Left& what) { put_event(what.seat, what.unit, "gone"); }
  void tell(const LeftSeat& what) { put_event(what.seat, what.unit, "left-seat"); }
  void tell(const SocketChanged& what) {
    put_event(what.seat, what.unit, what.plug == Plug::none ? "empty" : what.plug == Plug::put_in ? "put-in" : "out");
  }
  void tell(const Asked& what) { put_event(what.seat, what.unit, "asked"); }
  void tell(const NoUse& what) { put_event("", what.unit, "no-use"); }
  void tell(const NoSeat& what) { put_event("", what.unit, "no-seat"); }
  void tell(const Refused& what) {
    put({{"t", us(now_)},
         {"seat", ""},
         {"unit", what.why.place},
         {"event", "refused"},
         {"problem", problems_json({what.why}).front()}});
  }
  void tell(const HotkeyFired& what) { put({{"t", us(now_)}, {"action", what.action}}); }
  void tell(const Froze& what) { put({{"t", us(now_)}, {"frozen", what.frozen}}); }
  void tell(const Swapped& what) {
    plan_ = what.plan;
    for (const PortInfo& port : plan_.ports())
      if (port.number != 0) put({{"t", us(now_)}, {"port", port.number}, {"seat", port.seat}});
  }
  template <typename Other>
  void tell(const Other&) {}

  static std::int64_t us(Time time) { return time.time_since_epoch().count(); }
  void put(const nlohmann::ordered_json& line) { sink_(json_text(line)); }
  void put_event(const std::string& seat, const std::string& unit, const std::string& what) {
    put({{"t", us(now_)}, {"seat", seat}, {"unit", unit}, {"event", what}});
  }

  Plan plan_;
  LineSink sink_;
  Time now_;
  std::vector<TargetPlace> changed_;
};

}  // namespace

std::unique_ptr<View> table_view(const Plan& plan, LineSink sink, std::function<void(Time)> pace) {
  return std::make_unique<TableView>(plan, std::move(sink), std::move(pace));
}

std::unique_ptr<View> sample_view(const Plan& plan, LineSink sink) {
  results_are_lines();
  return std::make_unique<SampleView>(plan, std::move(sink));
}

tl::expected<Rig, Diagnostics> play_through(SessionOptions options, Room room, bool json, const LineSink& sink,
                                            std::function<void(Time)> pace, std::vector<Calibration>* ranges) {
  std::unique_ptr<View> view;
  std::function<Time()> room_time;
  bool exits = false;
  options.on_event = [&](const SessionEvent& event) {
    const auto* fired = std::get_if<HotkeyFired>(&event);
    exits = exits || (fired != nullptr && fired->action == exit_action);
    view->on_event(event, room_time());
  };
  room.on_trace_event = [&](const TraceEvent& event, const Description& unit) { view->act(event, unit); };
  auto session = Session::open_room(std::move(options), std::move(room));
  if (!session) return tl::unexpected(session.error());
  room_time = [&session] { return session->now(); };
  view = json ? sample_view(session->plan(), sink) : table_view(session->plan(), sink, std::move(pace));
  Reader reader{session->engine()};
  const Duration frame = session->plan().frame();
  for (std::int64_t number = 1; !exits && !session->over() && !session->failure(); ++number) {
    const Time time{number * frame};
    while (!exits && !session->failure() && session->wait(time)) session->process();
    if (session->failure()) break;
    session->process();
    reader.next_frame();
    view->frame(time, reader);
    // Frames in which nothing can change are skipped.
    const Time next = session->next_due().value_or(time);
    if (reader.changed().empty() && next > time)
      number = std::max(number, (next.time_since_epoch() - Duration{1}) / frame);
  }
  view->end();
  if (session->failure() && !exits) return tl::unexpected(Diagnostics{*session->failure()});
  if (ranges != nullptr) *ranges = session->ranges_by_use();
  return session->rig();
}

}  // namespace omnipar::cli
