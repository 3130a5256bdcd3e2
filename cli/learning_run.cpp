#include "learning_run.hpp"

#include <algorithm>
#include <cmath>
#include <set>
#include <utility>

#include <fmt/format.h>

#include "base/earlier.hpp"
#include "base/list.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/bindings.hpp"
#include "omnipar/session_words.hpp"
#include "omnipar/unit_learning.hpp"
#include "view/terminal.hpp"

namespace omnipar::cli {
namespace {

using Kind = LearnEvent::Kind;

/// A unit is identified by its socket or serial number, independent of its name. A wireless unit has no socket, and is
/// a new device of the host each time.
std::string key_of(const UnitDetails& unit) {
  const Description& d = unit.description;
  const std::string& place = d.socket.empty() && d.serial.empty() ? d.device : d.socket;
  return fmt::format("{:04x}:{:04x} {} {} {} {} {}", d.vendor, d.product, d.serial, place, d.half,
                     place.empty() ? d.name : "", unit.part);
}

/// In a trace no node has a path: there the main node is identified by the rest of its description.
bool is_main(const UnitDetails& unit, const UnitDetails::Node& node) {
  if (!unit.description.node.empty()) return node.description.node == unit.description.node;
  const auto main = std::ranges::find_if(unit.nodes, [&unit](const UnitDetails::Node& one) {
    return one.description.name == unit.description.name &&
           std::ranges::equal(one.description.codes, unit.description.codes, {}, &CodeRange::code, &CodeRange::code) &&
           one.description.descriptor == unit.description.descriptor;
  });
  return main != unit.nodes.end() && main->number == node.number;
}

}  // namespace

LearningRun::LearningRun(LearningRunOptions& run_options)
    : title_(std::move(run_options.title)),
      port_(run_options.port),
      seat_(std::move(run_options.seat)),
      unit_(std::move(run_options.unit)),
      raw_(run_options.raw),
      all_units_(run_options.learning.all_units),
      asked_of_(std::move(run_options.asked_of)),
      known_of_(std::move(run_options.known_of)),
      decided_(std::move(run_options.decided)),
      resumed_(std::move(run_options.resumed)),
      feel_(run_options.feel),
      leds_(run_options.leds),
      rig_(run_options.session.rig),
      learning_(std::move(run_options.questions), std::move(run_options.learning)) {}

tl::expected<std::unique_ptr<LearningRun>, Diagnostics> LearningRun::open(LearningRunOptions run_options) {
  std::unique_ptr<LearningRun> made{new LearningRun{run_options}};
  WatchingOptions watch;
  watch.session = std::move(run_options.session);
  watch.session.profile.hotkeys.clear();  // no bindings or hotkeys are active while learning
  watch.room = std::move(run_options.room);
  if (auto failure = made->open_watching(std::move(watch))) return tl::unexpected(std::move(*failure));
  if (!made->seat_.empty()) made->session().await({made->seat_});
  return made;
}

// -- units -----------------------------------------------------------------------------------------------------

bool LearningRun::is_ours(const UnitDetails& unit) const {
  return unit_.empty() ? is_of_seat(unit.here.name) : unit.here.name == unit_;
}

bool LearningRun::is_of_seat(const std::string& unit) const {
  const auto known = std::ranges::find(rig_.units, unit, &RigUnit::name);
  return !seat_.empty() && known != rig_.units.end() && known->seat == seat_;
}

void LearningRun::meet(const std::vector<UnitDetails>& units) {
  std::set<std::pair<int, std::string>> there;
  for (const UnitDetails& unit : units) {
    if (unit.empty) continue;
    for (const UnitDetails::Node& node : unit.nodes) {
      const std::pair<int, std::string> share{node.number, unit.part};
      there.insert(share);
      const auto known = numbers_.find(share);
      const std::string key = key_of(unit);
      if (known != numbers_.end() && met_.at(known->second).key == key) {
        met_.at(known->second).called = unit.here.name;
        continue;
      }
      const int number = known != numbers_.end() ? known->second : static_cast<int>(met_.size()) + 1;
      const std::string name = first_name(key, unit.here.name);
      numbers_[share] = number;
      met_[number] = {name, unit.here.name, key, unit.part, node, unit.description, is_main(unit, node)};
      learning_.meet(number, name, raw_ ? raw_attachment(node.description) : node.attachment, is_ours(unit));
    }
  }
  learning_.advance(session().now());
  for (auto share = numbers_.begin(); share != numbers_.end();) {
    const bool has_left = !there.contains(share->first);
    if (has_left) learning_.lose(share->second);
    share = has_left ? numbers_.erase(share) : std::next(share);
  }
  grabs_anew_ = true;  // it may be connected again
  drain();
}

/// Two units of one model may have changed their names before the second one is back.
std::string LearningRun::first_name(const std::string& key, const std::string& called) {
  const auto known = names_.find(key);
  if (known != names_.end()) return known->second;
  std::string name = called;
  const auto is_taken = [this](const std::string& wanted) {
    return std::ranges::any_of(names_, [&wanted](const auto& entry) { return entry.second == wanted; });
  };
  for (int number = 2; is_taken(name); ++number) name = fmt::format("{} ({})", called, number);
  names_.emplace(key, name);
  return name;
}

std::map<int, LearningRun::Met> LearningRun::answering() const {
  std::map<int, Met> all;
  for (const auto& [number, met] : met_)
    if (is_answering(met)) all.emplace(number, met);
  return all;
}

void LearningRun::on_event(const SessionEvent& event) {
  auto in_use = heard_of_trouble(event);
  if (!in_use) return;
  if (say_) say_(in_use->problem.message + ": no input from it arrives.");
  taken_.insert_or_assign(in_use->unit, std::move(in_use->problem));
}

/// Nothing can be learned if another program has grabbed the requested unit, or all units.
void LearningRun::find_if_in_use() {
  if (taken_.empty() || in_use_ || !learning_.unit().empty()) return;
  const auto known = std::ranges::find(rig_.units, seat_, &RigUnit::seat);
  const std::string meant = !unit_.empty() ? unit_ : known != rig_.units.end() ? known->name : "";
  if (const auto taken = taken_.find(meant); taken != taken_.end()) in_use_ = taken->second;
  const auto is_taken = [this](const UnitHere& unit) { return taken_.contains(unit.name); };
  if (meant.empty() && std::ranges::all_of(session().units(), is_taken)) in_use_ = taken_.begin()->second;
}

// -- time -----------------------------------------------------------------------------------------------------

void LearningRun::on_report(int node, const Report& report) {
  // A control shared by two players, such as a coin slot, does not belong to another player.
  std::set<Code> ours;
  const auto shares = [&](const auto& consume) {
    for (auto at = numbers_.lower_bound({node, ""}); at != numbers_.end() && at->first.first == node; ++at)
      consume(at->second);
  };
  shares([&](int number) {
    if (is_answering(met_.at(number)))
      for (const Control& control : met_.at(number).node.attachment.controls) ours.insert(control.code);
  });
  std::vector<Change> others;
  for (const Change& change : report.changes)
    if (!ours.contains(change.code)) others.push_back(change);
  shares([&](int number) {
    const bool is_our_share = is_answering(met_.at(number));
    learning_.feed(number, {report.time, is_our_share ? report.changes : others});
  });
  say_without_role(node, report);
  drain();
}

/// A control without a role cannot be an answer, so the user is notified.
void LearningRun::say_without_role(int node, const Report& report) {
  const auto first = numbers_.lower_bound({node, ""});
  if (raw_ || first == numbers_.end() || first->first.first != node) return;
  const Met& met = met_.at(first->second);
  if (!is_answering(met) && !learning_.unit().empty()) return;
  for (const Change& change : report.changes) {
    const CodeRange* range = met.node.description.find(change.code);
    if (range == nullptr || has_role(node, change.code)) continue;
    const auto at = roleless_.try_emplace({node, change.code}, change.value).first;
    const double way = std::fabs(static_cast<double>(change.value) - at->second.value_or(change.value));
    const double whole = static_cast<double>(range->maximum) - range->minimum;
    if (!at->second || (change.code.type == ev_key ? change.value == 0 : change.code.type != ev_abs || 2 * way < whole))
      continue;
    at->second.reset();  // reported
    note(fmt::format("{} of \"{}\" has no role, so it cannot be bound. 'omnipar learn unit' assigns one.",
                     control_name(met.node.description, change.code), met.called));
  }
}

/// To any part of the unit.
bool LearningRun::has_role(int node, Code code) const {
  for (auto at = numbers_.lower_bound({node, ""}); at != numbers_.end() && at->first.first == node; ++at) {
    const auto& controls = met_.at(at->second).node.attachment.controls;
    if (std::ranges::find(controls, code, &Control::code) != controls.end()) return true;
  }
  return false;
}

bool LearningRun::is_answering(const Met& met) const {
  return all_units_ || met.unit == learning_.unit() || (unit_.empty() && is_of_seat(met.called));
}

void LearningRun::process(Time now) {
  watching_->process(now);
  find_if_in_use();
  grab_ours();
  learning_.advance(now);
  drain();
}

void LearningRun::run(Time until) {
  watching_->run(until);
  learning_.advance(session().now());
  drain();
}

void LearningRun::wait_behind(Time until) {
  learning_.advance(until);
  drain();
}

std::optional<Time> LearningRun::next_due() const {
  // While a control is held its bar fills.
  constexpr Duration redrawn{33'000};
  const Time now = watching_->session().now();
  const auto bar = learning_.held(now) > 0 ? std::optional{now + redrawn} : std::nullopt;
  return earlier(earlier(watching_->next_due(), learning_.next_due()), bar);
}

bool LearningRun::has_changed() noexcept {
  const bool fills = learning_.held(watching_->session().now()) > 0;
  return watching_->has_changed() || std::exchange(changed_, false) || fills;
}

// -- what is said ---------------------------------------------------------------------------------------------

void LearningRun::drain() {
  while (const auto event = learning_.next_event()) {
    changed_ = true;
    if (event->kind == Kind::decides && decided_) decided_(*this, event->target, event->role);
    answer_in_hand(*event);
    std::string words = to_text(*event, learning_);
    if (event->kind == Kind::accepts)
      if (const std::string label = label_of(event->unit, event->role); !label.empty())
        words += fmt::format(" ({})", label);
    if (words.empty() || event->kind == Kind::echoes) continue;
    const bool is_kept = learning_.over() && learning_.kept();
    if (event->kind == Kind::ends_asking && say_ && !is_kept)
      for (const std::string& line : table()) say_("  " + line);
    const bool is_question = event->kind == Kind::asks || event->kind == Kind::ends_asking;
    if (is_question) last_line_ = words;
    const bool is_menu = event->kind == Kind::opens || event->kind == Kind::offers;
    if (is_menu) menu_line_ = words;
    if (event->kind == Kind::offers) last_line_ = fmt::format("Using \"{}\".", learning_.unit());
    note(words, !is_question && !is_menu);
    if (event->kind == Kind::meets) ask_what_it_has();
  }
}

/// Any keyboard may be a new unit, but a person at another keyboard must be able to type.
void LearningRun::grab_ours() {
  if (!std::exchange(grabs_anew_, false) || !raw_ || learning_.unit().empty()) return;
  std::vector<int> nodes;
  for (const auto& [number, met] : answering()) nodes.push_back(met.node.number);
  session().grab_only(nodes);
}

/// Questions that the answering units have no control for are skipped.
void LearningRun::ask_what_it_has() {
  if (known_of_) learning_.set_in_use(known_of_(*this));
  grabs_anew_ = true;
  if (decided_) decided_(*this, "", "");
  if (asked_of_) {
    learning_.ask_only(asked_of_(*this));
  } else {
    std::vector<std::string> names;
    left_out_.clear();
    for (const Question& question : answerable(learning_.questions(), roles(), left_out_))
      names.push_back(question.name);
    if (!left_out_.empty()) {
      learning_.ask_only(names);
      note(fmt::format("Skipped because the unit has no control for it: {}.", some_listed(left_out_, 16)));
    }
  }
  if (resumed_) learning_.resume(resumed_(*this));
}

std::vector<std::string> LearningRun::roles() const {
  std::vector<std::string> all;
  for (const auto& [number, met] : answering())
    for (std::string& role : roles_of(met.node.attachment)) all.push_back(std::move(role));
  return all;
}

/// Of a target's sources only those of the unit; directions of a stick or d-pad as a whole.
std::vector<std::string> LearningRun::on_unit(std::vector<std::string> sources) const {
  if (raw_) return sources;
  const std::vector<std::string> its = roles();
  std::erase_if(sources, [&its](const std::string& source) {
    return std::ranges::none_of(its, [&source](const std::string& role) {
      return source == role ||
             (source.starts_with(role) && source.size() > role.size() && source[role.size()] == '-') ||
             (source == "dpad" && role.starts_with("dpad-"));
    });
  });
  return sources;
}

std::string LearningRun::role_labelled(const std::string& label) const {
  for (const inspect::SeenUnit& unit : seen().units())
    for (const auto& [number, met] : answering())
      for (const inspect::SeenControl& control : unit.controls)
        if (unit.name == met.called && control.label == label) return control.role;
  return "";
}

std::string LearningRun::who_is_there() const {
  std::vector<std::string> names;
  for (const UnitHere& unit : watching_->session().units())
    if (is_ours_by_name(unit.name)) names.push_back("\"" + unit.name + "\"");
  if (names.empty())
    return unit_.empty() ? "No controller is connected. Plug it in and press any button on it."
                         : fmt::format("\"{}\" is not connected. Plug it in.", unit_);
  return fmt::format("Press any button on the controller to learn: {}.", some_listed(names, 4));
}

void LearningRun::answer_in_hand(const LearnEvent& event) {
  if (port_ == 0 || !watching_) return;
  const bool is_good = event.kind == Kind::accepts || event.kind == Kind::skips;
  if (feel_ && is_good) session().pulse(port_, 1);
  if (feel_ && event.kind == Kind::rejects) session().pulse(port_, 2);
  if (!leds_) return;
  constexpr std::uint32_t all = ~std::uint32_t{0};
  if (is_good) session().light(port_, all);
  if (event.kind == Kind::rejects) session().light(port_, 0);
  if (event.kind == Kind::echoes || event.kind == Kind::asks) session().light_number(port_);
}

std::string LearningRun::label_of(const std::string& unit, const std::string& role) const {
  const auto met = std::ranges::find_if(met_, [&unit](const auto& entry) { return entry.second.unit == unit; });
  if (met == met_.end()) return "";
  for (const inspect::SeenUnit& one : seen().units())
    for (const inspect::SeenControl& control : one.controls)
      if (one.name == met->second.called && control.role == role) return control.label;
  return "";
}

std::string LearningRun::words_for(std::size_t question) const {
  const Answer& answer = learning_.answers()[question];
  if (answer.state == Answer::State::skipped) return "(unassigned on purpose)";
  std::string all;
  if (answer.state != Answer::State::given) {
    for (const std::string& role : on_unit(learning_.sources(question))) {
      const std::string label = label_of(learning_.unit(), role);
      all += (all.empty() ? "" : ", ") + role + (label.empty() ? "" : fmt::format(" ({})", label));
    }
    return all.empty() ? port_ == 0 ? "(none)" : "(nothing)" : all;
  }
  for (const LearnedSource& source : answer.sources) {
    const std::string label = label_of(source.unit, source.role);
    all += (all.empty() ? "" : ", ") + source.role + (label.empty() ? "" : fmt::format(" ({})", label)) +
           (!raw_ && (source.invert_x || source.invert_y) ? ", reversed" : "");
  }
  return all;
}

std::vector<std::string> LearningRun::table() const {
  std::vector<std::string> lines;
  for (std::size_t q = 0; q < learning_.questions().size(); ++q)
    lines.push_back(fmt::format("{:<24}{}", learning_.questions()[q].name, words_for(q)));
  return lines;
}

std::string LearningRun::bar() const {
  const double part = learning_.held(watching_->session().now());
  if (part <= 0) return "";
  const std::string bar = view::progress_bar(part, 20, view::signs(view::locale_is_utf8()));
  const bool has_menu = !learning_.menu().empty() || learning_.offered() != nullptr;
  return bar + (has_menu ? " hold to select" : " hold for the menu, keep holding to skip to the end");
}

view::Mark LearningRun::mark_of(std::size_t question) const {
  switch (learning_.answers()[question].state) {
    case Answer::State::given:
    case Answer::State::as_before:
      return view::Mark::ticked;
    case Answer::State::open:
      return view::Mark::open;
    case Answer::State::skipped:
      break;
  }
  return view::Mark::none;
}

/// The machine's controller with the current target highlighted and answered ones ticked.
view::Block LearningRun::controller(const inspect::SeenPort& port) const {
  view::Block block = view::block_of(port, nullptr);
  const auto mark = [this](auto& shown, const std::string& name) {
    const auto at = std::ranges::find(learning_.questions(), name, &Question::name);
    const auto question = static_cast<std::size_t>(at - learning_.questions().begin());
    shown.lit = learning_.asked() == question;
    if (at != learning_.questions().end()) shown.mark = mark_of(question);
  };
  for (view::Item& item : block.items) mark(item, item.text);
  for (view::Gauge& gauge : block.gauges) {
    mark(gauge, gauge.name);
    gauge.x = gauge.y = 0;  // the effect of the current map does not matter
    gauge.numbers.clear();
  }
  return block;
}

/// The answer to each question, one below the other.
view::Block LearningRun::answers() const {
  view::Block block;
  block.title = "assignments";
  // Of a long list the part around the current question.
  constexpr std::size_t most = 12;
  const std::size_t count = learning_.questions().size();
  const std::size_t asked = learning_.asked().value_or(0);
  const std::size_t shown = std::min(most, count);
  const std::size_t from = std::min(asked > most / 2 ? asked - most / 2 : 0, count - shown);
  const auto last = static_cast<double>(std::max<std::size_t>(shown, 2) - 1);
  for (std::size_t q = from; q < from + shown; ++q)
    block.items.push_back({learning_.questions()[q].name + ": " + words_for(q), 0, static_cast<double>(q - from) / last,
                           learning_.asked() == q && learning_.offered() == nullptr, mark_of(q)});
  return block;
}

/// The drawing beside the units: the controller while there are questions, at the end all answers.
view::Block LearningRun::machine() const {
  const auto port = std::ranges::find(seen().ports(), port_, &inspect::SeenPort::number);
  const bool shows_controller = learning_.asked() && learning_.offered() == nullptr && port != seen().ports().end();
  view::Block block = shows_controller ? controller(*port) : answers();
  const auto is_done = [](const Answer& answer) { return answer.state != Answer::State::open; };
  block.aside =
      fmt::format("{} of {}", std::ranges::count_if(learning_.answers(), is_done), learning_.answers().size());
  return block;
}

view::Page LearningRun::page() const {
  view::Page page = watching_->page();
  page.title = title_;
  page.machine = {machine()};
  page.press = {last_line_.empty() ? who_is_there() : last_line_};
  if (learning_.paused()) page.press = {"Waiting for the unit to reconnect."};
  const std::string echo = learning_.pressed().empty() ? "…" : learning_.pressed();
  const bool has_menu = !learning_.menu().empty() || learning_.offered() != nullptr;
  page.press.push_back("  " + (has_menu ? menu_line_ : echo));
  page.press.push_back("  " + bar());
  page.notes = notes_;
  page.ticks = nullptr;
  return page;
}

// -- keys -----------------------------------------------------------------------------------------------------

bool LearningRun::press(char key) {
  constexpr std::pair<char, LearnChoice> choices[] = {
      {'b', LearnChoice::back},      {'s', LearnChoice::skip}, {'e', LearnChoice::clear}, {'a', LearnChoice::again},
      {'o', LearnChoice::remaining}, {'k', LearnChoice::keep}, {'q', LearnChoice::leave}};
  if (learning_.offered() != nullptr && (key == 'n' || key == 't')) {
    key == 'n' ? learning_.mark_next() : learning_.decide();
    drain();
    return true;
  }
  return choose_by(key, choices, [this](LearnChoice choice) { learning_.choose(choice); });
}

std::string LearningRun::keys() const {
  if (learning_.offered() != nullptr) return "n next   t select   q quit";
  return learning_.asked() ? "b back   s skip   e empty   a again   k to the end   q quit"
                           : "k save   b back   a again   o the rest   q quit";
}

}  // namespace omnipar::cli
