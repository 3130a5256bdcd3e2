#include "learn/hands.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <tuple>

#include "attach/measured.hpp"
#include "attach/position.hpp"

namespace omnipar::inline abi_0::learn {
namespace {

/// Smaller changes are not movements: drift, and noise of axes; a pointer is steadier.
constexpr double unmoved = 0.13, unmoved_place = 0.05;
/// An axis within this distance is back at its former rest.
constexpr double at_home = 0.15;
/// A shorter pause is not a stop.
constexpr Duration dwelling{70'000};

/// A calibration overrides the sheet and the kernel: a worn stick is at its end where it stops.
Control as_measured(Control control, const Attachment& attachment) {
  const auto set_scale = [&control](double rest, double width) {
    const double least = std::numeric_limits<std::int32_t>::min(), most = std::numeric_limits<std::int32_t>::max();
    const auto whole = [=](double value) {
      return static_cast<std::int32_t>(std::lround(std::clamp(value, least, most)));
    };
    if (std::fabs(width) < 1) return;
    control.rest = whole(rest);
    control.minimum = whole(rest - std::fabs(width));
    control.maximum = whole(rest + std::fabs(width));
    control.reversed = control.reversed != (width < 0);
  };
  for (const StickCalibration& stick : attachment.sticks) {
    if (stick.x == control.code) set_scale(stick.rest.x, stick.width.x);
    if (stick.y == control.code) set_scale(stick.rest.y, stick.width.y);
  }
  if (const AxisCalibration* axis = attach::axis_of(attachment, control.code); axis != nullptr) {
    control.minimum = axis->minimum;
    control.maximum = axis->maximum;
    control.rest = axis->rest;
  }
  return control;
}

/// Sides of an axis with two directions; a trigger and a button have only one.
bool has_sides(const Control& control) {
  return control.type == ControlType::hat || control.type == ControlType::two_sided;
}

RoleKind sweep_kind(const Control& control) {
  if (const auto kind = role_kind(control.role)) return *kind;
  return control.type == ControlType::counts ? RoleKind::turns : RoleKind::two_sided;
}

}  // namespace

std::string side_name(const Control& control, int side) {
  if (!has_sides(control)) return control.role;
  const auto kind = role_kind(control.role);
  if (!kind) return control.role + (side < 0 ? "-" : "+");
  if (control.axis == Axis::none) return control.role;
  const std::size_t direction = control.axis == Axis::y ? (side < 0 ? 0 : 1) : (side < 0 ? 2 : 3);
  return control.role + "-" + std::string{direction_names[direction]};
}

// -- units ------------------------------------------------------------------------------------------------------

void Hands::meet(int node, const std::string& unit, const Attachment& attachment, bool ours) {
  lose(node);
  Node& met = nodes_.emplace_back(Node{node, unit, ours, attach::HealthWatch{attachment}, {}, {}, {}, 0});
  for (const Control& control : attachment.controls) {
    Wire wire;
    wire.control = as_measured(control, attachment);
    wire.scale = attach::scale_of(wire.control);
    const auto known = std::ranges::find(attachment.state, control.code, &Change::code);
    wire.known = known != attachment.state.end();
    if (wire.known) wire.now = wire.place_of(known->value);
    wire.low = wire.high = wire.anchor = wire.turn = wire.now;
    const bool is_moved = control.type == ControlType::counts || control.type == ControlType::pointer;
    wire.armed = is_moved || wire.finds_rest() || ((wire.is_contact() || wire.known) && std::fabs(wire.now) < stirred);
    if (wire.known && wire.finds_rest()) {
      wire.base = wire.now;
      wire.stood = true;
      wire.sure = control.type == ControlType::two_sided || wire.now < stirred;
    }
    if (wire.known && !wire.armed) add_odd(met, wire, "stuck", false);
    met.wires.push_back(std::move(wire));
  }
}

void Hands::lose(int node) {
  std::erase_if(nodes_, [node](const Node& one) { return one.number == node; });
}

void Hands::own(const std::string& unit) {
  for (Node& node : nodes_) {
    if (node.ours || node.unit != unit) continue;
    node.ours = true;
    for (const Wire& wire : node.wires)
      if (wire.known && !wire.armed) add_odd(node, wire, "stuck", false);
  }
}

bool Hands::has_own() const noexcept {
  return std::ranges::any_of(nodes_, [](const Node& node) { return node.ours; });
}

bool Hands::has(const std::string& unit) const noexcept {
  return std::ranges::find(nodes_, unit, &Node::unit) != nodes_.end();
}

bool Hands::is_own(int node) const noexcept {
  const auto found = std::ranges::find(nodes_, node, &Node::number);
  return found != nodes_.end() && found->ours;
}

const std::string& Hands::unit_of(int node) const noexcept {
  static const std::string nobody;
  const auto found = std::ranges::find(nodes_, node, &Node::number);
  return found == nodes_.end() ? nobody : found->unit;
}

// -- input ------------------------------------------------------------------------------------------------------

void Hands::feed(int number, const Report& report) {
  const auto node = std::ranges::find(nodes_, number, &Node::number);
  if (node == nodes_.end()) return;
  node->health.feed(report);
  if (node->last_report && report.time > *node->last_report) {
    const Duration gap = report.time - *node->last_report;
    node->interval = node->interval == Duration{0} ? gap : std::min(node->interval, gap);
    node->even = gap <= node->interval * 3 / 2 ? node->even + 1 : 0;
  }
  node->last_report = report.time;
  for (const Change& change : report.changes)
    for (Wire& wire : node->wires)
      if (wire.control.code == change.code) {
        update(*node, wire, report, change.value);
        find_odd(*node, wire);
      }
}

void Hands::update(Node& node, Wire& wire, const Report& report, std::int32_t value) {
  if (wire.control.type == ControlType::counts) {
    if (value == 0) return;
    const int sign = wire.control.reversed ? -1 : 1;
    wire.counts += std::fabs(static_cast<double>(value));
    wire.net += sign * static_cast<double>(value);
    wire.least = std::min(wire.least, wire.net);
    wire.most = std::max(wire.most, wire.net);
    wire.moved = report.time;
    if (wire.counts >= meant_counts && !wire.passed[1]) pass(node, wire, 1, report.time);
    return;
  }
  if (wire.control.type == ControlType::button && value > 1) return;  // keyboard repeat
  const double to = wire.place_of(value);
  if (!std::exchange(wire.known, true) && !wire.is_contact()) wire.meet(to, report.time);
  move(node, wire, to, report.time);
}

void Hands::move(Node& node, Wire& wire, double to, Time time) {
  const double before = wire.off();
  wire.now = to;
  const bool is_pointer = wire.control.type == ControlType::pointer;
  if (std::fabs(to - wire.anchor) > (is_pointer ? unmoved_place : unmoved) || wire.is_contact()) {
    wire.anchor = to;
    if (time - wire.moved >= dwelling) wire.dwelt = time - wire.moved;
    wire.moved = time;
  }
  if (!wire.armed) {
    if (node.ours && std::fabs(to - wire.low) >= stirred && !wire.is_contact()) left_out_.push_back(wire.control.role);
    wire.armed = std::fabs(to) < stirred;
    wire.low = wire.high = to;
    return;
  }
  // Returning from a held position to rest is not a push.
  if (wire.home && std::fabs(to - *wire.home) < at_home) {
    wire.base = *wire.home;
    wire.home.reset();
    wire.forget();
    return;
  }
  wire.met_off = wire.met_off && std::fabs(to) >= stirred;
  wire.low = std::min(wire.low, to);
  wire.high = std::max(wire.high, to);
  if (is_pointer) return;
  if (wire.is_axis()) {
    if (wire.is_unsure()) wire.follow_swing(to);
    if (wire.starts_to_shake(to, time)) add_odd(node, wire, "shakes", true);
    forget_spikes(node, wire, before, time);
  }
  const bool is_gone = wire.off() < wire.threshold();
  for (const int side : {-1, 1}) {
    bool& passed = wire.passed[side < 0 ? 0 : 1];
    if (wire.travel(side) >= pushed && !passed) pass(node, wire, side, time);
    if (is_gone && !node.ours) passed = false;
  }
  wire.note_release(time);
  if (is_gone && !node.ours) wire.low = wire.high = to;
}

/// A few distant readings that return at once are noise.
void Hands::forget_spikes(Node& node, Wire& wire, double before, Time time) {
  constexpr int evenly = 20;
  constexpr std::size_t often = 3;
  constexpr Duration lately{10'000'000};
  const Duration regular = node.even >= evenly ? node.interval * 9 / 2 : Duration{0};
  if (!wire.was_spike(before, time, regular) || !node.ours) return;
  wire.briefs.push_back(time);
  std::erase_if(wire.briefs, [&](Time one) { return time - one > lately; });
  if (wire.briefs.size() >= often)
    add_odd(node, wire, "jumps", true);
  else
    brief_.push_back(side_name(wire.control, wire.left_to));
}

void Hands::pass(Node& node, Wire& wire, int side, Time time) {
  wire.passed[side < 0 ? 0 : 1] = true;
  wire.since = wire.began = time;
  wire.down = wire.off() >= wire.threshold();
  if (wire.first == 0 && wire.control.type == ControlType::two_sided) {
    // The orientation of a stick follows only from straight movements, first up, then sideways.
    const auto other = std::ranges::find_if(node.wires, [&wire](const Wire& one) {
      return one.control.role == wire.control.role && one.control.axis != wire.control.axis;
    });
    const bool is_lone = other == node.wires.end() || role_kind(wire.control.role) != RoleKind::stick;
    const bool is_clear =
        is_lone || (wire.control.axis == Axis::y ? !other->is_stirred() : std::abs(other->first) == 1);
    constexpr int unclear = 2;
    wire.first = is_clear ? side : unclear;
  }
  fresh_.push_back(push_of(node, wire, side));
}

void Hands::find_odd(Node& node, const Wire& wire) {
  if (wire.control.type == ControlType::button && node.health.bounces(wire.control.code))
    add_odd(node, wire, "bounces", true);
  else if (wire.is_axis() && node.health.jitters(wire.control.code))
    add_odd(node, wire, "jitters", true);
}

void Hands::add_odd(const Node& node, const Wire& wire, const char* what, bool counts) {
  if (!node.ours) return;  // problems of other units do not matter
  Odd odd{node.unit, wire.control.role, what, counts};
  std::string key = odd.unit + "\n" + odd.role + "\n" + odd.what;
  if (std::ranges::find(reported_, key) != reported_.end()) return;
  reported_.push_back(std::move(key));
  odd_.push_back(std::move(odd));
}

// -- results ----------------------------------------------------------------------------------------------------

void Hands::set_aside(int number, Code code) {
  for (Node& node : nodes_)
    for (Wire& wire : node.wires)
      if (node.number == number && wire.control.code == code) wire.aside = true;
}

void Hands::rest_here() {
  for (Node& node : nodes_)
    for (Wire& wire : node.wires) {
      if (!node.ours || !wire.finds_rest() || role_kind(wire.control.role)) continue;
      if (wire.off() >= stirred && wire.sure) wire.home = wire.base;
      wire.base = wire.now;
      wire.sure = wire.sure || wire.known;
      wire.forget();
    }
}

std::string Hands::still_down(Time now, bool contacts_only) const {
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires)
      if (node.ours && !(contacts_only && wire.is_axis()) && wire.is_down(now))
        return side_name(wire.control, wire.now < wire.base ? -1 : 1);
  return "";
}

std::string Hands::unclear() const {
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires)
      if (node.ours && wire.is_unclear()) return wire.control.role;
  return "";
}

