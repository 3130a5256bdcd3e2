#include "learn/hands.hpp"

#include <algorithm>
#include <cmath>
#include <functional>

#include "attach/position.hpp"

namespace omnipar::learn {
namespace {

/// Less is no movement: drift, and what an axis does by itself.
constexpr double unmoved = 0.05;
/// So many counts are meant.
constexpr double meant_counts = 120;
/// From here on a pointer or a counter has been stirred.
constexpr double stirred_place = 0.1;

/// Sides of an axis that is two directions; a trigger and a button have just one.
bool has_sides(const Control& control) {
  return control.reading == Reading::hat || control.reading == Reading::two_sided;
}

/// A wheel or a paddle may stand anywhere.
bool has_no_middle(const Control& control) {
  return control.reading == Reading::two_sided && control.axis == Axis::none;
}

RoleKind sweep_kind(const Control& control) {
  if (const auto kind = role_kind(control.role)) return *kind;
  return control.reading == Reading::counts ? RoleKind::turns : RoleKind::two_sided;
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

// -- who is there ---------------------------------------------------------------------------------------------

void Hands::meet(int node, const std::string& unit, const Attachment& attachment, bool ours) {
  lose(node);
  Node& met = nodes_.emplace_back(Node{node, unit, ours, attach::HealthWatch{attachment}, {}});
  for (const Control& control : attachment.controls) {
    Wire wire;
    wire.control = control;
    wire.scale = attach::scale_of(control);
    wire.armed = control.reading == Reading::counts || control.reading == Reading::pointer;
    const auto known = std::ranges::find(attachment.state, control.code, &Change::code);
    wire.known = known != attachment.state.end();
    if (wire.known && control.reading == Reading::two_sided && !role_kind(control.role)) find_rest(wire, known->value);
    if (wire.known) wire.now = attach::position(wire.control, wire.scale, known->value);
    wire.low = wire.high = wire.anchor = wire.now;
    if (wire.is_contact() || wire.known) wire.armed = wire.armed || std::fabs(wire.now) < stirred;
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

// -- what comes -----------------------------------------------------------------------------------------------

void Hands::hear(int number, const Report& report) {
  const auto node = std::ranges::find(nodes_, number, &Node::number);
  if (node == nodes_.end()) return;
  node->health.take(report);
  for (const Change& change : report.changes)
    for (Wire& wire : node->wires)
      if (wire.control.code == change.code) {
        take(*node, wire, report, change.value);
        find_odd(*node, wire);
      }
}

void Hands::take(Node& node, Wire& wire, const Report& report, std::int32_t value) {
  if (wire.control.reading == Reading::counts) {
    if (value == 0) return;
    if (wire.first == 0) wire.first = value < 0 ? -1 : 1;
    wire.counts += std::fabs(static_cast<double>(value));
    moved_ = wire.moved = report.time;
    if (wire.counts >= meant_counts && !wire.passed[1]) pass(node, wire, 1, report.time);
    return;
  }
  if (wire.control.reading == Reading::button && value > 1) return;  // a keyboard repeats
  const bool is_raw_axis = wire.control.reading == Reading::two_sided && !role_kind(wire.control.role);
  if (!wire.known && is_raw_axis) find_rest(wire, value);
  const double to = attach::position(wire.control, wire.scale, value);
  if (!std::exchange(wire.known, true) && !wire.is_contact()) {
    wire.low = wire.high = wire.anchor = to;
    if (std::fabs(to) >= stirred && wire.is_axis()) add_odd(node, wire, "unknown", false);
  }
  move(node, wire, to, report.time);
}

/// Of an axis that nobody knows: it rests at that end, or in the middle, near which it is.
void Hands::find_rest(Wire& wire, std::int32_t value) {
  Control& control = wire.control;
  const double part =
      (static_cast<double>(value) - control.minimum) / (static_cast<double>(control.maximum) - control.minimum);
  constexpr double near_an_end = 0.25;
  if (part > near_an_end && part < 1 - near_an_end) return;
  if (control.minimum == -1 && control.maximum == 1) return;  // a hat
  control.reading = Reading::one_sided;
  control.rest = part < 1.0 / 2 ? control.minimum : control.maximum;
  wire.scale = attach::scale_of(control);
}

void Hands::move(Node& node, Wire& wire, double to, Time time) {
  wire.now = to;
  if (std::fabs(to - wire.anchor) > unmoved || wire.is_contact()) {
    wire.anchor = to;
    moved_ = wire.moved = time;
  }
  if (!wire.armed) {
    wire.armed = std::fabs(to) < stirred;
    wire.low = wire.high = to;
    return;
  }
  wire.low = std::min(wire.low, to);
  wire.high = std::max(wire.high, to);
  if (wire.control.reading == Reading::pointer) return;
  const bool is_gone = wire.off() < stirred;
  for (const int side : {-1, 1}) {
    bool& passed = wire.passed[side < 0 ? 0 : 1];
    if (wire.first == 0 &&
        (wire.travel(side) >= stirred || (has_no_middle(wire.control) && side * (to - wire.base) >= stirred)))
      wire.first = side;
    if (wire.travel(side) >= pushed && !passed) pass(node, wire, side, time);
    if (is_gone && !node.ours) passed = false;
  }
  if (is_gone && !node.ours) wire.low = wire.high = to;
}

void Hands::pass(Node& node, Wire& wire, int side, Time time) {
  wire.passed[side < 0 ? 0 : 1] = true;
  wire.since = time;
  fresh_.push_back(push_of(node, wire, side));
}

void Hands::find_odd(Node& node, const Wire& wire) {
  if (wire.control.reading == Reading::button && node.health.bounces(wire.control.code))
    add_odd(node, wire, "bounces", true);
  else if (wire.is_axis() && node.health.jitters(wire.control.code))
    add_odd(node, wire, "jitters", true);
}

void Hands::add_odd(const Node& node, const Wire& wire, const char* what, bool is_heard) {
  if (!node.ours) return;  // what is odd about others is of no interest
  Odd odd{node.unit, wire.control.role, what, is_heard};
  std::string key = odd.unit + "\n" + odd.role + "\n" + odd.what;
  if (std::ranges::find(told_, key) != told_.end()) return;
  told_.push_back(std::move(key));
  odd_.push_back(std::move(odd));
}

// -- what was done --------------------------------------------------------------------------------------------

bool Hands::is_down(const Wire& wire, Time now) noexcept {
  if (!wire.armed || wire.control.reading == Reading::counts || wire.control.reading == Reading::pointer) return false;
  if (wire.off() < stirred) return false;
  return wire.control.reading != Reading::two_sided || now - wire.moved < long_still;
}

std::string Hands::still_down(Time now) const {
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires)
      if (node.ours && is_down(wire, now)) return side_name(wire.control, wire.now < wire.base ? -1 : 1);
  return "";
}

void Hands::leave_out_what_is_down(Time now) {
  for (Node& node : nodes_)
    for (Wire& wire : node.wires)
      if (node.ours && is_down(wire, now)) {
        wire.armed = false;
        add_odd(node, wire, "stuck", false);
      }
}

bool Hands::is_stirred(bool by_moving) const noexcept {
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires) {
      const bool is_moved = wire.control.reading == Reading::counts || wire.control.reading == Reading::pointer;
      if (!node.ours || (is_moved && !by_moving)) continue;
      if (wire.control.reading == Reading::counts ? wire.counts >= stirred_place * meant_counts
          : wire.control.reading == Reading::pointer
              ? wire.high - wire.low >= stirred_place
              : wire.armed && std::max(wire.travel(-1), wire.travel(1)) >= stirred)
        return true;
    }
  return false;
}

void Hands::begin(Time now) {
  for (Node& node : nodes_)
    for (Wire& wire : node.wires) {
      const bool stands = wire.control.reading == Reading::two_sided && wire.known && now - wire.moved >= long_still;
      if (stands && (wire.off() >= stirred || !wire.armed)) {
        wire.base = std::fabs(wire.now) < stirred / 2 ? 0 : wire.now;
        wire.armed = true;
      } else if (wire.armed && std::fabs(wire.now) < stirred / 2) {
        wire.base = 0;
      }
      wire.low = wire.high = wire.now;
      wire.counts = 0;
      wire.first = 0;
      if (node.ours || wire.off() < stirred) wire.passed[0] = wire.passed[1] = false;
    }
}

Push Hands::push_of(const Node& node, const Wire& wire, int side) {
  Push push{node.number,          node.unit, node.ours, side_name(wire.control, side), wire.control.code,
            wire.control.reading, side};
  push.peak = wire.travel(side);
  push.down = side < 0 ? wire.base - wire.now >= stirred : wire.now - wire.base >= stirred;
  push.since = wire.since;
  return push;
}

std::vector<Push> Hands::pushes() const {
  std::vector<Push> all;
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires)
      for (const int side : {-1, 1}) {
        if (!node.ours || !wire.passed[side < 0 ? 0 : 1] || wire.control.reading == Reading::counts) continue;
        const Push push = push_of(node, wire, side);
        const auto same = std::ranges::find_if(
            all, [&push](const Push& other) { return other.unit == push.unit && other.role == push.role; });
        if (same == all.end())
          all.push_back(push);
        else
          same->down = same->down || push.down;
      }
  std::ranges::stable_sort(all, {}, &Push::since);
  return all;
}

std::optional<Push> Hands::farthest_beside(const Push& push) const {
  std::optional<Push> farthest;
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires) {
      const bool same = node.number == push.node && wire.control.code == push.code;
      if (!node.ours || same || !wire.armed || wire.control.reading != Reading::two_sided) continue;
      const int side = wire.travel(-1) > wire.travel(1) ? -1 : 1;
      if (!farthest || wire.travel(side) > farthest->peak) farthest = push_of(node, wire, side);
    }
  return farthest;
}

/// Over half of its whole range is as good as from its rest.
double Hands::way_of(const Wire& wire) noexcept {
  const double far = std::max(wire.travel(-1), wire.travel(1));
  return has_no_middle(wire.control) ? std::max(far, (wire.high - wire.low) * pushed) : far;
}

std::vector<Sweep> Hands::sweeps() const {
  std::vector<Sweep> all;
  for (const Node& node : nodes_)
    for (const Wire& wire : node.wires) {
      const bool can_be_swept = wire.control.reading == Reading::two_sided ||
                                wire.control.reading == Reading::pointer || wire.control.reading == Reading::counts;
      if (!node.ours || !can_be_swept || !wire.armed) continue;
      auto at = std::ranges::find_if(
          all, [&](const Sweep& other) { return other.unit == node.unit && other.role == wire.control.role; });
      if (at == all.end()) {
        all.push_back({node.number, node.unit, wire.control.role, sweep_kind(wire.control), wire.control.code});
        at = all.end() - 1;
      }
      const std::size_t axis = wire.control.axis == Axis::y ? 1 : 0;
      at->far[axis] = wire.control.reading == Reading::counts    ? wire.counts / meant_counts
                      : wire.control.reading == Reading::pointer ? wire.high - wire.low
                                                                 : way_of(wire);
      at->first[axis] = wire.first;
    }
  std::ranges::stable_sort(all, std::greater{}, &Sweep::farthest);
  return all;
}

}  // namespace omnipar::learn
