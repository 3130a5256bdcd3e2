// The slow twin's deadlines and ticks, and how it releases controls: disconnect, freeze, a new plan.
#include <algorithm>
#include <cmath>
#include <utility>

#include "slow_twin.hpp"

namespace omnipar::test {
namespace {

constexpr std::int64_t last_moment = std::int64_t{1} << 62;

std::int64_t fixed(double value) { return static_cast<std::int64_t>(value * SlowTwin::full); }

}  // namespace

// -- time -----------------------------------------------------------------------------------------------

std::optional<std::int64_t> SlowTwin::next() const {
  std::optional<std::int64_t> first;
  const auto offer = [&](std::optional<std::int64_t> t) {
    if (t && (!first || *t < *first)) first = t;
  };
  for (const Line& line : lines_)
    for (const auto& [slot, way] : line.ways) {
      offer(way.deaf_until);
      offer(way.held_until);
      offer(way.pulse_at);
    }
  for (const Ramped& ramped : ramped_)
    for (const auto& [slot, unit] : units_) {
      if (!ramped.moves()) continue;
      const Point to = goal(ramped, slot);
      const auto place = ramped.places.contains(slot) ? ramped.places.at(slot) : Place{};
      if (place.x != fixed(to.x) || place.y != fixed(to.y)) offer((now_ / 1000 + 1) * 1000);
    }
  for (const Pointer& pointer : pointers_)
    for (const PointerSource& source : pointer.sources)
      for (const auto& [slot, aim] : source.aims) offer(aim.held_until);
  for (const Reload& reload : reloads_)
    for (const auto& [slot, run] : reload.runs) {
      if (run.hides) offer(run.shown_at);
      if (run.waits || run.pulls) offer(run.next);
    }
  if (pointers_glide() || trails_move()) offer((now_ / 1000 + 1) * 1000);
  return first;
}

std::optional<Time> SlowTwin::next_due() const {
  const auto moment = next();
  return moment ? std::optional{at_us(*moment)} : std::nullopt;
}

void SlowTwin::fire() {
  for (Line& line : lines_) {
    for (auto& [slot, way] : line.ways)
      if (way.pulse_at == now_) {
        way.pulse_at = now_ + static_cast<std::int64_t>(500'000 / said(line.use, "autofire", 0));
        way.out = !way.out;
        const std::map<std::string, Value> before = values_;
        work_out();
        for (auto& [name, value] : values_) value.presses = before.at(name).presses;
      }
    for (auto& [slot, way] : line.ways)
      if (way.held_until == now_) {
        way.held_until.reset();
        work_out();
      }
    for (auto& [slot, way] : line.ways)
      if (way.deaf_until == now_) {
        way.deaf_until.reset();
        work_out();
      }
  }
  while (reloads_end()) work_out();
  for (Pointer& pointer : pointers_)
    for (PointerSource& source : pointer.sources)
      for (auto& [slot, aim] : source.aims)
        if (aim.held_until == now_) {
          aim.held_until.reset();
          aim_again(slot, source);
        }
  if (now_ % 1000 != 0) return;
  for (Ramped& ramped : ramped_) {
    if (!ramped.moves()) continue;
    const auto towards = [&](std::int64_t from, double goal_value, bool negative, bool positive) {
      std::int64_t to = fixed(goal_value);
      double speed = to == 0 ? ramped.release : ramped.out;
      if ((from > 0 && negative) || (from < 0 && positive)) {  // the other side is pressed
        speed = ramped.back;
        to = 0;
      }
      const auto step = speed == 0 ? std::int64_t{1} << 50 : static_cast<std::int64_t>(std::ceil(speed / 1000 * full));
      return std::abs(to - from) <= step ? to : (to > from ? from + step : from - step);
    };
    for (const auto& [slot, unit] : units_) {
      const Point to = goal(ramped, slot);
      Place& place = ramped.places[slot];
      const auto on = sides(ramped, slot);
      place = {towards(place.x, to.x, on[2], on[3]), towards(place.y, to.y, on[0], on[1])};
    }
  }
  glide_pointers();
  work_out();
  tick_trails();
  work_out();
}

/// `really`: within a report, a control that it already released still counts, but is not physically held.
void SlowTwin::note_together(bool really) {
  for (const auto& [one, other] : {std::pair{"up", "down"}, std::pair{"left", "right"}})
    for (const int port : {1, 2, 3, 4}) {
      const std::string name = std::to_string(port) + "/";
      const auto first = values_.find(name + one);
      const auto second = values_.find(name + other);
      if (first == values_.end() || second == values_.end() || first->second.level == 0 || second->second.level == 0)
        continue;
      if (!really || (is_really_on(first->second) && is_really_on(second->second))) together_.insert(first->first);
    }
}

void SlowTwin::advance(Time to) {
  const std::int64_t end = std::min(to.time_since_epoch().count(), last_moment);
  for (auto t = next(); t && *t <= end; t = next()) {
    now_ = *t;
    fire();
    note_together(false);
  }
  now_ = std::max(now_, end);
}

// -- disconnect, rest, and a new plan --------------------------------------------------------------------

/// Its buttons are released first; targets that are not self-centering then keep the position of its axes.
void SlowTwin::detach(int slot) {
  drop_aims(slot);
  units_.at(slot).buttons.clear();
  for (Line& line : lines_)
    if (line.ways.contains(slot)) line.ways[slot] = {};
  for (Ramped& ramped : ramped_) ramped.places.erase(slot);
  for (Reload& reload : reloads_) reload.runs.erase(slot);
  work_out();
  units_.erase(slot);
  for (Line& line : lines_) line.followers.erase(slot);
  for (Analog& analog : analogs_)
    for (Lane& lane : analog.lanes) lane.followers.erase(slot);
  for (Pointer& pointer : pointers_)
    for (PointerSource& source : pointer.sources) source.followers.erase(slot);
  for (Line& line : lines_) line.ways.erase(slot);
  work_out();
}

/// Everything but hotkeys is released; targets that are not self-centering keep the position of their axes.
void SlowTwin::rest() {
  for (auto& [slot, unit] : units_)
    for (auto& [role, contacts] : unit.buttons)
      for (auto& [code, contact] : contacts) contact.counted = false;
  for (Line& line : lines_)
    for (auto& [slot, way] : line.ways) {
      if (!line.chord_role.empty()) continue;
      way.crossing.counted = false;
      way.in = way.middle = way.pressed = way.on = way.out = false;
      way.deaf_until.reset();
      way.held_until.reset();
      way.pulse_at.reset();
    }
  for (Ramped& ramped : ramped_) ramped.places.clear();
  for (Reload& reload : reloads_) reload.runs.clear();
  forget_trails();
  for (Opposed& port : opposed_) port.last = {};
  const bool was_frozen = std::exchange(frozen_, true);
  rest_pointers();
  work_out();
  frozen_ = was_frozen;
  if (!frozen_) work_out_analogs();
  for (const Analog& analog : analogs_) {
    if (analog.stays) continue;
    values_[analog.x].level = 0;
    if (!analog.y.empty()) values_[analog.y].level = 0;
  }
}

void SlowTwin::freeze() {
  rest();
  frozen_ = true;
}

void SlowTwin::thaw() {
  if (!frozen_) return;
  only_notes_ = true;
  for (auto& [slot, unit] : units_) {
    unit.held_over.clear();
    place(slot, unit, nullptr, When::as_is);
    cross(slot, unit);
    hold_over(unit);
  }
  only_notes_ = frozen_ = false;
  for (const auto& [slot, unit] : units_) place_known(slot, unit);
  thaws_ = true;  // all positions are updated before any of them is tested against the area
  work_out();
  for (const auto& [slot, unit] : units_) {
    settle_what_is_known(unit);
    aim(slot, unit, nullptr);
    for (Pointer& pointer : pointers_)  // controls released during the freeze
      for (std::size_t s = 0; s < pointer.sources.size(); ++s)
        if (role_kind(pointer.sources[s].use.role) == RoleKind::dpad && pointer.leader == std::pair{s, slot})
          aim_by(pointer, s, slot, goal(pointer.sources[s].directions, slot));
  }
  thaws_ = false;
  refresh_sights();
}

void SlowTwin::adopt(const Catalogue& catalogue, const Profile& profile) {
  rest();
  SlowTwin next{catalogue, profile};
  for (auto& [name, value] : next.values_) {
    if (!kinds_.contains(name) || kinds_.at(name) != next.kinds_.at(name)) continue;
    const Value& old = values_.at(name);
    value.presses = old.presses;
    if (kinds_.at(name) == "counts" || kinds_.at(name).ends_with("stays")) value.level = old.level;
  }
  next.now_ = now_;
  next.units_ = units_;
  next.frozen_ = next.only_notes_ = true;
  for (auto& [slot, unit] : next.units_) {
    for (auto& [role, contacts] : unit.buttons)
      for (auto& [code, contact] : contacts) contact.for_hotkeys = false;
    for (Line& line : next.lines_)
      if (line.chord_role.empty()) line.ways[slot] = {};
    unit.held_over.clear();
    next.place(slot, unit, nullptr, When::as_is);
    next.cross(slot, unit);
    hold_over(unit);
  }
  next.frozen_ = frozen_;
  next.only_notes_ = false;
  for (const auto& [slot, unit] : next.units_) next.place_known(slot, unit);
  next.work_out();
  for (const auto& [slot, unit] : next.units_) {
    next.settle_what_is_known(unit);
    next.aim(slot, unit, nullptr);
  }
  *this = std::move(next);
}

}  // namespace omnipar::test