void Hands::leave_out_what_is_down(Time now) {
  for (Node& node : nodes_)
    for (Wire& wire : node.wires)
      if (node.ours && wire.is_down(now)) {
        if (wire.finds_rest()) continue;  // it will rest at its current position
        wire.armed = false;
        wire.low = wire.high = wire.now;
        add_odd(node, wire, "stuck", false);
      }
}

bool Hands::is_stirred(bool by_moving) const noexcept {
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires) {
      const bool is_moved = wire.control.type == ControlType::counts || wire.control.type == ControlType::pointer;
      if (!node.ours || ((is_moved || wire.aside) && !by_moving)) continue;
      if (wire.takes_part()) return true;
    }
  return false;
}

Time Hands::moved() const noexcept {
  Time last{};
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires)
      if (node.ours && wire.takes_part() && !wire.aside) last = std::max(last, wire.moved);
  return last;
}

std::optional<Time> Hands::next_rest(Time now) const noexcept {
  std::optional<Time> next;
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires) {
      const auto after = node.ours ? wire.rests_after() : std::nullopt;
      if (after && wire.moved + *after > now && (!next || wire.moved + *after < *next)) next = wire.moved + *after;
    }
  return next;
}

void Hands::find_rests(Time now) {
  for (Node& node : nodes_)
    for (Wire& wire : node.wires) {
      const auto after = wire.rests_after();
      if (!after || now - wire.moved < *after) continue;
      // An axis first reported in the middle of a push has been pushed, from its current position; any other is only
      // left there.
      const bool was_pushed = wire.is_unsure();
      if (wire.sure) wire.home = wire.base;
      wire.base = wire.now;
      if (was_pushed) {
        wire.since = wire.began = wire.until = wire.moved;
        for (const int side : {-1, 1}) wire.passed[side < 0 ? 0 : 1] = wire.travel(side) >= pushed;
      } else {
        if (wire.sure) add_odd(node, wire, "stays", true);
        wire.forget();
      }
      wire.down = false;
      wire.sure = wire.stood = true;
    }
}

