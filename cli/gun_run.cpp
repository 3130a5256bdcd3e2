#include "gun_run.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include <fmt/format.h>

#include "base/earlier.hpp"

namespace omnipar::cli {
namespace {

bool points(const UnitDetails& unit) {
  return std::ranges::any_of(unit.nodes, [](const UnitDetails::Node& node) {
    return std::ranges::any_of(node.attachment.controls,
                               [](const Control& control) { return control.type == ControlType::pointer; });
  });
}

}  // namespace

GunRun::GunRun(GunRunOptions& run_options)
    : guide_(run_options.options),
      may_be_new_(run_options.may_be_new),
      rig_(run_options.session.rig),
      page_(run_options.page) {}

tl::expected<std::unique_ptr<GunRun>, Diagnostics> GunRun::open(GunRunOptions run_options) {
  std::unique_ptr<GunRun> made{new GunRun{run_options}};
  WatchingOptions watch;
  watch.session = std::move(run_options.session);
  watch.room = std::move(run_options.room);
  if (auto failure = made->open_watching(std::move(watch))) return tl::unexpected(std::move(*failure));
  return made;
}

// -- units -----------------------------------------------------------------------------------------------------

const UnitDetails* GunRun::gun() const noexcept {
  const auto at =
      std::ranges::find_if(units_, [this](const UnitDetails& unit) { return unit.here.name == guide_.unit(); });
  return at == units_.end() ? nullptr : &*at;
}

void GunRun::meet(const std::vector<UnitDetails>& units) {
  units_ = units;
  std::map<int, std::string> now;
  for (const UnitDetails& unit : units_)
    for (const UnitDetails::Node& node : unit.nodes)
      if (points(unit) && !unit.empty) now[node.number] = unit.here.name;
  for (const auto& [node, unit] : nodes_)
    if (!now.contains(node)) guide_.lose(node);
  for (const UnitDetails& unit : units_)
    for (const UnitDetails::Node& node : unit.nodes)
      if (now.contains(node.number) && (!nodes_.contains(node.number) || nodes_[node.number] != unit.here.name))
        guide_.meet(node.number, unit.here.name, node.attachment);
  const auto has_gun = [this](const std::map<int, std::string>& nodes) {
    return std::ranges::any_of(nodes, [this](const auto& node) { return node.second == guide_.unit(); });
  };
  const bool was = has_gun(nodes_), is = has_gun(now);
  nodes_ = std::move(now);
  grabs_anew_ = true;
  if (was && !is) note(fmt::format("\"{}\" was disconnected. Reconnect it to continue.", guide_.unit()));
  if (!was && is && !guide_.shots().empty()) note(fmt::format("\"{}\" is back. {}", guide_.unit(), last_line_));
  drain();
}

void GunRun::on_report(int node, const Report& report) {
  if (nodes_.contains(node) && !failure_) guide_.feed(node, report);
  if (const UnitDetails* its = gun(); its != nullptr && (!last_gun_ || last_gun_->here.id != its->here.id))
    last_gun_ = *its;
  if (guide_.fit()) changed_ = true;  // so that its current aim is shown
  drain();
}

void GunRun::on_event(const SessionEvent& event) {
  if (auto in_use = heard_of_trouble(event); in_use && in_use->unit == guide_.unit())
    failure_ = std::move(in_use->problem);
}

// -- time -----------------------------------------------------------------------------------------------------

void GunRun::process(Time now) {
  watching_->process(now);
  if (std::exchange(grabs_anew_, false)) {
    std::vector<int> all;
    for (const auto& [node, unit] : nodes_) all.push_back(node);
    session().grab_only({all.begin(), all.end()});
  }
  if (!failure_) guide_.advance(now);
  drain();
}

void GunRun::run(Time until) {
  watching_->run(until);
  if (!failure_) guide_.advance(session().now());
  drain();
}

void GunRun::wait_behind(Time until) {
  if (!failure_) guide_.advance(until);
  drain();
}

std::optional<Time> GunRun::next_due() const { return earlier(watching_->next_due(), guide_.next_due()); }

bool GunRun::has_changed() noexcept { return watching_->has_changed() || std::exchange(changed_, false); }

// -- what is said ---------------------------------------------------------------------------------------------

void GunRun::drain() {
  bool any = false;
  while (const auto event = guide_.next_event()) {
    any = changed_ = true;
    const bool is_known = std::ranges::find(rig_.units, guide_.unit(), &RigUnit::name) != rig_.units.end();
    if (!guide_.unit().empty() && !is_known && !may_be_new_ && !failure_)
      failure_ = {"unknown-unit", Severity::error,
                  fmt::format("\"{}\" is not in the rig, so its calibration cannot be stored", guide_.unit()), "",
                  "add it to the rig with --seat SEAT"};
    if (failure_) return;
    const std::string words = to_text(*event, guide_);
    if (words.empty()) continue;
    if (event->kind == AimingEvent::Kind::asks) {
      last_line_ = words;
      if (say_) say_(words);
      continue;
    }
    last_note_ = words;
    if (event->kind != AimingEvent::Kind::fits || !guide_.fit()) {
      note(words);
      continue;
    }
    for (const std::string& line : fit_text(*guide_.fit(), guide_.options().screen)) note(line);
  }
  if (any) show_on_page();
}

void GunRun::show_on_page() {
  if (page_ == nullptr) return;
  nlohmann::ordered_json shown;
  shown["words"] = last_line_;
  shown["note"] = last_note_;
  if (const auto target = guide_.target()) shown["target"] = {target->x, target->y};
  auto landed = nlohmann::ordered_json::array();
  const PixelSize size = seen_size(guide_.options().screen);
  if (const auto& fit = guide_.fit())
    for (std::size_t i = 0; i < fit->off.size() && i < guide_.shots().size(); ++i) {
      const AreaPoint at = guide_.shots()[i].target;
      landed.push_back({at.x, at.y, at.x + fit->off[i].x, at.y + fit->off[i].y * size.width / size.height});
    }
  shown["shots"] = landed;
  page_->show(shown.dump());
}

/// The screen in cells: X for the target, x for previous ones, o for the gun's aim according to the fit.
view::Block GunRun::picture() const {
  constexpr int columns = 48, rows = 14;
  view::Block block;
  block.title = guide_.unit().empty() ? "which gun?" : guide_.unit();
  block.aside = guide_.step() == AimingStep::shot ? fmt::format("shot {} of {}", guide_.number(), guide_.count()) : "";
  block.is_placed = false;
  std::vector<std::string> cells(rows, std::string(columns, ' '));
  const auto put = [&](AreaPoint at, char sign) {
    if (!(at.x >= 0 && at.x <= 1 && at.y >= 0 && at.y <= 1)) return;
    const auto cell = [](double side, int count) {
      return static_cast<std::size_t>(std::clamp(static_cast<int>(side * count), 0, count - 1));
    };
    cells[cell(at.y, rows)][cell(at.x, columns)] = sign;
  };
  for (const Shot& shot : guide_.shots()) put(shot.target, 'x');
  if (const auto at = guide_.pointed()) put(*at, 'o');
  if (const auto target = guide_.target()) put(*target, 'X');
  block.picture = std::move(cells);
  return block;
}

view::Page GunRun::page() const {
  view::Page page = watching_->page();
  page.title = guide_.unit().empty() ? "Calibrating a gun" : fmt::format("Calibrating \"{}\"", guide_.unit());
  page.machine = {picture()};
  page.press = {last_line_.empty() ? "No gun is connected. Plug one in." : last_line_};
  if (page_ != nullptr) page.press.push_back("  The targets are shown at " + page_->address());
  page.notes = notes_;
  page.ticks = nullptr;
  return page;
}

bool GunRun::press(char key) {
  const bool has_found = guide_.fit().has_value();
  if (key == 'q' && has_found && !std::exchange(asked_to_leave_, true)) {
    note("The gun is calibrated. Press k to save, or q again to discard.");
    changed_ = true;
    return true;
  }
  asked_to_leave_ = key == 'q';
  is_discarded_ = key == 'q' && has_found;
  constexpr std::pair<char, AimingChoice> choices[] = {
      {'s', AimingChoice::skip}, {'a', AimingChoice::again}, {'k', AimingChoice::keep}, {'q', AimingChoice::leave}};
  return choose_by(key, choices, [this](AimingChoice choice) { guide_.choose(choice); });
}

std::string GunRun::keys() const { return "s skip the test   a start again   k save   q quit"; }

}  // namespace omnipar::cli
