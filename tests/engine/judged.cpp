#include "judged.hpp"

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include "omnipar/sheets.hpp"
#include "support/units.hpp"

namespace omnipar::test {
namespace {

constexpr Duration shortest{20'000};
constexpr std::size_t most_samples = 4000;  ///< without presses, each of which may need two
constexpr std::size_t most_quiet = 60;
constexpr double agreed = 1e-9;  ///< of a full push: both sides round independently

}  // namespace

// -- what a reader has shown --------------------------------------------------------------------------------

/// One reader, and what it must have shown so far.
class Judged::Watch {
 public:
  Watch(Judged& judged, bool paced) : judged_(judged) {
    if (paced)
      paced_.emplace(judged.engine_, shortest);
    else
      plain_.emplace(judged.engine_);
    adopted();
    fresh_ = false;
    for (std::uint16_t t = 0; t < shown_.size(); ++t) shown_[t] = value(t);
  }

  void adopted() {
    const Plan& plan = judged_.engine_.plan();
    shown_.assign(plan.targets().size(), 0);
    since_.assign(plan.targets().size(), Time{});
    names_.clear();
    std::map<std::string, double> moved;
    for (const PortInfo& port : plan.ports())
      for (std::uint16_t t = 0; t < port.target_count; ++t) {
        names_.push_back(fmt::format("{}/{}", port.number, plan.targets()[port.first_target + t].name));
        if (info(names_.size() - 1).kind == TargetKind::turns) moved[names_.back()] = moved_[names_.back()];
      }
    moved_ = std::move(moved);
    together_.clear();
    fresh_ = true;
  }

  void were_together(std::uint16_t direction) { together_.insert(direction); }

  void sample() {
    if (plain_)
      plain_->next_frame();
    else
      paced_->catch_up(judged_.engine_.now());
    check_changes();
    check_opposites();
  }

  void look() {
    std::size_t quiet = 0;  // samples in which only autofire changed
    const std::size_t enough = most_samples + 2 * presses_so_far();
    for (std::size_t samples = 0; samples < enough; ++samples) {
      sample();
      quiet = std::ranges::all_of(changed(), [this](TargetPlace t) { return pulses(t.number); }) ? quiet + 1 : 0;
      if (paced_ && quiet > most_quiet && !fresh_ && all_presses_shown()) return compare();
      if (!changed().empty() || fresh_) continue;
      if (!paced_ || !paced_->next_due()) return compare();
      const Time due = *paced_->next_due();
      judged_.wait(std::max<std::int64_t>(0, (due - judged_.engine_.now()).count()));
    }
    std::string of;  // what it still has to show
    for (const PortInfo& port : judged_.engine_.plan().ports())
      for (std::uint16_t t = 0; t < port.target_count; ++t) {
        const auto target = static_cast<std::uint16_t>(port.first_target + t);
        const SlowTwin::Value& judged = judged_.twin_.values().at(names_[target]);
        const std::uint32_t presses = this->port(port.number).presses({t});
        if (!is_shown_as_pressed(target, presses) || value(target) != judged.level)
          of += fmt::format(" {} (at {}, should be {}; {} presses of {})", names_[target], value(target), judged.level,
                            presses, judged.presses);
      }
    judged_.complain(fmt::format("a reader has always more to show:{}", of));
  }

 private:
  [[nodiscard]] std::span<const TargetPlace> changed() const { return plain_ ? plain_->changed() : paced_->changed(); }
  [[nodiscard]] double value(std::uint16_t target) const {
    return plain_ ? plain_->value({target}) : paced_->value({target});
  }
  [[nodiscard]] PortSample port(int number) const { return plain_ ? plain_->port(number) : paced_->port(number); }
  [[nodiscard]] const TargetInfo& info(std::size_t target) const { return judged_.engine_.plan().targets()[target]; }

  /// If a pointer returned to its area several times, not every return is shown.
  [[nodiscard]] bool is_shown_as_pressed(std::uint16_t target, std::uint32_t presses) const {
    const std::uint32_t judged = judged_.twin_.values().at(names_[target]).presses;
    return is_sight(target) ? presses <= judged : presses == judged;
  }

  [[nodiscard]] bool is_sight(std::uint16_t target) const {
    return target > 0 && info(target).kind == TargetKind::button && info(target - 1U).kind == TargetKind::coordinate;
  }

  [[nodiscard]] bool all_presses_shown() const {
    for (const PortInfo& port : judged_.engine_.plan().ports())
      for (std::uint16_t t = 0; t < port.target_count; ++t)
        if (!is_shown_as_pressed(static_cast<std::uint16_t>(port.first_target + t),
                                 this->port(port.number).presses({t})))
          return false;
    return true;
  }

  [[nodiscard]] std::size_t presses_so_far() const {
    std::size_t all = 0;
    for (const auto& [name, value] : judged_.twin_.values()) all += value.presses;
    return all;
  }

  [[nodiscard]] bool pulses(std::uint16_t target) const { return judged_.twin_.pulses(names_[target]); }