void Hands::begin(Time now) {
  for (Node& node : nodes_)
    for (Wire& wire : node.wires) {
      const bool stands = wire.control.type == ControlType::two_sided && !wire.finds_rest() && wire.known &&
                          now - wire.moved >= long_still;
      if (stands && (wire.off() >= stirred || !wire.armed)) {
        if (std::exchange(wire.met_off, false)) add_odd(node, wire, "unknown", false);
        wire.base = std::fabs(wire.now) < stirred / 2 ? 0 : wire.now;
        if (wire.base != 0) wire.home = 0;
        wire.armed = true;
      } else if (wire.armed && !wire.finds_rest() && std::fabs(wire.now) < stirred / 2) {
        wire.base = 0;
        wire.stood = true;
      }
      if (wire.finds_rest() && wire.off() < stirred &&
          (wire.passed[0] || wire.passed[1] || now - wire.moved >= long_still))
        wire.sure = wire.sure || wire.known;
      wire.low = wire.high = wire.now;
      wire.counts = wire.net = wire.least = wire.most = 0;
      wire.first = 0;
      if (node.ours || wire.off() < stirred) wire.passed[0] = wire.passed[1] = wire.down = false;
    }
}

Push Hands::push_of(const Node& node, const Wire& wire, int side) {
  Push push{node.number, node.unit, node.ours, side_name(wire.control, side), wire.control.code, wire.control.type};
  push.side = side;
  push.is_raw = !role_kind(wire.control.role);
  push.is_hat = wire.control.type == ControlType::hat || (wire.control.minimum == -1 && wire.control.maximum == 1);
  push.peak = wire.travel(side);
  push.down = (side < 0 ? wire.now < wire.base : wire.now > wire.base) && wire.off() >= wire.threshold();
  push.since = wire.since;
  push.began = wire.began;
  push.until = wire.until;
  push.rests = wire.base;
  return push;
}

