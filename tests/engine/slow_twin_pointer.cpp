// How the slow twin evaluates pointers.
#include <algorithm>
#include <cmath>

#include "slow_twin.hpp"
#include "twin_formulas.hpp"

namespace omnipar::test {
namespace {

constexpr std::int64_t edge = std::int64_t{1} << 48;
constexpr std::int64_t noise = edge / 100;

bool is_far(std::int64_t x, std::int64_t y) { return std::llabs(x) > noise || std::llabs(y) > noise; }

RoleKind kind_of(const Use& use) { return *role_kind(use.role); }

}  // namespace

/// The whole unit that reported, or its changed controls.
void SlowTwin::aim(int slot, const Unit& unit, const std::set<Code>* touched) {
  if (frozen_) return;
  std::map<std::pair<std::string, std::size_t>, bool> speaks;  // by role, and the index among controls of that role
  std::vector<std::pair<std::string, std::size_t>> order;
  std::map<std::pair<std::string, Axis>, std::size_t> halves;
  for (const Control& c : unit.attachment.controls) {
    if (c.axis == Axis::none || c.type == ControlType::hat || c.type == ControlType::counts) continue;
    const std::pair gauge{c.role, halves[{c.role, c.axis}]++};
    if (std::ranges::find(order, gauge) == order.end()) order.push_back(gauge);
    if (touched != nullptr ? touched->contains(c.code) : unit.raw.contains(c.code)) speaks[gauge] = true;
  }
  for (const auto& gauge : order)
    if (speaks[gauge]) aim_one(slot, unit, gauge.first, gauge.second);
}

/// A pull holds the aim of its unit for a time, at the position of its own report.
void SlowTwin::notice_pulls() {
  for (Pointer& pointer : pointers_)
    for (PointerSource& source : pointer.sources)
      for (const auto& [slot, unit] : units_) {
        if (source.seat != unit.attachment.seat || kind_of(source.use) != RoleKind::pointer) continue;
        Aim& aim = source.aims[slot];
        const bool pulled = holds(unit, "trigger");
        const std::int64_t time = time_said(source.use, "hold-aim");
        if (pulled && !aim.pulled && time > 0) {
          aim.held_until = now_ + time;
          aim.held_from = now_;
          aim.aims_anew = true;
        }
        aim.pulled = pulled;
        const bool blind = holds(unit, "off-screen");
        if (blind && !aim.was_blind) aim.blind_from = now_;
        aim.was_blind = blind;
      }
}

/// Directions push a pointer when they change.
void SlowTwin::notice_pushes() {
  for (Pointer& pointer : pointers_)
    for (std::size_t s = 0; s < pointer.sources.size(); ++s) {
      if (kind_of(pointer.sources[s].use) != RoleKind::dpad) continue;
      for (const auto& [slot, unit] : units_) {
        const Point to = goal(pointer.sources[s].directions, slot);
        Aim& aim = pointer.sources[s].aims[slot];
        if (std::exchange(aim.pushed, to) != to && !frozen_) aim_by(pointer, s, slot, to);
      }
    }
}

void SlowTwin::aim_again(int slot, const PointerSource& source) {
  const Unit& unit = units_.at(slot);
  std::map<Axis, std::size_t> halves;
  std::set<std::size_t> known;
  for (const Control& c : unit.attachment.controls) {
    if (c.role != source.use.role || c.axis == Axis::none) continue;
    const std::size_t which = halves[c.axis]++;
    if (unit.raw.contains(c.code)) known.insert(which);
  }
  for (const std::size_t which : known) aim_one(slot, unit, source.use.role, which, &source);
  refresh_sights();
}

void SlowTwin::aim_one(int slot, const Unit& unit, const std::string& role, std::size_t which,
                       const PointerSource* only) {
  Point gun;  // -1..1 along each axis, and beyond
  bool mapped = false;
  std::size_t of_x = 0, of_y = 0;
  Point raw, in_range;  // fractions of its range
  std::optional<Code> x_code, y_code;
  for (const Control& c : unit.attachment.controls) {
    if (c.role != role || c.axis == Axis::none) continue;
    if ((c.axis == Axis::y ? of_y : of_x)++ != which) continue;
    const double now = unit.raw.contains(c.code) ? unit.raw.at(c.code) : c.rest;
    const double from = c.reversed ? c.maximum : c.minimum, to = c.reversed ? c.minimum : c.maximum;
    (c.axis == Axis::y ? gun.y : gun.x) = 2 * ((now - from) / (to - from)) - 1;
    (c.axis == Axis::y ? raw.y : raw.x) = now;
    (c.axis == Axis::y ? y_code : x_code) = c.code;
    (c.axis == Axis::y ? in_range.y : in_range.x) = (now - from) / (to - from);
  }
  if (x_code && y_code && role_kind(role) == RoleKind::pointer) {
    const AimCalibration* fit = formulas::fit_for(unit.attachment, *x_code, screen_);
    mapped = fit != nullptr || game_;
    std::optional<formulas::Place> on_screen{{in_range.x, in_range.y}};
    if (fit != nullptr) on_screen = formulas::on_screen(*fit, {raw.x, raw.y});
    constexpr double far = 1e30;  // behind the gun
    if (mapped) gun = {far, far};
    if (mapped && on_screen) {
      const formulas::Place at = formulas::in_game(game_.value_or(GameArea{}), *on_screen);
      gun = {at.x, at.y};
    }
  }
  for (Pointer& pointer : pointers_)
    for (std::size_t s = 0; s < pointer.sources.size(); ++s) {
      PointerSource& source = pointer.sources[s];
      if (source.seat != unit.attachment.seat || source.use.role != role || (only != nullptr && only != &source))
        continue;
      if (kind_of(source.use) == RoleKind::pointer) {
        if (is_held(source.aims[slot])) continue;
        Point p = gun;
        if (said(source.use, "invert-x", 0) != 0) p.x = -p.x;
        if (said(source.use, "invert-y", 0) != 0) p.y = -p.y;
        const double end = seen_ + 2 * said(source.use, "edge-margin", 0) + (mapped ? 2e-9 : 0);
        source.aims[slot].on = std::fabs(p.x) <= end && std::fabs(p.y) <= end;
        put(pointer, s, slot, p);
        continue;
      }
      aim_by(pointer, s, slot, source.followers[slot].out);
    }
}

/// By a stick.
void SlowTwin::aim_by(Pointer& pointer, std::size_t s, int slot, Point p) {
  PointerSource& source = pointer.sources[s];
  if (said(source.use, "glide", 1) > 0) {
    source.aims[slot].push = p;
    return;
  }
  const double longer = std::fmax(std::fabs(p.x), std::fabs(p.y));
  const double stretch = longer == 0 ? 1 : std::sqrt(p.x * p.x + p.y * p.y) / longer;
  const double reach = seen_ + 2 * said(source.use, "beyond", 0);
  const auto side = [&](double value) { return std::fmax(-1, std::fmin(1, value * stretch)) * reach; };
  const Point at{side(p.x), side(p.y)};
  source.aims[slot].on = std::fabs(at.x) <= seen_ && std::fabs(at.y) <= seen_;
  put(pointer, s, slot, at);
}

/// Another source's excess beyond the edge is discarded.
void SlowTwin::lead(Pointer& pointer, std::size_t source, int slot) {
  const std::pair me{source, slot};
  if (pointer.leader && *pointer.leader != me) {
    PointerSource& before = pointer.sources[pointer.leader->first];
    const RoleKind kind = kind_of(before.use);
    const bool goes_on = kind == RoleKind::movement || (kind != RoleKind::pointer && said(before.use, "glide", 1) > 0);
    if (goes_on) before.aims[pointer.leader->second].at = {};
  }
  pointer.leader = me;
}

/// A source reports a position.
void SlowTwin::put(Pointer& pointer, std::size_t source, int slot, Point p) {
  const Place to{part(p.x), part(p.y)};
  Aim& aim = pointer.sources[source].aims[slot];
  const std::pair me{source, slot};
  const bool springs = kind_of(pointer.sources[source].use) != RoleKind::pointer;
  if (!aim.has_reported && springs) aim.at = {part(0), part(0)};
  if (!aim.has_reported && !springs) aim.at = to;
  aim.has_reported = true;
  if (pointer.leader && *pointer.leader != me && !is_far(to.x - aim.at.x, to.y - aim.at.y)) return;
  lead(pointer, source, slot);
  aim.at = to;
  if (!pointer.is_shot()) {
    values_[pointer.name + "-x"].level = double(to.x) / full;
    values_[pointer.name + "-y"].level = double(to.y) / full;
  }
  refresh_sights();
}

std::int64_t SlowTwin::part(double side) const {
  return std::int64_t((std::fmax(-seen_, std::fmin(seen_, side)) + 1) / 2 * full);
}

/// A source moves on from the pointer's position.
void SlowTwin::push(Pointer& pointer, std::size_t source, int slot, Place way) {
  if (pointer.is_shot()) return;
  Aim& aim = pointer.sources[source].aims[slot];
  const std::pair me{source, slot};
  if (!pointer.leader || *pointer.leader != me) {
    aim.at.x += way.x;
    aim.at.y += way.y;
    if (pointer.leader && !is_far(aim.at.x, aim.at.y)) return;
    way = aim.at;
    lead(pointer, source, slot);
    aim.at = {};
    aim.has_reported = true;
  }
  const auto beyond = static_cast<std::int64_t>(said(pointer.sources[source].use, "beyond", 0) * full);
  const auto go = [&](Value& value, std::int64_t& past, std::int64_t by) {
    const std::int64_t low = std::int64_t((1 - seen_) / 2 * full), high = edge - low;
    const std::int64_t to = std::clamp(std::int64_t(value.level * full) + past + by, low - beyond, high + beyond);
    const std::int64_t seen = std::clamp(to, low, high);
    past = to - seen;
    value.level = double(seen) / full;
  };
  go(values_[pointer.name + "-x"], aim.at.x, way.x);
  go(values_[pointer.name + "-y"], aim.at.y, way.y);
  aim.on = aim.at.x == 0 && aim.at.y == 0;
  refresh_sights();
}

void SlowTwin::drag(int slot, const Unit& unit, const Control& c, std::int32_t counts) {
  if (frozen_) return;
  for (Pointer& pointer : pointers_)
    for (std::size_t s = 0; s < pointer.sources.size(); ++s) {
      const PointerSource& source = pointer.sources[s];
      if (source.seat != unit.attachment.seat || source.use.role != c.role) continue;
      const double across = said(source.use, "counts-across", 1000);
      const bool turned = (said(source.use, c.axis == Axis::y ? "invert-y" : "invert-x", 0) != 0) != c.reversed;
      const auto way = std::int64_t(std::fmax(-across, std::fmin(across, turned ? -double(counts) : counts))) *
                       static_cast<std::int64_t>(1 / across * full);
      push(pointer, s, slot, c.axis == Axis::y ? Place{0, way} : Place{way, 0});
    }
}

bool SlowTwin::pointers_glide() const {
  for (const Pointer& pointer : pointers_)
    for (const PointerSource& source : pointer.sources)
      for (const auto& [slot, aim] : source.aims)
        if (aim.push != Point{}) return true;
  return false;
}

void SlowTwin::glide_pointers() {
  for (Pointer& pointer : pointers_)
    for (std::size_t s = 0; s < pointer.sources.size(); ++s) {
      const double tick = said(pointer.sources[s].use, "glide", 1) / 1000 * full;
      for (const auto& [slot, unit] : units_) {
        const auto& aims = pointer.sources[s].aims;
        const Point by = aims.contains(slot) ? aims.at(slot).push : Point{};
        if (by != Point{}) push(pointer, s, slot, {std::int64_t(by.x * tick), std::int64_t(by.y * tick)});
      }
    }
}

// -- buttons of pointers -----------------------------------------------------------------------------------

/// In frames 0 to 4 the pointer is off-screen, in frames 1 to 3 the trigger is pulled; another press during that time
/// has no effect.
void SlowTwin::run_reloads() {
  for (Reload& reload : reloads_)
    for (const auto& [slot, way] : lines_[reload.line].ways) {
      Reload::Run& run = reload.runs[slot];
      if (way.out && !run.down) {
        if (!run.hides) run.shown_at = now_ + 4 * frame_;
        run.hides = true;
        if (!run.waits && !run.pulls) {
          run.waits = true;
          run.next = now_ + frame_;
        }
      }
      run.down = way.out;
    }
}

/// Performs what is due at this moment; returns true if anything was.
bool SlowTwin::reloads_end() {
  for (Reload& reload : reloads_)
    for (auto& [slot, run] : reload.runs) {
      if (run.hides && run.shown_at == now_) {
        run.hides = false;
        return true;
      }
      if ((!run.waits && !run.pulls) || run.next != now_) continue;
      run.pulls = std::exchange(run.waits, false);
      run.next = now_ + 2 * frame_;
      return true;
    }
  return false;
}

/// The trigger first, then buttons in their order.
void SlowTwin::press_pointers() {
  for (Pointer& pointer : pointers_)
    if (pointer.trigger != nullptr &&
        std::exchange(pointer.was_pulled, pointer.trigger->level != 0) != (pointer.trigger->level != 0))
      pull(pointer);
  for (PointerPress& press : pointer_presses_) {
    const bool down = press.button->level != 0;
    if (std::exchange(press.was_down, down) || !down || frozen_) continue;
    Pointer& pointer = pointers_[press.pointer];
    if (!press.begins_shots)
      centre(pointer);
    else if (pointer.shot != 0)
      end_shots(pointer);
    else
      pointer.shot = 1;
  }
}

void SlowTwin::pull(Pointer& pointer) {
  if (pointer.shot == 0) return;
  if (pointer.shot > pointer.shots.size()) {
    if (!pointer.was_pulled) end_shots(pointer);
    return;
  }
  if (!pointer.was_pulled) return;
  const AreaPoint at = pointer.shots[pointer.shot++ - 1];
  values_[pointer.name + "-x"].level = at.x;
  values_[pointer.name + "-y"].level = at.y;
  refresh_sights();
}

/// Back to the position of its source.
void SlowTwin::end_shots(Pointer& pointer) {
  pointer.shot = 0;
  if (pointer.leader) {
    const PointerSource& source = pointer.sources[pointer.leader->first];
    const RoleKind kind = kind_of(source.use);
    const Place at = source.aims.at(pointer.leader->second).at;
    if (kind == RoleKind::pointer || (kind != RoleKind::movement && said(source.use, "glide", 1) == 0)) {
      values_[pointer.name + "-x"].level = double(at.x) / full;
      values_[pointer.name + "-y"].level = double(at.y) / full;
    }
  }
  refresh_sights();
}

void SlowTwin::centre(Pointer& pointer) {
  if (pointer.is_shot()) return;
  for (const char* half : {"-x", "-y"}) values_[pointer.name + half].level = 0.5;
  if (pointer.leader) {
    PointerSource& source = pointer.sources[pointer.leader->first];
    const RoleKind kind = kind_of(source.use);
    if (kind == RoleKind::movement || (kind != RoleKind::pointer && said(source.use, "glide", 1) > 0))
      source.aims[pointer.leader->second].at = {};
    source.aims[pointer.leader->second].on = true;
  }
  refresh_sights();
}

/// On the game area or off it.
void SlowTwin::refresh_sights() {
  if (frozen_ || thaws_) return;
  for (const Pointer& pointer : pointers_) {
    bool on = false;
    if (pointer.leader) {
      const auto& [s, slot] = *pointer.leader;
      const PointerSource& source = pointer.sources[s];
      const Aim& aim = source.aims.at(slot);
      bool blind = kind_of(source.use) == RoleKind::pointer && holds(units_.at(slot), "off-screen");
      if (is_held(aim)) blind = blind && aim.blind_from <= aim.held_from;  // otherwise it is the flash
      on = aim.on && !blind;
    }
    if (pointer.off->level != 0) on = false;
    if (pointer.is_shot()) on = true;
    Value& value = values_[pointer.name + "-on"];
    if (on && value.level == 0) ++value.presses;
    value.level = on ? 1 : 0;
  }
}

void SlowTwin::drop_aims(int slot) {
  for (Pointer& pointer : pointers_) {
    for (PointerSource& source : pointer.sources) source.aims.erase(slot);
    if (!pointer.leader || pointer.leader->second != slot) continue;
    pointer.leader.reset();
    pointer.shot = 0;
  }
  refresh_sights();
}

/// No source pushes any more; a source that held a pointer still holds it.
void SlowTwin::rest_pointers() {
  for (Pointer& pointer : pointers_)
    for (PointerSource& source : pointer.sources)
      for (auto& [slot, aim] : source.aims) {
        aim.push = aim.pushed = {};
        aim.pulled = false;
        aim.held_until.reset();
      }
  for (const Pointer& pointer : pointers_) values_[pointer.name + "-on"].level = 0;
}

}  // namespace omnipar::test
