#include "judged.hpp"

#include <algorithm>
#include <stdexcept>

#include <fmt/format.h>

#include "support/units.hpp"

namespace omnipar::test {
namespace {

constexpr Duration shortest{20'000};
constexpr std::size_t most_samples = 4000;

/// What can be plugged into each controller is plugged in.
void equip(Profile& profile) {
  const SystemSheet& system = *story_catalogue().system(profile.system);
  for (PortProfile& port : profile.ports) {
    const ControllerSheet& sheet = *system.controller(system.port(port.port)->takes.front());
    for (const AccessorySheet& accessory : sheet.accessories) port.accessories.push_back(accessory.name);
  }
}

Profile one_seat_for_all(Profile profile) {
  for (PortProfile& port : profile.ports) {
    port.seat = "seat-1";
    if (!port.second_seat.empty()) port.second_seat = "seat-2";
  }
  return profile;
}

Control axis(Code code, Reading reading, std::string role, Axis half, std::int32_t low, std::int32_t high,
             std::int32_t rest) {
  return {code, reading, std::move(role), half, low, high, rest};
}

/// A stick that does not spring back, with keys and a trigger that is a switch.
Attachment still_stick() {
  Attachment unit;
  unit.unit = "Marrowby Still Stick";
  unit.controls = {axis(code::abs_x, Reading::two_sided, "left-stick", Axis::x, 20, 230, 117),
                   axis(code::abs_y, Reading::two_sided, "left-stick", Axis::y, 0, 255, 128),
                   {key(0x120), Reading::button, "south"},
                   {key(0x121), Reading::button, "right-trigger"},
                   {key(2), Reading::button, "key-1"},
                   {key(3), Reading::button, "key-2"},
                   {code::btn_dpad_left, Reading::button, "dpad-left"},
                   {code::btn_dpad_right, Reading::button, "dpad-right"}};
  return unit;
}

/// A wheel, a paddle, a pedal that rests at its upper end, and two buttons of one role.
Attachment wheel() {
  Attachment unit;
  unit.unit = "Marrowby Wheel";
  unit.controls = {axis(code::abs_x, Reading::two_sided, "wheel", Axis::none, 0, 1023, 500),
                   axis(code::abs_rx, Reading::two_sided, "paddle", Axis::none, 0, 255, 128),
                   axis(code::abs_z, Reading::one_sided, "pedal", Axis::none, 0, 255, 255),
                   axis(code::abs_rz, Reading::one_sided, "right-trigger", Axis::none, 0, 255, 0),
                   {key(0x120), Reading::button, "south"},
                   {key(0x121), Reading::button, "south"},
                   {key(0x122), Reading::button, "coin"}};
  return unit;
}

/// A mouse with a wheel.
Attachment mouse() {
  Attachment unit;
  unit.unit = "Marrowby Mouse";
  unit.controls = {axis(relative(0), Reading::counts, "mouse", Axis::x, 0, 0, 0),
                   axis(relative(1), Reading::counts, "mouse", Axis::y, 0, 0, 0),
                   axis(relative(8), Reading::counts, "mouse-wheel", Axis::none, 0, 0, 0),
                   {key(0x110), Reading::button, "mouse-left"},
                   {key(0x111), Reading::button, "mouse-right"}};
  return unit;
}

const std::vector<Attachment>& story_units() {
  static const std::vector<Attachment> all{seated(plain_pad(), ""),
                                           seated(plain_pad(), ""),
                                           seated(panel(), ""),
                                           seated(old_stick(), ""),
                                           trackball(""),
                                           still_stick(),
                                           wheel(),
                                           mouse()};
  return all;
}

}  // namespace

const Catalogue& story_catalogue() {
  static const Catalogue all = [] {
    Catalogue catalogue = built_in_catalogue();
    catalogue.systems.push_back(kit_system());
    return catalogue;
  }();
  return all;
}

Profile shaped_profile() {
  Profile profile = propose(story_catalogue(), "kit").value();
  profile.hot[0].after = std::chrono::milliseconds{3};
  Use bouncing{"south"};
  bouncing.debounce = std::chrono::microseconds{1500};
  Use long_press{"east"};
  long_press.hold = std::chrono::milliseconds{2};
  Use both{"west"};
  both.debounce = std::chrono::microseconds{700};
  both.hold = std::chrono::microseconds{1100};
  Use slow_pedal{"left-shoulder"};
  slow_pedal.ramp = 200;
  Use slow_dpad{"dpad"};
  slow_dpad.ramp = 130;
  slow_dpad.debounce = std::chrono::microseconds{400};
  Use any_push{"right-trigger"};
  any_push.press_at = 0.2;
  any_push.release_at = 0;
  Use bouncing_dpad{"dpad"};
  bouncing_dpad.debounce = std::chrono::milliseconds{12};
  Use bouncing_stick{"right-stick"};
  bouncing_stick.debounce = std::chrono::milliseconds{3};
  profile.ports[0].bind = {{"a", {bouncing, long_press}},
                           {"b", {both, {"north"}}},
                           {"c", {any_push}},
                           {"up", {{"dpad-up"}, {"right-stick-up"}}},
                           {"directions", {bouncing_dpad, bouncing_stick}},
                           {"stick", {{"left-stick"}, slow_dpad}},
                           {"throttle", {{"left-trigger"}, slow_pedal}},
                           {"pedal", {slow_pedal, {"right-trigger"}}},
                           {"d", {}}};
  profile.ports[1].like = 1;
  profile.ports[1].seat = "seat-1";  // one seat plays both ports
  profile.ports[1].bind = {{"directions", {{"left-stick"}}}, {"left", {{"west"}}}};
  return profile;
}

const std::vector<Profile>& story_profiles() {
  static const std::vector<Profile> all = [] {
    std::vector<Profile> profiles{shaped_profile()};
    for (const SystemSheet& system : story_catalogue().systems) {
      Profile profile = propose(story_catalogue(), system.name).value();
      equip(profile);
      profiles.push_back(one_seat_for_all(profile));
      profiles.push_back(std::move(profile));
    }
    return profiles;
  }();
  return all;
}

// -- what a reader has shown --------------------------------------------------------------------------------

/// One reader, and what it must have shown by now.
class Judged::Watch {
 public:
  Watch(Judged& judged, bool paced) : judged_(judged) {
    if (paced)
      paced_.emplace(judged.engine_, shortest);
    else
      plain_.emplace(judged.engine_);
    adopted();
    fresh_ = false;
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
    for (std::size_t samples = 0; samples < most_samples; ++samples) {
      sample();
      if (!changed().empty() || fresh_) continue;
      if (!paced_ || !paced_->next_due()) return compare();
      const Time due = *paced_->next_due();
      judged_.wait(std::max<std::int64_t>(0, (due - judged_.engine_.now()).count()));
    }
    judged_.complain("a reader has always more to show");
  }