std::vector<Push> Hands::pushes() const {
  std::vector<Push> all;
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires)
      for (const int side : {-1, 1}) {
        if (!node.ours || !wire.passed[side < 0 ? 0 : 1] || wire.control.type == ControlType::counts || wire.met_off ||
            wire.aside)
          continue;
        const Push push = push_of(node, wire, side);
        const auto same = std::ranges::find_if(
            all, [&push](const Push& other) { return other.unit == push.unit && other.role == push.role; });
        if (same == all.end())
          all.push_back(push);
        else
          same->down = same->down || push.down;
      }
  std::ranges::stable_sort(all, {}, &Push::began);
  return all;
}

std::optional<Push> Hands::farthest_beside(const std::vector<Push>& pushes) const {
  std::optional<Push> farthest;
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires) {
      const bool same = std::ranges::any_of(
          pushes, [&](const Push& push) { return node.number == push.node && wire.control.code == push.code; });
      if (!node.ours || same || !wire.armed || wire.aside || wire.control.type != ControlType::two_sided) continue;
      const int side = wire.travel(-1) > wire.travel(1) ? -1 : 1;
      if (!farthest || wire.travel(side) > farthest->peak) farthest = push_of(node, wire, side);
    }
  return farthest;
}

void Hands::add_sweep(const Wire& wire, Sweep& sweep) {
  constexpr double alike = 0.7;
  const std::size_t axis = wire.control.axis == Axis::y ? 1 : 0;
  double low = wire.low, high = wire.high, now = wire.now, base = wire.base, whole = 2;
  if (wire.control.type == ControlType::counts) {
    std::tie(low, high, now, base, whole) = std::tuple{wire.least, wire.most, wire.net, 0.0, meant_counts};
    sweep.far[axis] = std::fabs(wire.net) / meant_counts;
    sweep.side[axis] = wire.net < 0 ? -1 : 1;
  } else if (wire.control.type == ControlType::pointer) {
    whole = 1;
    sweep.far[axis] = high - low;
  } else {
    sweep.far[axis] = wire.way();
    const bool is_free = wire.finds_rest() || has_no_middle(wire.control);
    const double less = wire.finds_rest() ? wire.travel(-1) : base - low;
    const double more = wire.finds_rest() ? wire.travel(1) : high - base;
    sweep.side[axis] = is_free ? (less > more ? -1 : 1) : std::abs(wire.first) == 1 ? wire.first : 0;
    sweep.both_ways = is_free && std::min(less, more) >= std::max(stirred, alike * std::max(less, more));
    sweep.rests = base;
  }
  sweep.span[axis] = (high - low) / whole;
  sweep.end[axis] = high - now > now - low ? -1 : 1;
}