  /// `changed` names exactly the targets that changed; after a new plan, all of them.
  void check_changes() {
    std::vector<int> named(shown_.size(), 0);
    for (const TargetPlace target : changed()) ++named.at(target.number);
    for (std::uint16_t t = 0; t < shown_.size(); ++t) {
      const double now = value(t);
      const bool counts = info(t).kind == TargetKind::turns;
      const bool differs = counts ? now != 0 || shown_[t] != 0 : now != shown_[t];
      if (named[t] != (fresh_ || differs ? 1 : 0))
        judged_.complain(
            fmt::format("{} was {} and is {}, and is named {} times", names_[t], shown_[t], now, named[t]));
      if (fresh_ && std::fabs(now - first_of(t)) > agreed)
        judged_.complain(fmt::format("{} is {} in the first sample, should be {}", names_[t], now, first_of(t)));
      if (counts) moved_[names_[t]] += now;
      if (info(t).kind == TargetKind::button && now != shown_[t]) check_pace(t);
      shown_[t] = now;
    }
    fresh_ = false;
  }

  /// In a plan's first sample everything is at rest except targets that are not self-centering.
  [[nodiscard]] double first_of(std::uint16_t target) const {
    return info(target).self_centering ? 0 : judged_.twin_.values().at(names_[target]).level;
  }

  void check_pace(std::uint16_t target) {
    const Time now = judged_.engine_.now();
    if (paced_ && shown_[target] == 1 && now - since_[target] < shortest)
      judged_.complain(fmt::format("{} was shown for {} us only", names_[target], (now - since_[target]).count()));
    since_[target] = now;
  }

  /// Opposite directions are shown together only if both were physically held since the last sample.
  void check_opposites() {
    for (const Opposites& pair : judged_.opposites_)
      if (value(pair.one) != 0 && value(pair.other) != 0 && !together_.contains(pair.one))
        judged_.complain(fmt::format("{} and {} are shown together, at levels {} and {}, {} by autofire",
                                     names_[pair.one], names_[pair.other], pair.first->level, pair.second->level,
                                     pulses(pair.one) || pulses(pair.other) ? "pressed" : "not pressed"));
  }

  void compare() {
    for (const PortInfo& port : judged_.engine_.plan().ports())
      for (std::uint16_t t = 0; t < port.target_count; ++t) {
        const auto target = static_cast<std::uint16_t>(port.first_target + t);
        const PortSample sample = this->port(port.number);
        const bool counts = info(target).kind == TargetKind::turns;
        if (value(target) != sample.value({t}))
          judged_.complain(fmt::format("{} reads differently by its place in the plan", names_[target]));
        const SlowTwin::Value shown{counts ? moved_[names_[target]] : sample.value({t}), sample.presses({t})};
        const SlowTwin::Value& judged = judged_.twin_.values().at(names_[target]);
        const bool is_there = info(target).kind == TargetKind::button ? shown.level == judged.level
                                                                      : std::fabs(shown.level - judged.level) < agreed;
        if (is_shown_as_pressed(target, shown.presses) && (is_there || (paced_ && pulses(target)))) continue;
        judged_.complain(fmt::format("{}: shown {} after {} presses, should be {} after {}", names_[target],
                                     shown.level, shown.presses, judged.level, judged.presses));
      }
    for (const Opposites& pair : judged_.opposites_)
      if (value(pair.one) == 0 || value(pair.other) == 0) together_.erase(pair.one);
  }

