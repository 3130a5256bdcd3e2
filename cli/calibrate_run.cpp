#include "calibrate_run.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include <fmt/format.h>

#include "base/earlier.hpp"
#include "base/list.hpp"
#include "omnipar/identity.hpp"
#include "view/terminal.hpp"

namespace omnipar::cli {
namespace {

using Kind = CalibrateEvent::Kind;

bool is_analog(const Control& control) {
  return control.type == ControlType::one_sided || control.type == ControlType::two_sided;
}

bool has_analog(const UnitDetails& unit) {
  return std::ranges::any_of(unit.nodes,
                             [](const auto& node) { return std::ranges::any_of(node.attachment.controls, is_analog); });
}

/// A press, or an axis far from its rest.
bool is_meant(const Attachment& attachment, const Report& report) {
  if (has_press(attachment, report.changes)) return true;
  return std::ranges::any_of(report.changes, [&](const Change& change) {
    const auto control = std::ranges::find(attachment.controls, change.code, &Control::code);
    if (control == attachment.controls.end() || !is_analog(*control)) return false;
    const double way = std::max<double>(1, (static_cast<double>(control->maximum) - control->minimum) / 2);
    return std::fabs(static_cast<double>(change.value) - control->rest) > way / 2;
  });
}

std::string bar(double part) { return view::progress_bar(part, 24, view::signs(view::locale_is_utf8())); }

std::string missing_words(const std::array<bool, 8>& reached) {
  std::string open;
  for (std::size_t d = 0; d < reached.size(); ++d)
    if (!reached.at(d)) open += (open.empty() ? "not yet: " : ", ") + std::string{sweep_directions.at(d)};
  return open.empty() ? "all directions reached" : open;
}

}  // namespace

/// Reports that wait too long are lost, so reports are read even while a fit is computed.
CalibrateOptions CalibrateRun::with_worker(CalibrateOptions options) {
  options.aside = [this](std::function<void()> work) { fit_ = std::async(std::launch::async, std::move(work)); };
  return options;
}

CalibrateRun::CalibrateRun(CalibrateRunOptions& run_options)
    : guide_(run_options.room ? std::move(run_options.options) : with_worker(std::move(run_options.options))),
      unit_(std::move(run_options.unit)),
      may_be_new_(run_options.may_be_new),
      rig_(run_options.session.rig) {}

tl::expected<std::unique_ptr<CalibrateRun>, Diagnostics> CalibrateRun::open(CalibrateRunOptions run_options) {
  std::unique_ptr<CalibrateRun> made{new CalibrateRun{run_options}};
  for (Calibration& known : run_options.session.rig.calibrations) {  // the unit's own values are calibrated
    known.axes.clear();
    known.sticks.clear();
  }
  WatchingOptions watch;
  watch.session = std::move(run_options.session);
  watch.room = std::move(run_options.room);
  if (auto failure = made->open_watching(std::move(watch))) return tl::unexpected(std::move(*failure));
  return made;
}

// -- units -----------------------------------------------------------------------------------------------------

bool CalibrateRun::is_in_rig(const std::string& unit) const {
  return std::ranges::find(rig_.units, unit, &RigUnit::name) != rig_.units.end();
}

void CalibrateRun::meet(const std::vector<UnitDetails>& units) {
  units_ = units;
  if (unit_.empty() && std::ranges::count_if(units_, has_analog) == 1) {  // it is the only candidate
    unit_ = std::ranges::find_if(units_, has_analog)->here.name;
    note(fmt::format("Calibrating \"{}\".", unit_));
  }
  if (unit_.empty() && !std::exchange(asked_, true)) note("Move or press a control on the unit to calibrate.");
  const auto unit = std::ranges::find_if(units_, [this](const UnitDetails& one) { return one.here.name == unit_; });
  if (unit != units_.end() && !unit_.empty() && !unit->empty) {
    select_unit(*unit);
  } else {
    for (const int node : nodes_) guide_.lose(node);
    nodes_.clear();
  }
  drain();
}

void CalibrateRun::select_unit(const UnitDetails& unit) {
  if (!is_in_rig(unit.here.name) && !may_be_new_) {
    failure_ = {"unknown-unit", Severity::error,
                fmt::format("\"{}\" is not in the rig, so its calibration cannot be stored", unit.here.name), "",
                "add it to the rig with --seat SEAT"};
    return;
  }
  std::set<int> now;
  for (const UnitDetails::Node& node : unit.nodes) {
    now.insert(node.number);
    if (!nodes_.contains(node.number)) guide_.meet(node.number, node.attachment);
  }
  for (const int node : nodes_)
    if (!now.contains(node)) guide_.lose(node);
  nodes_ = std::move(now);
  grabs_anew_ = true;
  description_ = unit.description;
  part_ = unit.part;
  if (std::exchange(is_known_, true)) return;
  if (guide_.roles().empty())
    failure_ = {"nothing-analog", Severity::error,
                fmt::format("\"{}\" has no such stick, trigger, pedal, wheel or paddle", unit.here.name), "",
                "'omnipar units' lists its controls"};
}

void CalibrateRun::on_report(int node, const Report& report) {
  if (unit_.empty())
    for (const UnitDetails& unit : units_)
      for (const UnitDetails::Node& its : unit.nodes)
        if (unit_.empty() && its.number == node && has_analog(unit) && is_meant(its.attachment, report)) {
          unit_ = unit.here.name;
          note(fmt::format("Calibrating \"{}\".", unit_));
          select_unit(unit);
        }
  if (nodes_.contains(node) && !failure_) guide_.feed(node, report);
  drain();
}

void CalibrateRun::on_event(const SessionEvent& event) {
  if (auto in_use = heard_of_trouble(event); in_use && in_use->unit == unit_) failure_ = std::move(in_use->problem);
}

const Control* CalibrateRun::control_of(const std::string& role) const noexcept {
  for (const UnitDetails& unit : units_)
    for (const UnitDetails::Node& node : unit.nodes)
      for (const Control& control : node.attachment.controls)
        if (unit.here.name == unit_ && control.role == role && control.axis != Axis::y) return &control;
  return nullptr;
}

// -- time -----------------------------------------------------------------------------------------------------

void CalibrateRun::process(Time now) {
  watching_->process(now);
  if (std::exchange(grabs_anew_, false)) session().grab_only({nodes_.begin(), nodes_.end()});
  if (is_known_ && !failure_) guide_.advance(now);
  repeat_what_is_missing();
  drain();
}

/// The kernel has lost events: the current readings may be incomplete.
void CalibrateRun::repeat_what_is_missing() {
  const std::uint64_t losses = session().stats().losses;
  if (std::exchange(losses_, losses) == losses || !is_known_ || failure_ || guide_.role().empty()) return;
  if (guide_.step() == CalibrateStep::rest) return;  // its rest is read again in any case
  note(fmt::format("Some input from {} was lost because too many events arrived at once. Measuring it again.",
                   guide_.role()));
  guide_.missed();
}

void CalibrateRun::run(Time until) {
  watching_->run(until);
  if (is_known_ && !failure_) guide_.advance(session().now());
  drain();
}

void CalibrateRun::wait_behind(Time until) {
  if (is_known_ && !failure_) guide_.advance(until);
  drain();
}

std::optional<Time> CalibrateRun::next_due() const {
  return earlier(watching_->next_due(), is_known_ ? guide_.next_due() : std::nullopt);
}

bool CalibrateRun::has_changed() noexcept { return watching_->has_changed() || std::exchange(changed_, false); }

// -- what is said ---------------------------------------------------------------------------------------------

void CalibrateRun::drain() {
  while (const auto event = guide_.next_event()) {
    changed_ = true;
    const std::string words = to_text(*event);
    if (words.empty()) continue;
    const bool is_question = event->kind == Kind::asks || event->kind == Kind::ends_asking;
    if (!is_question) {
      note(words);
      continue;
    }
    last_line_ = words;
    if (say_) say_(words);
  }
}

std::vector<std::string> cloud_rows(const StickReadings& readings, RawPoint now, int columns, int rows) {
  std::vector<std::string> cells(static_cast<std::size_t>(rows), std::string(static_cast<std::size_t>(columns), ' '));
  const auto at = [](double value, DeclaredRange range, bool reversed, int count) {
    double part = (value - range.minimum) / std::max(1.0, static_cast<double>(range.maximum) - range.minimum);
    if (reversed) part = 1 - part;
    return static_cast<std::size_t>(std::clamp(static_cast<int>(part * count), 0, count - 1));
  };
  const auto put = [&](RawPoint place, char sign) {
    cells[at(place.y, readings.declared_y, readings.reversed_y, rows)]
         [at(place.x, readings.declared_x, readings.reversed_x, columns)] = sign;
  };
  for (const RawPoint& place : readings.sweep) put(place, '.');
  if (!readings.rest.empty()) put(readings.rest.back(), '+');
  put(now, 'o');
  return cells;
}

/// The current control, growing as it is swept, and the completed ones.
view::Block CalibrateRun::picture() const {
  view::Block block;
  block.title = guide_.role().empty() ? "all measured" : guide_.role();
  block.aside = fmt::format("{} of {}", guide_.measured(), guide_.roles().size());
  block.is_placed = false;
  const bool sweeps = guide_.step() == CalibrateStep::sweep;
  const bool is_stick = !guide_.readings().rest.empty() && guide_.readings().declared_y != DeclaredRange{};
  if (!guide_.role().empty())
    block.lines.push_back(fmt::format("{} {}", bar(guide_.progress()),
                                      guide_.step() == CalibrateStep::rest ? "at rest"
                                      : sweeps                             ? "swept"
                                                                           : ""));
  if (!is_stick) return block;
  if (sweeps) block.lines.push_back(missing_words(guide_.reached()));
  constexpr int columns = 34, rows = 13;
  block.picture = cloud_rows(guide_.readings(), guide_.place(), columns, rows);
  return block;
}

view::Page CalibrateRun::page() const {
  view::Page page = watching_->page();
  page.title = unit_.empty() ? "Calibrating a unit" : fmt::format("Calibrating \"{}\"", unit_);
  page.machine = {picture()};
  page.press = {last_line_.empty() ? "Move or press a control on the unit to calibrate." : last_line_};
  const double held = guide_.held(watching_->session().now());
  page.press.push_back(held > 0 ? "  " + bar(held) + " held: skips this control" : "");
  page.notes = notes_;
  page.ticks = nullptr;
  return page;
}

bool CalibrateRun::press(char key) {
  const bool has_found = guide_.measured() > 0;
  if (key == 'q' && has_found && !std::exchange(asked_to_leave_, true)) {
    note(fmt::format("{} measured. Press k to save {}, or q again to discard {}.",
                     guide_.measured() == 1 ? "One control is" : fmt::format("{} controls are", guide_.measured()),
                     guide_.measured() == 1 ? "it" : "them", guide_.measured() == 1 ? "it" : "them"));
    changed_ = true;
    return true;
  }
  asked_to_leave_ = key == 'q';
  is_discarded_ = key == 'q' && has_found;
  constexpr std::pair<char, CalibrateChoice> choices[] = {{'s', CalibrateChoice::skip},
                                                          {'a', CalibrateChoice::again},
                                                          {'k', CalibrateChoice::keep},
                                                          {'q', CalibrateChoice::leave}};
  return choose_by(key, choices, [this](CalibrateChoice choice) { guide_.choose(choice); });
}

std::string CalibrateRun::keys() const { return "s skip   a again   k save   q quit"; }

}  // namespace omnipar::cli