 private:
  [[nodiscard]] std::span<const std::uint16_t> changed() const {
    return plain_ ? plain_->changed() : paced_->changed();
  }
  [[nodiscard]] double value(std::uint16_t target) const {
    return plain_ ? plain_->value(target) : paced_->value(target);
  }
  [[nodiscard]] PortSample port(int number) const { return plain_ ? plain_->port(number) : paced_->port(number); }
  [[nodiscard]] const TargetInfo& info(std::size_t target) const { return judged_.engine_.plan().targets()[target]; }

  /// `changed` names what has changed and nothing else; after another plan, everything.
  void check_changes() {
    std::vector<int> named(shown_.size(), 0);
    for (const std::uint16_t target : changed()) ++named.at(target);
    for (std::uint16_t t = 0; t < shown_.size(); ++t) {
      const double now = value(t);
      const bool counts = info(t).kind == TargetKind::turns;
      const bool differs = counts ? now != 0 || shown_[t] != 0 : now != shown_[t];
      if (named[t] != (fresh_ || differs ? 1 : 0))
        judged_.complain(
            fmt::format("{} was {} and is {}, and is named {} times", names_[t], shown_[t], now, named[t]));
      if (counts) moved_[names_[t]] += now;
      if (info(t).kind == TargetKind::button && now != shown_[t]) check_pace(t);
      shown_[t] = now;
    }
    fresh_ = false;
  }

  void check_pace(std::uint16_t target) {
    const Time now = judged_.engine_.now();
    if (paced_ && shown_[target] == 1 && now - since_[target] < shortest)
      judged_.complain(fmt::format("{} was shown for {} us only", names_[target], (now - since_[target]).count()));
    since_[target] = now;
  }

