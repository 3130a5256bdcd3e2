#include "slow_twin.hpp"

#include <cmath>
#include <set>

namespace omnipar::test {

// -- from the profile ---------------------------------------------------------------------------------

SlowTwin::SlowTwin(const Catalogue& catalogue, const Profile& profile) {
  const SystemSheet& system = *catalogue.system(profile.system);
  for (const PortProfile& port : profile.ports) add_port(system, profile, port);
  std::set<std::string> seats;
  std::vector<std::string> seat_order;
  for (const PortProfile& port : profile.ports)
    if (seats.insert(port.seat).second) seat_order.push_back(port.seat);
  for (const HotAction& hot : profile.hot)
    for (const std::string& seat : seat_order) {
      Use use;
      use.hold = hot.after;
      add_line("0/" + hot.action, seat, use, hot.hold);
      lines_.back().chord_role = hot.press;
    }
}

void SlowTwin::add_port(const SystemSheet& system, const Profile& profile, const PortProfile& port) {
  const ControllerSheet& sheet =
      *system.controller(port.controller.empty() ? system.port(port.port)->takes[0] : port.controller);
  std::map<std::string, std::vector<Use>> bound;
  if (port.like)
    for (const PortProfile& other : profile.ports)
      if (other.port == *port.like)
        for (const Binding& b : other.bind) bound[b.target] = b.uses;
  for (const Binding& b : port.bind) bound[b.target] = b.uses;
  const auto uses_of = [&](const std::string& target, const std::vector<std::string>& usual) {
    if (bound.contains(target)) return bound[target];
    std::vector<Use> uses;
    for (const std::string& role : usual) uses.push_back({role});
    return uses;
  };
  const std::string prefix = std::to_string(port.port) + "/";
  const auto add_button_uses = [&](const std::string& name, const std::vector<Use>& uses) {
    values_[prefix + name];
    for (const Use& use : uses) {
      if (const auto direction = stick_direction(use.role))
        add_line(prefix + name, port.seat, use, direction->stick, direction->direction);
      else if (role_kind(use.role) == RoleKind::one_sided)
        add_line(prefix + name, port.seat, use, use.role, 3);
      else
        add_line(prefix + name, port.seat, use, use.role);
    }
  };
  if (sheet.directions) {
    for (const std::string_view d : direction_names) values_[prefix + std::string{d}];
    for (const std::string_view d : direction_names)
      if (bound.contains(std::string{d})) add_button_uses(std::string{d}, bound[std::string{d}]);
    for (const Use& use : uses_of("directions", sheet.usual_directions))
      for (std::size_t d = 0; d < 4; ++d) {
        const std::string name{direction_names[d]};
        if (bound.contains(name)) continue;
        if (role_kind(use.role) == RoleKind::dpad)
          add_line(prefix + name, port.seat, use, use.role + "-" + name);
        else
          add_line(prefix + name, port.seat, use, use.role, d);
      }
  }
  for (const TargetSheet& target : sheet.targets) {
    const std::vector<Use> uses = uses_of(target.name, target.usual);
    if (target.kind == TargetKind::button)
      add_button_uses(target.name, uses);
    else
      add_analog(prefix, port.seat, target, uses);
  }
}

void SlowTwin::add_line(const std::string& target, const std::string& seat, const Use& use, const std::string& role,
                        std::optional<std::size_t> direction) {
  Line line;
  line.target = target;
  line.seat = seat;
  line.role = role;
  line.direction = direction;
  line.use = use;
  lines_.push_back(line);
  if (!target.empty()) values_[target];
}

int SlowTwin::add_glide_line(const std::string& seat, const Use& use, const std::string& role) {
  add_line("", seat, use, role);
  return static_cast<int>(lines_.size()) - 1;
}

void SlowTwin::add_analog(const std::string& prefix, const std::string& seat, const TargetSheet& sheet,
                          const std::vector<Use>& uses) {
  if (sheet.kind == TargetKind::turns || sheet.kind == TargetKind::movement) {
    const bool both = sheet.kind == TargetKind::movement;
    const std::string x = prefix + sheet.name + (both ? "-x" : ""), y = both ? prefix + sheet.name + "-y" : "";
    values_[x];
    if (both) values_[y];
    for (const Use& use : uses) counts_.push_back({x, y, seat, use.role});
    return;
  }
  Analog analog;
  const bool pair = sheet.kind == TargetKind::stick;
  analog.x = prefix + sheet.name + (pair ? "-x" : "");
  analog.y = pair ? prefix + sheet.name + "-y" : "";
  analog.stays = sheet.stays;
  values_[analog.x];
  if (pair) values_[analog.y];
  for (const Use& use : uses) {
    const RoleKind kind = *role_kind(use.role);
    Lane lane{seat, use.role, use.dead_zone, -1};
    if (kind == RoleKind::button || kind == RoleKind::dpad) {
      Glide glide;
      glide.ramp = use.ramp;
      if (kind == RoleKind::button) glide.lines[3] = add_glide_line(seat, use, use.role);
      if (kind == RoleKind::dpad)
        for (std::size_t d = pair ? 0 : 2; d < 4; ++d)
          glide.lines[d] = add_glide_line(seat, use, use.role + "-" + std::string{direction_names[d]});
      lane.glide = static_cast<int>(glides_.size());
      glides_.push_back(glide);
    }
    analog.lanes.push_back(lane);
  }
  analog.points.resize(analog.lanes.size());
  analogs_.push_back(analog);
}

// -- what hands do --------------------------------------------------------------------------------------

bool SlowTwin::role_held(const std::string& seat, const std::string& role) const {
  for (const auto& [slot, unit] : units_)
    for (const auto& [name, contact] : unit.buttons)
      if (unit.attachment.seat == seat && contact.counted && name.substr(0, name.find(' ')) == role) return true;
  return false;
}

bool SlowTwin::line_in(const Line& line) const {
  if (!line.chord_role.empty()) return role_held(line.seat, line.role) && role_held(line.seat, line.chord_role);
  if (!line.direction) return role_held(line.seat, line.role);
  for (const auto& [slot, contact] : line.crossings)
    if (contact.counted) return true;
  return false;
}

bool SlowTwin::has_axis(const Unit& unit, const std::string& role) const {
  for (const Control& c : unit.attachment.controls)
    if (c.role == role && (c.reading != Reading::button || role_kind(role) == RoleKind::one_sided)) return true;
  return false;
}

SlowTwin::Point SlowTwin::position(const Unit& unit, const std::string& role) const {
  Point point;
  for (const Control& c : unit.attachment.controls) {
    if (c.role != role) continue;
    const double raw = unit.raw.contains(c.code) ? unit.raw.at(c.code) : c.rest;
    double value = raw < c.rest ? (raw - c.rest) / (double(c.rest) - c.minimum) : 0;
    if (raw > c.rest) value = (raw - c.rest) / (double(c.maximum) - c.rest);
    value = std::fmax(-1, std::fmin(1, std::isfinite(value) ? value : 0));
    if (c.reading == Reading::one_sided && c.rest == c.maximum) value = -value;
    (c.axis == Axis::y ? point.y : point.x) = value;
  }
  return point;
}

void SlowTwin::attach(int slot, const Attachment& attachment) {
  Unit& unit = units_[slot] = Unit{attachment, {}, {}};
  const bool was_frozen = std::exchange(frozen_, true);
  feed(slot, at_us(now_), attachment.state);
  cross(slot, unit);
  frozen_ = was_frozen;
  work_out();
}

void SlowTwin::press_button(Contact& contact) {
  contact.down = true;
  if (frozen_) return;
  if (contact.counted) {
    contact.counted = false;
    work_out();
  }
  contact.counted = true;
  work_out();
}

void SlowTwin::feed(int slot, Time time, std::span<const Change> changes) {
  advance(time);
  const auto at = units_.find(slot);
  if (at == units_.end()) return;
  Unit& unit = at->second;
  const auto set = [&](const std::string& name, bool down) {
    Contact& contact = unit.buttons[name];
    if (contact.down == down) return;
    if (down) return press_button(contact);
    contact.down = false;
  };
  for (const Change& change : changes)
    for (const Control& c : unit.attachment.controls) {
      if (c.code != change.code) continue;
      if (c.reading == Reading::counts) {
        for (const Count& count : counts_)
          if (!frozen_ && count.seat == unit.attachment.seat && count.role == c.role)
            values_[c.axis == Axis::y ? count.y : count.x].level += change.value;
        continue;
      }
      const bool sideways = c.axis == Axis::x;
      if (c.reading == Reading::hat) {
        set(c.role + (sideways ? "-left" : "-up") + " hat", change.value < 0);
        set(c.role + (sideways ? "-right" : "-down") + " hat", change.value > 0);
      } else if (c.reading == Reading::button && role_kind(c.role) == RoleKind::button) {
        set(c.role + " " + std::to_string(c.code.number), change.value != 0);
      } else {
        unit.raw[c.code] = change.value;
      }
    }
  cross(slot, unit);
  for (auto& [name, contact] : unit.buttons) contact.counted = contact.counted && contact.down;
  for (Line& line : lines_)
    for (auto& [number, contact] : line.crossings) contact.counted = contact.counted && contact.down;
  work_out();
}

void SlowTwin::cross(int slot, Unit& unit) {
  for (Line& line : lines_) {
    if (!line.direction || line.seat != unit.attachment.seat || !has_axis(unit, line.role)) continue;
    const Point p = position(unit, line.role);
    const std::array<double, 4> push{-p.y, p.y, -p.x, p.x};
    Contact& contact = line.crossings[slot];
    if (contact.down && push[*line.direction] < line.use.release_at) {
      contact.down = false;
    } else if (!contact.down && push[*line.direction] >= line.use.press_at) {
      contact.down = true;
      contact.counted = !frozen_;
      work_out();
    }
  }
}

// -- working everything out ---------------------------------------------------------------------------

void SlowTwin::work_out() {
  for (Line& line : lines_) {
    line.in = line_in(line);
    const bool before = line.middle;
    if (line.use.debounce.count() == 0) {
      line.middle = line.in;
    } else if (!line.deaf_until && line.middle != line.in) {
      line.middle = line.in;
      line.deaf_until = now_ + line.use.debounce.count();
    }
    if (line.use.hold.count() == 0) {
      line.out = line.middle;
    } else if (!line.middle) {
      line.out = false;
      line.held_until.reset();
    } else if (!before) {
      line.held_until = now_ + line.use.hold.count();
    }
  }
  std::set<std::string> on;
  for (const Line& line : lines_)
    if (line.out && !line.target.empty()) on.insert(line.target);
  for (const Line& line : lines_) {
    if (line.target.empty()) continue;
    Value& value = values_[line.target];
    const double level = on.contains(line.target) ? 1 : 0;
    if (level > value.level) ++value.presses;
    value.level = level;
  }
  for (Glide& glide : glides_) {
    if (glide.ramp > 0) continue;
    const Point to = goal(glide);
    const auto x = static_cast<std::int64_t>(to.x * 4294967296.0);
    const auto y = static_cast<std::int64_t>(to.y * 4294967296.0);
    glide.x = x;
    glide.y = y;
  }
  if (!frozen_) work_out_analog();
}

SlowTwin::Point SlowTwin::goal(const Glide& glide) const {
  const auto side = [&](std::size_t d) {
    return glide.lines[d] >= 0 && lines_[static_cast<std::size_t>(glide.lines[d])].out ? 1.0 : 0.0;
  };
  Point p{side(3) - side(2), side(1) - side(0)};
  if (p.x != 0 && p.y != 0) p = {p.x * std::sqrt(0.5), p.y * std::sqrt(0.5)};
  return p;
}

SlowTwin::Point SlowTwin::shaped(Point p, double dead_zone) const {
  const double length = std::sqrt(p.x * p.x + p.y * p.y);
  if (p.x * p.x + p.y * p.y <= dead_zone * dead_zone) return {};
  const double factor = length >= 1 ? 1 / length : (1 - dead_zone / length) * (1 / (1 - dead_zone));
  return {p.x * factor, p.y * factor};
}

SlowTwin::Points SlowTwin::points_of(const Analog& analog) const {
  Points points;
  for (const Lane& lane : analog.lanes) {
    auto& here = points.emplace_back();
    if (lane.glide >= 0) {
      const Glide& glide = glides_[static_cast<std::size_t>(lane.glide)];
      here[0] = glide.ramp > 0 ? Point{double(glide.x) / 4294967296.0, double(glide.y) / 4294967296.0} : goal(glide);
    } else {
      for (const auto& [slot, unit] : units_)
        if (unit.attachment.seat == lane.seat && has_axis(unit, lane.role))
          here[slot] = shaped(position(unit, lane.role), lane.dead_zone);
    }
    std::erase_if(here, [](const auto& entry) { return entry.second == Point{}; });
  }
  return points;
}

void SlowTwin::work_out_analog() {
  for (Analog& analog : analogs_) {
    Points points = points_of(analog);
    if (points == analog.points) continue;
    analog.points = points;
    Point best;
    double best_square = 0;
    for (const auto& lane : points)
      for (const auto& [slot, p] : lane)
        if (p.x * p.x + p.y * p.y > best_square) {
          best_square = p.x * p.x + p.y * p.y;
          best = p;
        }
    values_[analog.x].level = best.x;
    if (!analog.y.empty()) values_[analog.y].level = best.y;
  }
}

// -- time -----------------------------------------------------------------------------------------------

std::optional<std::int64_t> SlowTwin::next() const {
  std::optional<std::int64_t> first;
  const auto offer = [&](std::optional<std::int64_t> t) {
    if (t && (!first || *t < *first)) first = t;
  };
  for (const Line& line : lines_) {
    offer(line.deaf_until);
    offer(line.held_until);
  }
  for (const Glide& glide : glides_) {
    const Point to = goal(glide);
    const bool there = glide.x == static_cast<std::int64_t>(to.x * 4294967296.0) &&
                       glide.y == static_cast<std::int64_t>(to.y * 4294967296.0);
    if (glide.ramp > 0 && !there) offer((now_ / 1000 + 1) * 1000);
  }
  return first;
}

void SlowTwin::fire() {
  for (Line& line : lines_) {
    if (line.held_until == now_) {
      line.held_until.reset();
      line.out = true;
      work_out();
    }
    if (line.deaf_until == now_) {
      line.deaf_until.reset();
      work_out();
    }
  }
  if (now_ % 1000 != 0) return;
  for (Glide& glide : glides_) {
    if (glide.ramp <= 0) continue;
    const auto step = static_cast<std::int64_t>(glide.ramp / 1000 * 4294967296.0);
    const auto towards = [&](std::int64_t from, double goal_value) {
      const auto to = static_cast<std::int64_t>(goal_value * 4294967296.0);
      return std::abs(to - from) <= step ? to : (to > from ? from + step : from - step);
    };
    const Point to = goal(glide);
    glide.x = towards(glide.x, to.x);
    glide.y = towards(glide.y, to.y);
  }
  work_out();
}

void SlowTwin::advance(Time to) {
  const std::int64_t end = to.time_since_epoch().count();
  for (auto t = next(); t && *t <= end; t = next()) {
    now_ = *t;
    fire();
  }
  now_ = std::max(now_, end);
}

// -- leaving ----------------------------------------------------------------------------------------------

bool SlowTwin::feeds(const Unit& unit, const Line& line) const {
  if (unit.attachment.seat != line.seat) return false;
  for (const Control& c : unit.attachment.controls) {
    if (c.role == line.role || c.role == line.chord_role) return true;
    if (c.reading == Reading::hat && line.role.starts_with(c.role + "-")) return true;
  }
  return false;
}

/// What the leaving unit's lines still keep up by debounce or ramp ends now.
void SlowTwin::end_at_once(const Unit& unit) {
  std::set<int> ended;
  for (std::size_t i = 0; i < lines_.size(); ++i) {
    Line& line = lines_[i];
    if (!feeds(unit, line) || line_in(line)) continue;
    ended.insert(static_cast<int>(i));
    line.middle = false;
    line.deaf_until.reset();
  }
  work_out();
  for (Glide& glide : glides_) {
    bool mine = false;
    for (const int line : glide.lines) mine = mine || ended.contains(line);
    if (!mine || !(goal(glide) == Point{})) continue;
    glide.x = glide.y = 0;
  }
}

void SlowTwin::detach(int slot) {
  const auto at = units_.find(slot);
  if (at == units_.end()) return;
  const Unit unit = at->second;
  units_.erase(at);
  for (Line& line : lines_) line.crossings.erase(slot);
  for (Analog& analog : analogs_)
    if (analog.stays)
      for (auto& lane : analog.points) lane.erase(slot);
  end_at_once(unit);
  work_out();
}

void SlowTwin::freeze() {
  frozen_ = true;
  for (auto& [slot, unit] : units_)
    for (auto& [name, contact] : unit.buttons) contact.counted = false;
  for (Line& line : lines_) {
    for (auto& [slot, contact] : line.crossings) contact.counted = false;
    line.in = line.middle = line.out = false;
    line.deaf_until.reset();
    line.held_until.reset();
  }
  for (Glide& glide : glides_) glide.x = glide.y = 0;
  work_out();
  for (Analog& analog : analogs_) {
    analog.points.clear();
    analog.points.resize(analog.lanes.size());
    if (analog.stays) continue;
    values_[analog.x].level = 0;
    if (!analog.y.empty()) values_[analog.y].level = 0;
  }
}

void SlowTwin::thaw() {
  if (!frozen_) return;
  frozen_ = false;
  work_out();
}

}  // namespace omnipar::test