  Judged& judged_;
  std::optional<Reader> plain_;
  std::optional<PacedReader> paced_;
  std::vector<double> shown_;
  std::vector<Time> since_;
  std::vector<std::string> names_;
  std::map<std::string, double> moved_;  ///< of counts: the total shown so far
  std::set<std::uint16_t> together_;  ///< by the first reader: opposite directions that were physically held together
  bool fresh_ = true;                 ///< nothing of this plan has been shown yet
};

// -- opposite directions --------------------------------------------------------------------------------------

void Judged::find_opposites() {
  opposites_.clear();
  for (const PortInfo& port : engine_.plan().ports())
    for (const auto& [one, other] : {std::pair{"up", "down"}, std::pair{"left", "right"}}) {
      const auto first = engine_.plan().target(port.number, one);
      const auto second = engine_.plan().target(port.number, other);
      // On a mat they are ordinary buttons.
      const auto is_direction = [&](TargetIndex at) {
        return engine_.plan().targets()[std::size_t{port.first_target} + at.value].place.starts_with("dpad-");
      };
      if (first && second && is_direction(*first))
        opposites_.push_back({static_cast<std::uint16_t>(port.first_target + first->value),
                              static_cast<std::uint16_t>(port.first_target + second->value),
                              &twin_.values().at(fmt::format("{}/{}", port.number, one)),
                              &twin_.values().at(fmt::format("{}/{}", port.number, other)),
                              {},
                              {},
                              fmt::format("{}/{}", port.number, one)});
    }
}

void Judged::begin_act() {
  for (Opposites& pair : opposites_) {
    pair.first_before = *pair.first;
    pair.second_before = *pair.second;
  }
}

/// Directions physically held together during an act: both are down at its end, or one was held throughout and the
/// other one was pressed.
void Judged::note_together() {
  const auto held_through = [](const SlowTwin::Value& before, const SlowTwin::Value& now) {
    return before.level == 1 && now == before;
  };
  const std::set<std::string> together = twin_.drain_together();
  for (const Opposites& pair : opposites_) {
    const bool first_pressed = pair.first->presses != pair.first_before.presses;
    const bool second_pressed = pair.second->presses != pair.second_before.presses;
    if (!together.contains(pair.name) && !(pair.first->level == 1 && pair.second->level == 1) &&
        !(held_through(pair.first_before, *pair.first) && second_pressed) &&
        !(held_through(pair.second_before, *pair.second) && first_pressed))
      continue;
    for (const auto& watch : watches_) watch->were_together(pair.one);
  }
}

// -- both sides ---------------------------------------------------------------------------------------------

namespace {

/// Each profile is compiled once, not once per story. (The text form leaves the built-in exit combination out.)
const Plan& plan_for(const Profile& profile) {
  static std::map<std::string, Plan> plans;
  const std::string text = to_toml(profile) + std::to_string(profile.hotkeys.size());
  const auto known = plans.find(text);
  return known != plans.end() ? known->second : plans.emplace(text, plan_of(story_catalogue(), profile)).first->second;
}

}  // namespace

Judged::Judged(const Profile& profile) : engine_(plan_for(profile)), twin_(story_catalogue(), profile) {
  find_opposites();
  for (std::size_t i = 0; i < readers; ++i) watches_.push_back(std::make_unique<Watch>(*this, i + 1 == readers));
}

Judged::~Judged() = default;

void Judged::tell(std::string act) {
  story_.push_back(std::move(act));
  if (story_.size() > 40) story_.pop_front();
}

void Judged::complain(const std::string& what) const {
  std::string acts;
  for (const std::string& act : story_) acts += act + "\n";
  throw std::runtime_error(acts + what);
}

void Judged::attach(std::size_t unit, const Attachment& attachment) {
  std::string act = fmt::format("attach {} ({}) at {}", unit, attachment.unit, attachment.seat);
  for (const Change& c : attachment.state) act += fmt::format(" {:x}={}", c.code.number, c.value);
  if (attachment.by_press) act += " by a press";
  tell(act);
  Attachment its = attachment;
  const auto seats = engine_.plan().seats();
  if (std::ranges::find(seats, its.seat) == seats.end()) {
    const auto refused = engine_.attach(its);
    if (refused || refused.error().id != "unknown-seat") complain("a seat that no port has was taken");
    its.seat.clear();  // present, but not assigned
  }
  const auto id = engine_.attach(its);
  if (!id) complain(to_text(id.error()));
  ids_.at(unit) = *id;
  twin_.attach(static_cast<int>(id->slot()), its);
  plugged_.at(unit) = true;
}

void Judged::detach(std::size_t unit) {
  tell(fmt::format("detach {}", unit));
  engine_.detach(ids_.at(unit));
  twin_.detach(static_cast<int>(ids_.at(unit).slot()));
  plugged_.at(unit) = false;
}

void Judged::feed(std::size_t unit, const std::vector<Change>& changes) {
  std::string act = fmt::format("unit {}", unit);
  for (const Change& c : changes) act += fmt::format(" {:x}={}", c.code.number, c.value);
  tell(act);
  begin_act();
  engine_.feed(ids_.at(unit), {at_us(now_), changes});
  if (plugged_.at(unit))
    twin_.feed(static_cast<int>(ids_.at(unit).slot()), at_us(now_), changes);
  else
    twin_.advance(at_us(now_));
  note_together();
}

void Judged::wait(std::int64_t us) {
  tell(fmt::format("wait {}", us));
  now_ = std::max(now_, engine_.now().time_since_epoch().count()) + us;
  begin_act();
  engine_.advance(at_us(now_));
  twin_.advance(at_us(now_));
  note_together();
  if (engine_.next_due() != twin_.next_due()) complain("the next moment differs");
}

void Judged::freeze_or_thaw() {
  tell(engine_.frozen() ? "thaw" : "freeze");
  if (engine_.frozen()) {
    engine_.thaw();
    twin_.thaw();
  } else {
    engine_.freeze();
    twin_.freeze();
  }
}

void Judged::adopt(const Profile& profile) {
  tell("adopt " + profile.name);
  engine_.adopt(plan_for(profile));
  twin_.adopt(story_catalogue(), profile);
  find_opposites();
  for (const auto& watch : watches_) watch->adopted();
}

void Judged::sample(std::size_t reader) {
  tell(fmt::format("sample by {}", reader));
  watches_.at(reader)->sample();
}

void Judged::look(std::size_t reader) {
  tell(fmt::format("look by {}", reader));
  watches_.at(reader)->look();
}

void Judged::look_by_all() {
  for (std::size_t i = readers; i-- > 0;) look(i);
}

}  // namespace omnipar::test