std::vector<Sweep> Hands::sweeps() const {
  std::vector<Sweep> all;
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires) {
      const bool can_be_swept =
          wire.is_axis() || wire.control.type == ControlType::pointer || wire.control.type == ControlType::counts;
      const bool is_trigger = wire.control.type == ControlType::one_sided && role_kind(wire.control.role);
      if (!node.ours || !can_be_swept || is_trigger || !wire.armed || wire.met_off) continue;
      if (wire.noisy && !wire.is_stirred()) continue;
      auto at = std::ranges::find_if(
          all, [&](const Sweep& other) { return other.unit == node.unit && other.role == wire.control.role; });
      if (at == all.end()) {
        all.push_back({node.number, node.unit, wire.control.role, sweep_kind(wire.control), wire.control.code});
        at = all.end() - 1;
      }
      add_sweep(wire, *at);
    }
  std::ranges::stable_sort(all, std::greater{}, &Sweep::farthest);
  return all;
}

std::vector<std::string> Hands::all_names(bool presses, bool axes, bool counters) const {
  std::vector<std::string> all;
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires) {
      const bool is_meant = wire.is_contact() ? presses : wire.control.type == ControlType::counts ? counters : axes;
      if (node.ours && is_meant && std::ranges::find(all, wire.control.role) == all.end())
        all.push_back(wire.control.role);
    }
  return all;
}

}  // namespace omnipar::inline abi_0::learn
