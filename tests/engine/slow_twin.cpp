#include "slow_twin.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "twin_formulas.hpp"

namespace omnipar::test {
namespace {

constexpr int of_hat = -1;

/// Two pushes of equal length may differ in how they were rounded.
bool goes_further(SlowTwin::Point one, SlowTwin::Point than) {
  return one.x * one.x + one.y * one.y > (than.x * than.x + than.y * than.y) * (1 + 1e-12);
}

bool is_measured(const Attachment& attachment, Code code) {
  const auto is_of_stick = [code](const StickCalibration& stick) { return stick.x == code || stick.y == code; };
  return std::ranges::any_of(attachment.sticks, is_of_stick) ||
         std::ranges::find(attachment.axes, code, &AxisCalibration::code) != attachment.axes.end();
}

}  // namespace

std::set<std::string> SlowTwin::stages() {
  std::set<std::string> all{"mounting",        "inversion",      "side",   "smoothing",  "dead zone",
                            "axial dead zone", "snap",           "ways",   "curve",      "points",
                            "outline",         "anti-dead zone", "range",  "slew limit", "threshold",
                            "debounce",        "long press",     "toggle", "autofire",   "ramp",
                            "glide",           "drag",           "edge",   "hold aim",   "opposites"};
  for (const auto& [name, shape] : added_shapes()) all.insert(name);
  return all;
}

std::map<std::string, SlowTwin::AddedShape>& SlowTwin::added_shapes() {
  static std::map<std::string, AddedShape> all;
  return all;
}

// -- physical input ----------------------------------------------------------------------------------

bool SlowTwin::holds(const Unit& unit, const std::string& role, bool for_hotkeys) const {
  const auto contacts = unit.buttons.find(role);
  if (contacts == unit.buttons.end()) return false;
  for (const auto& [code, contact] : contacts->second)
    if (for_hotkeys ? contact.for_hotkeys : contact.counted) return true;
  return false;
}

bool SlowTwin::line_in(const Line& line, int slot) const {
  const auto seat_holds = [&](const std::string& role) {
    for (const auto& [number, unit] : units_)
      if (unit.attachment.seat == line.seat && holds(unit, role, true)) return true;
    return false;
  };
  if (!line.chord_role.empty()) return seat_holds(line.role) && seat_holds(line.chord_role);
  const Unit& unit = units_.at(slot);
  if (unit.attachment.seat != line.seat) return false;
  return line.direction ? line.ways.at(slot).crossing.counted : holds(unit, line.role);
}

bool SlowTwin::has_axis(const Unit& unit, const std::string& role) const {
  for (const Control& c : unit.attachment.controls)
    if (c.role == role && (c.type != ControlType::button || role_kind(role) == RoleKind::one_sided)) return true;
  return false;
}

bool SlowTwin::is_known(const Unit& unit, const std::string& role) const {
  for (const Control& c : unit.attachment.controls)
    if (c.role == role && unit.raw.contains(c.code)) return true;
  return false;
}

/// A trigger that also has an axis follows the axis once it has reported.
bool SlowTwin::has_spoken_axis(const Unit& unit, const std::string& role) {
  for (const Control& c : unit.attachment.controls)
    if (c.role == role && c.type == ControlType::one_sided && unit.raw.contains(c.code)) return true;
  return false;
}

/// Of several controls with one role, the one pushed furthest; on a tie, the first.
SlowTwin::Point SlowTwin::position(const Unit& unit, const std::string& role, Held held) const {
  std::vector<Point> points;
  std::size_t of_x = 0, of_y = 0;
  for (const Control& c : unit.attachment.controls) {
    if (c.role != role || c.type == ControlType::hat || c.type == ControlType::counts) continue;
    if (c.type == ControlType::button && has_spoken_axis(unit, role)) continue;
    if (held == Held::rests && unit.held_over.contains(c.code)) continue;
    const double raw = unit.raw.contains(c.code) ? unit.raw.at(c.code) : c.rest;
    double below = double(c.rest) - c.minimum, above = double(c.maximum) - c.rest;
    if (const auto reach = unit.reaches.find(c.code); reach != unit.reaches.end()) {
      if (below > 0) below = reach->second.below;
      if (above > 0) above = reach->second.above;
    }
    double value = raw < c.rest ? (raw - c.rest) / below : 0;
    if (raw > c.rest) value = (raw - c.rest) / above;
    value = std::fmax(-1, std::fmin(1, std::isfinite(value) ? value : 0));
    if (c.type == ControlType::one_sided && c.rest == c.maximum) value = -value;
    if (c.reversed && c.type != ControlType::one_sided) value = -value;
    if (c.axis == Axis::none) value = formulas::by_marks(unit.attachment, c, raw).value_or(value);
    const std::size_t place = c.axis == Axis::y ? of_y++ : of_x++;
    points.resize(std::max(points.size(), place + 1));
    (c.axis == Axis::y ? points[place].y : points[place].x) = value;
  }
  for (const StickCalibration& stick : unit.attachment.sticks) {
    std::size_t place = 0;  // among those of its role
    for (const Control& c : unit.attachment.controls) {
      if (c.role != role || c.axis == Axis::y) continue;
      if (c.code == stick.x) break;
      ++place;
    }
    if (place >= of_x || place >= of_y) continue;
    const auto raw = [&](Code code) {
      const auto control = std::ranges::find(unit.attachment.controls, code, &Control::code);
      return double(unit.raw.contains(code) ? unit.raw.at(code) : control->rest);
    };
    if (const auto at = formulas::by_edge(unit.attachment, stick, {raw(stick.x), raw(stick.y)}))
      points[place] = {at->x, at->y};
  }
  Point best;
  for (const Point& point : points)
    if (goes_further(point, best)) best = point;
  return best;
}

void SlowTwin::attach(int slot, const Attachment& attachment) {
  Unit& unit = units_[slot] = Unit{attachment, {}, {}, {}, {}};
  for (const Control& c : attachment.controls)
    if (attachment.ranges_by_use && !c.half && (c.type == ControlType::one_sided || c.type == ControlType::two_sided) &&
        !is_measured(attachment, c.code))
      unit.reaches[c.code] = {double(std::int64_t(0.7 * (double(c.maximum) - c.rest))),
                              double(std::int64_t(0.7 * (double(c.rest) - c.minimum))), c.rest};
  for (Line& line : lines_)
    if (line.chord_role.empty()) line.ways[slot] = {};
  const bool was_frozen = std::exchange(frozen_, true);
  only_notes_ = true;
  feed(slot, at_us(now_), attachment.state);
  only_notes_ = false;
  frozen_ = was_frozen;
  for (auto& [role, contacts] : unit.buttons)
    for (auto& [code, contact] : contacts) contact.for_hotkeys = attachment.by_press && contact.down;
  only_notes_ = frozen_ = true;
  place(slot, unit, nullptr, When::as_is);
  cross(slot, unit);
  only_notes_ = false;
  frozen_ = was_frozen;
  hold_over(unit);
  place_known(slot, unit);
  work_out();
  settle_what_is_known(unit);
  aim(slot, unit, nullptr);
}

/// A press; a release earlier in the same report takes effect first.
void SlowTwin::hold_again(Contact& contact) {
  contact.down = true;
  if (only_notes_) return;
  if (contact.counted || contact.for_hotkeys) {
    const bool come_in = std::exchange(presses_come_in_, false);
    work_out();
    contact.counted = contact.for_hotkeys = false;
    work_out();
    presses_come_in_ = come_in;
  }
  contact.for_hotkeys = true;
  contact.counted = !frozen_;
  work_out();
  note_together(true);
}

/// True if it is physically on at this moment, or a stage holds it on.
bool SlowTwin::is_really_on(const Value& target) const {
  const auto is_down = [this](const Line& line, int slot) {
    if (line.direction) return line.ways.at(slot).crossing.down;
    const auto contacts = units_.at(slot).buttons.find(line.role);
    return contacts != units_.at(slot).buttons.end() &&
           std::ranges::any_of(contacts->second, [](const auto& entry) { return entry.second.down; });
  };
  for (const Line& line : lines_)
    for (const auto& [slot, way] : line.ways) {
      if (line.target != &target || !way.out) continue;
      const bool is_kept = time_said(line.use, "debounce") > 0 || said(line.use, "toggle", 0) != 0;
      if (is_kept || is_down(line, slot)) return true;
    }
  return false;
}

void SlowTwin::set(int slot, Unit& unit, const Control& c, std::int32_t value) {
  const auto press = [&](const std::string& role, int code, bool down) {
    Contact& contact = unit.buttons[role][code];
    if (contact.down == down) return;
    if (down) return hold_again(contact);
    contact.down = false;
  };
  if (c.type == ControlType::counts) {
    for (const Count& count : counts_)
      if (!frozen_ && count.seat == unit.attachment.seat && count.role == c.role)
        values_[c.axis == Axis::y ? count.y : count.x].level +=
            c.reversed != (c.axis == Axis::y ? count.turns_y : count.turns_x) ? -double(value) : value;
    drag(slot, unit, c, value);
  } else if (c.type == ControlType::hat) {
    const int side = c.reversed ? -value : value;
    const auto low = [&] { press(c.role + (c.axis == Axis::x ? "-left" : "-up"), of_hat, side < 0); };
    const auto high = [&] { press(c.role + (c.axis == Axis::x ? "-right" : "-down"), of_hat, side > 0); };
    c.reversed ? (high(), low()) : (low(), high());
  } else if (c.type == ControlType::button && role_kind(c.role) == RoleKind::button) {
    press(c.role, c.code.number, value != 0);
    if (c.off_screen) press("off-screen", c.code.number, value != 0);
  } else {
    unit.raw[c.code] = value;
    if (const auto at = unit.reaches.find(c.code); at != unit.reaches.end()) {
      Unit::Reach& reach = at->second;  // as far as two consecutive readings
      reach.above = std::max(reach.above, double(std::min(value, reach.last)) - c.rest);
      reach.below = std::max(reach.below, c.rest - double(std::max(value, reach.last)));
      reach.last = value;
    }
  }
}

/// A trigger button that is down counts from its next press.
void SlowTwin::hold_over(Unit& unit) {
  for (const Control& c : unit.attachment.controls)
    if (c.type == ControlType::button && unit.raw.contains(c.code) && unit.raw.at(c.code) != 0)
      unit.held_over.insert(c.code);
}

void SlowTwin::feed(int slot, Time time, std::span<const Change> changes) {
  advance(time);
  const auto at = units_.find(slot);
  if (at == units_.end()) return;
  Unit& unit = at->second;
  std::set<Code> spoken;
  std::set<Code> moved;              // axes
  presses_come_in_ = thaws_ = true;  // intermediate values within a report are never shown
  for (const Change& change : changes) {
    if (change.value == 0) unit.held_over.erase(change.code);
    if (unit.held_over.contains(change.code)) continue;
    const bool again = moved.contains(change.code);
    for (const Control& c : unit.attachment.controls) {
      if (c.code != change.code) continue;
      spoken.insert(c.code);
      if (again) {  // twice in a report: the first change counts, too
        place(slot, unit, &moved, frozen_ ? When::as_is : When::input);
        cross(slot, unit);
        aim(slot, unit, &moved);
      }
      set(slot, unit, c, change.value);
      if (unit.raw.contains(c.code)) moved.insert(c.code);
    }
  }
  place(slot, unit, &moved, frozen_ ? When::as_is : When::input);
  cross(slot, unit);
  aim(slot, unit, &moved);
  presses_come_in_ = false;
  work_out();
  for (auto& [role, contacts] : unit.buttons)
    for (auto& [code, contact] : contacts) {
      contact.counted = contact.counted && contact.down;
      contact.for_hotkeys = contact.for_hotkeys && contact.down;
    }
  for (Line& line : lines_)
    if (line.direction)
      line.ways[slot].crossing.counted = line.ways[slot].crossing.counted && line.ways[slot].crossing.down;
  work_out();
  end_opposite_debounces(slot, unit);
  settle_what_is_known(unit, &spoken);
  for (Pointer& pointer : pointers_)
    for (PointerSource& source : pointer.sources)
      if (source.aims.contains(slot) && std::exchange(source.aims[slot].aims_anew, false)) aim_again(slot, source);
  thaws_ = false;
  refresh_sights();
}

void SlowTwin::cross(int slot, Unit& unit) {
  for (Line& line : lines_) {
    if (!line.direction || line.seat != unit.attachment.seat || !has_axis(unit, line.role)) continue;
    const Point p = line.followers[slot].out;
    const std::array<double, 4> push{-p.y, p.y, -p.x, p.x};
    const auto pass = [&](bool passed, double length) {
      const double threshold = said(line.use, "threshold", 0.5);
      if (passed) return length > 0 && length >= said(line.use, "release", std::min(0.4, threshold));
      return length >= threshold;
    };
    Way& way = line.ways[slot];
    way.opposite = pass(way.opposite, push[*line.direction ^ 1]);
    const bool down = pass(way.crossing.down, push[*line.direction]);
    if (down && !way.crossing.down) hold_again(way.crossing);
    way.crossing.down = down;
  }
}

bool SlowTwin::opposite_is_down(const Line& line, int slot, const Unit& unit) const {
  if (line.direction) return line.ways.at(slot).opposite;
  for (std::size_t d = 0; d < 4; ++d) {
    const std::string end = "-" + std::string{direction_names[d]};
    if (!line.role.ends_with(end)) continue;
    const auto across =
        unit.buttons.find(line.role.substr(0, line.role.size() - end.size() + 1) + std::string{direction_names[d ^ 1]});
    return across != unit.buttons.end() && across->second.contains(of_hat) && across->second.at(of_hat).down;
  }
  return false;
}

/// A hat or stick on the other side has left this one: any debounce pending here ends.
void SlowTwin::end_opposite_debounces(int slot, const Unit& unit) {
  for (Line& line : lines_) {
    if (!line.chord_role.empty() || line.seat != unit.attachment.seat || !opposite_is_down(line, slot, unit)) continue;
    Way& way = line.ways[slot];
    if (line_in(line, slot)) continue;
    way.middle = false;
    way.deaf_until.reset();
  }
  work_out();
}

// -- evaluating everything -------------------------------------------------------------------------

void SlowTwin::work_out_way(Line& line, Way& way, int slot) {
  way.in = line_in(line, slot);
  const bool before = way.middle;
  const std::int64_t debounce = time_said(line.use, "debounce");
  const std::int64_t long_press = time_said(line.use, "long-press");
  const bool was_pressed = way.pressed;
  if (debounce == 0) {
    way.middle = way.in;
  } else if (!way.deaf_until && way.middle != way.in) {
    way.middle = way.in;
    way.deaf_until = now_ + debounce;
  }
  if (long_press == 0) {
    way.pressed = way.middle;
  } else if (!way.middle) {
    way.pressed = false;
    way.held_until.reset();
  } else if (!before) {
    way.held_until = now_ + long_press;
  } else if (!way.held_until) {
    way.pressed = true;
  }
  const bool was_on = way.on;
  if (said(line.use, "toggle", 0) == 0)
    way.on = way.pressed;
  else if (way.pressed && !was_pressed)
    way.on = !way.on;
  const double autofire = said(line.use, "autofire", 0);
  if (autofire == 0) {
    way.out = way.on;
  } else if (!way.on) {
    way.out = false;
    way.pulse_at.reset();
  } else if (!was_on) {
    way.out = true;
    way.pulse_at = now_ + static_cast<std::int64_t>(500'000 / autofire);
  }
}

/// True if one of the two suppresses the other, or releases it.
bool SlowTwin::is_across(const Value& one, const Value& other) const {
  for (const Opposed& port : opposed_)
    for (std::size_t d = 0; d < 4; ++d)
      if (port.targets[d] == &one && port.targets[d ^ 1] == &other) return true;
  return false;
}

bool SlowTwin::is_sight(const std::string& target) const {
  return std::ranges::any_of(pointers_, [&](const Pointer& pointer) { return pointer.name + "-on" == target; });
}

bool SlowTwin::pulses(const std::string& target) const {
  for (const Line& line : lines_)
    for (const auto& [slot, way] : line.ways)
      if (way.pulse_at && line.target != nullptr &&
          (line.target == &values_.at(target) || is_across(*line.target, values_.at(target)) || is_sight(target)))
        return true;
  return false;
}

/// While the presses of a report are collected, directions with opposites are not evaluated.
void SlowTwin::leave_out_opposites(std::set<Value*>& on) {
  for (Opposed& port : opposed_)
    for (std::size_t pair = 0; pair < 2; ++pair) {
      if (presses_come_in_) {
        for (const std::size_t d : {2 * pair, 2 * pair + 1})
          port.targets[d]->level != 0 ? static_cast<void>(on.insert(port.targets[d]))
                                      : static_cast<void>(on.erase(port.targets[d]));
        continue;
      }
      const std::size_t one = 2 * pair, other = 2 * pair + 1;
      for (const std::size_t d : {one, other}) {
        const bool now = on.contains(port.targets[d]);
        if (now && !port.on[d]) port.last[pair] = d - one;
        port.on[d] = now;
      }
      if (!port.on[one] || !port.on[other]) continue;
      for (const std::size_t d : {one, other})
        if (!port.last_wins || port.last[pair] != d - one) on.erase(port.targets[d]);
    }
}

void SlowTwin::work_out() {
  for (Line& line : lines_)
    for (auto& [slot, way] : line.ways) work_out_way(line, way, slot);
  run_reloads();
  std::set<Value*> on, all;
  for (const Line& line : lines_) {
    all.insert(line.target);
    if (line.out() && line.target != nullptr) on.insert(line.target);
  }
  for (const Reload& reload : reloads_) {
    const Pointer& pointer = pointers_[reload.pointer];
    all.insert({pointer.trigger, pointer.off});
    for (const auto& [slot, run] : reload.runs) {
      if (run.pulls) on.insert(pointer.trigger);
      if (run.hides) on.insert(pointer.off);
    }
  }
  leave_out_opposites(on);
  for (Value* target : all) {
    if (target == nullptr) continue;
    const double level = on.contains(target) ? 1 : 0;
    if (level > target->level) ++target->presses;
    target->level = level;
  }
  if (!frozen_) work_out_analogs();
  press_pointers();
  notice_pulls();
  notice_pushes();
  refresh_sights();
}

std::array<bool, 4> SlowTwin::sides(const Ramped& ramped, int slot) const {
  std::array<bool, 4> on{};
  for (std::size_t d = 0; d < on.size(); ++d) {
    if (ramped.lines[d] < 0) continue;
    const auto& ways = lines_[static_cast<std::size_t>(ramped.lines[d])].ways;
    on.at(d) = ways.contains(slot) && ways.at(slot).out;
  }
  return on;
}

SlowTwin::Point SlowTwin::goal(const Ramped& ramped, int slot) const {
  const auto on = sides(ramped, slot);
  const auto side = [&on](std::size_t d) { return on.at(d) ? 1.0 : 0.0; };
  Point p{side(3) - side(2), side(1) - side(0)};
  if (p.x != 0 && p.y != 0) p = {p.x * std::sqrt(0.5), p.y * std::sqrt(0.5)};
  return p;
}

SlowTwin::Points SlowTwin::points_of(const Analog& analog, bool buttons_only) const {
  Points points;
  for (const Lane& lane : analog.lanes) {
    auto& here = points.emplace_back();
    for (const auto& [slot, unit] : units_) {
      if (lane.ramped < 0) {
        if (!buttons_only && unit.attachment.seat == lane.seat && is_known(unit, lane.role) &&
            lane.followers.contains(slot))
          here[slot] = lane.followers.at(slot).out;
        continue;
      }
      const Ramped& ramped = ramped_[static_cast<std::size_t>(lane.ramped)];
      here[slot] = goal(ramped, slot);
      if (!ramped.moves()) continue;
      const auto place = ramped.places.contains(slot) ? ramped.places.at(slot) : Place{};
      here[slot] = {double(place.x) / full, double(place.y) / full};
    }
    std::erase_if(here, [](const auto& entry) { return entry.second == Point{}; });
  }
  return points;
}

void SlowTwin::settle(const Analog& analog) {
  Point best;
  for (const auto& lane : points_of(analog, false))
    for (const auto& [slot, p] : lane)
      if (analog.adds)
        best.x += p.x;
      else if (goes_further(p, best))
        best = p;
  if (analog.corner != 0 && best != Point{}) {  // the machine's own gate
    const double x = std::fabs(best.x), y = std::fabs(best.y), length = std::sqrt(x * x + y * y);
    double part = std::fmin(x, y) / std::fmax(x, y);
    if (part > 0.85)
      part = std::fmin(1, 0.85 + (part - 0.85) * ((1 - 0.85) / (0.96 - 0.85)));  // nearly diagonal counts as diagonal
    const double side = std::fmin(1, length / (1 + part * (1 - analog.corner) / analog.corner));
    best = {std::copysign(x >= y ? side : side * part, best.x), std::copysign(x >= y ? side * part : side, best.y)};
  }
  values_[analog.x].level = analog.adds ? std::clamp(best.x, -1.0, 1.0) : best.x;
  if (!analog.y.empty()) values_[analog.y].level = best.y;
}

/// Self-centering targets follow their sources. Others move when a source reports a position: a button by a change, an
/// axis by any report.
void SlowTwin::work_out_analogs() {
  for (Analog& analog : analogs_) {
    if (!analog.stays) {
      settle(analog);
      continue;
    }
    Points of_buttons = points_of(analog, true);
    if (of_buttons == analog.of_buttons) continue;
    analog.of_buttons = std::move(of_buttons);
    settle(analog);
  }
}

void SlowTwin::settle_what_is_known(const Unit& unit, const std::set<Code>* spoken) {
  if (frozen_) return;
  for (const Analog& analog : analogs_)
    for (const Lane& lane : analog.lanes) {
      if (!analog.stays || lane.ramped >= 0 || lane.seat != unit.attachment.seat || !has_axis(unit, lane.role))
        continue;
      for (const Control& c : unit.attachment.controls)
        if (c.role == lane.role && (spoken != nullptr ? spoken->contains(c.code) : unit.raw.contains(c.code)))
          settle(analog);
    }
}

}  // namespace omnipar::test