  /// Opposite directions are shown together only if hands really held both since the last look.
  void check_opposites() {
    for (const Opposites& pair : judged_.opposites_)
      if (value(pair.one) != 0 && value(pair.other) != 0 && !together_.contains(pair.one))
        judged_.complain(fmt::format("{} and {} are shown together", names_[pair.one], names_[pair.other]));
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
        if (shown == judged) continue;
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
  std::map<std::string, double> moved_;  ///< of what counts: all that has been shown
  std::set<std::uint16_t> together_;     ///< by the first: opposite directions that hands held together
  bool fresh_ = true;                    ///< nothing has been shown of this plan
};

// -- opposite directions --------------------------------------------------------------------------------------

void Judged::find_opposites() {
  opposites_.clear();
  for (const PortInfo& port : engine_.plan().ports())
    for (const auto& [one, other] : {std::pair{"up", "down"}, std::pair{"left", "right"}}) {
      const auto first = engine_.plan().target(port.number, one);
      const auto second = engine_.plan().target(port.number, other);
      if (first && second)
        opposites_.push_back({static_cast<std::uint16_t>(port.first_target + first->value),
                              static_cast<std::uint16_t>(port.first_target + second->value),
                              &twin_.values().at(fmt::format("{}/{}", port.number, one)),
                              &twin_.values().at(fmt::format("{}/{}", port.number, other)),
                              {},
                              {}});
    }
}

void Judged::begin_act() {
  for (Opposites& pair : opposites_) {
    pair.first_before = *pair.first;
    pair.second_before = *pair.second;
  }
}

/// Directions that hands held together during an act: both are down at its end, or one was held all the while, and the
/// other was pressed.
void Judged::note_together() {
  const auto held_through = [](const SlowTwin::Value& before, const SlowTwin::Value& now) {
    return before.level == 1 && now == before;
  };
  for (const Opposites& pair : opposites_) {
    const bool first_pressed = pair.first->presses != pair.first_before.presses;
    const bool second_pressed = pair.second->presses != pair.second_before.presses;
    if (!(pair.first->level == 1 && pair.second->level == 1) &&
        !(held_through(pair.first_before, *pair.first) && second_pressed) &&
        !(held_through(pair.second_before, *pair.second) && first_pressed))
      continue;
    for (const auto& watch : watches_) watch->were_together(pair.one);
  }
}

// -- both sides ---------------------------------------------------------------------------------------------

Judged::Judged(const Profile& profile)
    : engine_(plan_of(story_catalogue(), profile)), twin_(story_catalogue(), profile) {
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
  tell(act);
  const auto id = engine_.attach(attachment);
  if (!id) complain(to_text(id.error()));
  ids_.at(unit) = *id;
  twin_.attach(static_cast<int>(id->slot()), attachment);
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
  engine_.adopt(plan_of(story_catalogue(), profile));
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

// -- stories ------------------------------------------------------------------------------------------------

namespace {

class Story {
 public:
  explicit Story(std::span<const std::uint8_t> bytes) : bytes_(bytes) {}

  void play() {
    Judged both{profile()};
    while (!bytes_.empty()) act(both);
    both.look_by_all();
  }

 private:
  std::size_t below(std::size_t limit) {
    if (bytes_.empty()) return 0;
    const std::size_t byte = bytes_.front();
    bytes_ = bytes_.subspan(1);
    return byte % limit;
  }

  Profile profile() {
    Profile profile = story_profiles()[below(story_profiles().size())];
    if (below(4) != 0) return profile;
    Profile swapped = with_ports_swapped(story_catalogue(), profile, 1, 2);
    return compile(story_catalogue(), swapped) ? swapped : profile;
  }

  std::vector<Change> changes(std::size_t unit) {
    const std::vector<Control>& controls = story_units()[unit].controls;
    std::vector<Change> made;
    for (std::size_t n = 1 + below(4); n > 0; --n) {
      const Control& c = controls[below(controls.size())];
      const auto place = static_cast<std::int64_t>(below(256));
      std::int64_t value = c.minimum + (std::int64_t{c.maximum} - c.minimum) * place / 255;
      if (place % 8 == 1) value = c.rest;
      if (c.reading == Reading::hat) value = place % 3 - 1;
      if (c.reading == Reading::counts) value = place == 255 ? 2'000'000'000 : place - 100;
      made.push_back({c.code, static_cast<std::int32_t>(value)});
    }
    return made;
  }

  void plug(Judged& both, std::size_t unit) {
    Attachment attachment = story_units()[unit];
    attachment.seat = fmt::format("seat-{}", 1 + below(3));
    if (below(2) == 0) attachment.state = changes(unit);
    both.attach(unit, attachment);
  }

  /// More than any buffer holds between two looks.
  void burst(Judged& both, std::size_t unit) {
    const std::vector<Change> one = changes(unit);
    const std::vector<Change> other = changes(unit);
    for (std::size_t n = 0; n < 150; ++n) {
      both.feed(unit, one);
      both.feed(unit, other);
    }
  }

  void act(Judged& both) {
    const std::size_t unit = below(Judged::units);
    const std::size_t what = below(64);
    if (what == 0) return both.adopt(profile());
    if (what == 1) return both.freeze_or_thaw();
    if (what < 6) return both.look(below(Judged::readers));
    if (what < 12) return both.sample(below(Judged::readers));
    if (what < 20) return both.wait(static_cast<std::int64_t>(below(256) * 37));
    if (!both.plugged(unit)) return plug(both, unit);
    if (what == 20) return burst(both, unit);
    if (what < 24) return both.detach(unit);
    both.feed(unit, changes(unit));
  }

  std::span<const std::uint8_t> bytes_;
};

}  // namespace

std::optional<std::string> judge_story(std::span<const std::uint8_t> bytes) {
  try {
    Story{bytes}.play();
  } catch (const std::runtime_error& complaint) {
    return complaint.what();
  }
  return std::nullopt;
}

}  // namespace omnipar::test
