// How the slow twin evaluates positions: binding by binding, shape by shape, written out.
#include <algorithm>
#include <cmath>

#include "slow_twin.hpp"
#include "twin_formulas.hpp"

namespace omnipar::test {

double SlowTwin::dead_zone(const Use& use, const Unit& unit, const std::string& role, bool to_a_press) {
  if (const auto own = use.settings.find("dead-zone")) return *own;
  if (to_a_press) return said(use, "outer-dead-zone", -1) < 0 ? -1 : 0;
  const double usual = role == "paddle" ? 0 : 0.15;
  for (const Control& c : unit.attachment.controls)
    if (c.role == role && c.axis != Axis::y) return formulas::dead_zone(unit.attachment, c, usual);
  return usual;
}

void SlowTwin::smooth(const Use& use, Point& p, Follower& f, When when) {
  const double lowest = said(use, "smoothing", 0);
  if (lowest == 0) return;
  if (when == When::as_is || !f.begun) {
    f.smooth = p;
    f.speed = {};
    f.begun = true;
  }
  const Point way{p.x - f.smooth.x, p.y - f.smooth.y};
  const auto share = [](double cutoff) {
    const double turns = 6.28318530717958647693 * cutoff / 1000;
    return turns / (1 + turns);
  };
  if (when == When::tick && f.smooth != p) {
    f.speed = {f.speed.x + share(1) * (way.x * 1000 - f.speed.x), f.speed.y + share(1) * (way.y * 1000 - f.speed.y)};
    const double cutoff =
        lowest + said(use, "smoothing-by-speed", 2) * std::sqrt(f.speed.x * f.speed.x + f.speed.y * f.speed.y);
    f.smooth = {f.smooth.x + share(cutoff) * way.x, f.smooth.y + share(cutoff) * way.y};
  }
  if (std::fabs(p.x - f.smooth.x) < 1e-7 && std::fabs(p.y - f.smooth.y) < 1e-7) {
    f.smooth = p;
    f.speed = {};
  }
  f.moves = f.moves || f.smooth != p;
  p = f.smooth;
}

void SlowTwin::slew(const Use& use, Point& p, Follower& f, When when) {
  const double step = said(use, "slew", 0) / 1000;
  if (step == 0) return;
  const Point way{p.x - f.slew.x, p.y - f.slew.y};
  const double length = std::sqrt(way.x * way.x + way.y * way.y);
  const auto rounded = [](double value) { return double(std::int64_t(value * full)) / full; };
  if (when == When::as_is || (when == When::tick && length <= step))
    f.slew = p;
  else if (when == When::tick)
    f.slew = {rounded(f.slew.x + way.x * step / length), rounded(f.slew.y + way.y * step / length)};
  f.moves = f.moves || f.slew != p;
  p = f.slew;
}

void SlowTwin::keep_to_ways(const Use& use, Point& p, Follower& f) {
  const double number = said(use, "ways", 0);
  if (number == 0) return;
  const double d = std::sqrt(0.5), length = std::sqrt(p.x * p.x + p.y * p.y);
  std::vector<Point> middles{{1, 0}, {d, d}, {0, 1}, {-d, d}, {-1, 0}, {-d, -d}, {0, -1}, {d, -d}};
  if (number == 4) middles = {{1, 0}, {0, 1}, {-1, 0}, {0, -1}};
  const auto along = [&](std::size_t way) { return middles[way - 1].x * p.x + middles[way - 1].y * p.y; };
  const double far = formulas::cosine(180 / number + said(use, "ways-hysteresis", 6));
  if (length == 0) {
    f.way = 0;
    p = {};
    return;
  }
  if (f.way == 0 || along(f.way) < far * length) {
    f.way = 1;
    for (std::size_t way = 2; way <= middles.size(); ++way)
      if (along(way) > along(f.way)) f.way = way;
  }
  const double far_out = std::fmin(1, length);
  p = {middles[f.way - 1].x * far_out, middles[f.way - 1].y * far_out};
}

SlowTwin::Point SlowTwin::shaped(const Use& use, const Unit& unit, const std::string& role, TargetKind wanted, Point p,
                                 Follower& f, When when) {
  const auto scaled = [&p](double factor) { return Point{p.x * factor, p.y * factor}; };
  const auto length = [&p] { return std::sqrt(p.x * p.x + p.y * p.y); };
  const RoleKind from = role_kind(role).value_or(RoleKind::stick);
  const bool pair = from == RoleKind::stick, to_a_press = wanted == TargetKind::button;
  if (when == When::tick)
    p = f.in;
  else
    f.in = p;
  f.moves = false;
  if (pair) {
    if (said(use, "swap-axes", 0) != 0) std::swap(p.x, p.y);
    if (const double degrees = said(use, "rotation", 0); degrees != 0) {
      const double cosine = formulas::cosine(degrees), sine = formulas::sine(degrees);
      p = {cosine * p.x - sine * p.y, sine * p.x + cosine * p.y};
    }
  }
  if (said(use, "invert-x", 0) != 0) p.x = from == RoleKind::one_sided ? 1 - p.x : -p.x;
  if (said(use, "invert-y", 0) != 0) p.y = -p.y;
  if (from == RoleKind::one_sided && wanted == TargetKind::two_sided && said(use, "negative", 0) != 0) p = {-p.x, 0};
  if (wanted == TargetKind::two_sided && pair) p.y = 0;
  if (wanted == TargetKind::one_sided && from != RoleKind::one_sided) {
    const auto direction = stick_direction(use.role);
    const std::array<double, 4> push{-p.y, p.y, -p.x, p.x};
    p = {std::fmax(0, push.at(direction ? direction->direction : 3)), 0};
  }
  smooth(use, p, f, when);
  if (const double dead = dead_zone(use, unit, role, to_a_press); dead >= 0) {
    const double outer = said(use, "outer-dead-zone", 0);
    p = p.x * p.x + p.y * p.y <= dead * dead
            ? Point{}
            : scaled(length() >= 1 - outer ? 1 / length() : (1 - dead / length()) * (1 / (1 - outer - dead)));
  }
  if (const double zone = said(use, "axial-dead-zone", 0); zone != 0) {
    const auto way = [zone](double side) {
      const double beyond = std::fabs(side) - zone;
      return beyond <= 0 ? 0 : std::copysign(beyond * (1 / (1 - zone)), side);
    };
    p = {way(p.x), way(p.y)};
  }
  if (const double degrees = said(use, "snap-to-axes", 0); pair && degrees != 0) {
    const double across = std::fabs(p.x), down = std::fabs(p.y), all = length();
    if (std::fmin(across, down) <= formulas::sine(degrees) * all)
      p = across >= down ? Point{std::copysign(all, p.x), 0} : Point{0, std::copysign(all, p.y)};
  }
  if (pair) keep_to_ways(use, p, f);
  if (length() != 0)
    if (const double curve = said(use, "curve", 1); curve != 1) p = scaled(formulas::power(length(), curve) / length());
  const double quarter = said(use, "at-quarter", 0.25), half = said(use, "at-half", 0.5);
  const double three_quarters = said(use, "at-three-quarters", 0.75);
  if (length() != 0 && (quarter != 0.25 || half != 0.5 || three_quarters != 0.75))
    p = scaled(formulas::through_points(length(), quarter, half, three_quarters) / length());
  if (pair && p != Point{}) {
    const double stretch = length() / std::fmax(std::fabs(p.x), std::fabs(p.y));
    const auto inside = [stretch](double side) { return std::fmax(-1, std::fmin(1, side * stretch)); };
    if (said(use, "to-square", 0) != 0)
      p = {inside(p.x), inside(p.y)};
    else if (said(use, "to-circle", 0) != 0)
      p = scaled(1 / stretch);
  }
  if (length() != 0)
    if (const double begin = said(use, "anti-dead-zone", 0); begin != 0) p = scaled(begin / length() + (1 - begin));
  for (const auto& [name, shape] : added_shapes()) p = shape(use, p);
  if (const double range = said(use, "range", 1); range != 1) p = scaled(range);
  slew(use, p, f, when);
  return f.out = p;
}

// -- all positions -----------------------------------------------------------------------------------------

/// Calls `act` with each binding, its role, what it moves, and its state by unit.
template <typename Act>
void SlowTwin::each_follower(Act act) {
  for (Line& line : lines_)
    if (line.direction) act(line.seat, line.use, line.role, TargetKind::button, line.followers);
  for (Analog& analog : analogs_)
    for (Lane& lane : analog.lanes)
      if (lane.ramped < 0) act(lane.seat, lane.use, lane.role, lane.wanted, lane.followers);
  for (Pointer& pointer : pointers_)
    for (PointerSource& source : pointer.sources)
      if (!frozen_ && role_kind(source.use.role) == RoleKind::stick)
        act(source.seat, source.use, source.use.role, TargetKind::pointer, source.followers);
}

/// The whole unit, or its changed controls.
void SlowTwin::place(int slot, const Unit& unit, const std::set<Code>* touched, When when) {
  const auto is_touched = [&](const std::string& role) {
    return std::ranges::any_of(unit.attachment.controls, [&](const Control& c) {
      return c.role == role && (touched == nullptr || touched->contains(c.code));
    });
  };
  each_follower(
      [&](const std::string& seat, const Use& use, const std::string& role, TargetKind wanted, Followers& followers) {
        if (seat == unit.attachment.seat && has_axis(unit, role) && is_touched(role))
          static_cast<void>(shaped(use, unit, role, wanted,
                                   position(unit, role, wanted == TargetKind::button ? Held::counts : Held::rests),
                                   followers[slot], when));
      });
}

/// The current value, if it is known.
void SlowTwin::place_known(int slot, const Unit& unit) {
  std::set<Code> known;
  for (const auto& [code, value] : unit.raw) known.insert(code);
  place(slot, unit, &known, When::as_is);
}

void SlowTwin::forget_trails() {
  const bool was_frozen = std::exchange(frozen_, false);
  each_follower([](const std::string&, const Use&, const std::string&, TargetKind, Followers& followers) {
    for (auto& [slot, follower] : followers) {
      const Point out = follower.out;  // controls that are not queried stay where they were
      follower = {};
      follower.out = out;
    }
  });
  frozen_ = was_frozen;
}

bool SlowTwin::trails_move() const {
  bool moves = false;
  const auto look = [&moves](const Followers& followers) {
    for (const auto& [slot, follower] : followers) moves = moves || follower.moves;
  };
  for (const Line& line : lines_) look(line.followers);
  for (const Analog& analog : analogs_)
    for (const Lane& lane : analog.lanes) look(lane.followers);
  for (const Pointer& pointer : pointers_)
    for (const PointerSource& source : pointer.sources) look(source.followers);
  return moves;
}

void SlowTwin::tick_trails() {
  std::set<int> moved;
  std::set<const Analog*> stay;
  for (const Analog& analog : analogs_)
    for (const Lane& lane : analog.lanes)
      for (const auto& [slot, follower] : lane.followers)
        if (analog.stays && follower.moves) stay.insert(&analog);
  each_follower(
      [&](const std::string&, const Use& use, const std::string& role, TargetKind wanted, Followers& followers) {
        for (auto& [slot, follower] : followers) {
          if (!follower.moves) continue;
          static_cast<void>(shaped(use, units_.at(slot), role, wanted, {}, follower, When::tick));
          moved.insert(slot);
        }
      });
  for (const Analog* analog : stay) settle(*analog);
  for (const int slot : moved) {
    cross(slot, units_.at(slot));
    for (Line& line : lines_)
      if (line.direction && line.ways.contains(slot)) {
        Contact& crossing = line.ways[slot].crossing;
        crossing.counted = crossing.counted && crossing.down;
      }
    work_out();
    end_opposite_debounces(slot, units_.at(slot));
  }
  for (Pointer& pointer : pointers_)
    for (std::size_t s = 0; s < pointer.sources.size(); ++s)
      for (const auto& [slot, follower] : pointer.sources[s].followers)
        if (moved.contains(slot)) aim_by(pointer, s, slot, follower.out);
}

}  // namespace omnipar::test
