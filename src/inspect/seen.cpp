#include "inspect/seen.hpp"

#include <algorithm>
#include <cmath>
#include <tuple>
#include <utility>

#include "attach/measured.hpp"
#include "attach/position.hpp"
#include "base/gun_roles.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

/// The positions from which an axis counts as moved, and as pushed.
constexpr double away_from_rest = 0.12;
constexpr double pushed = 0.5;

const ControlSheet* sheet_of(const UnitSheet* sheet, const std::string& part, const std::string& role) {
  if (sheet == nullptr) return nullptr;
  const auto is_it = [&](const ControlSheet& control) {
    return control.role == role &&
           (control.parts.empty() || std::ranges::find(control.parts, part) != control.parts.end());
  };
  const auto found = std::ranges::find_if(sheet->controls, is_it);
  return found == sheet->controls.end() ? nullptr : &*found;
}

RoleKind kind_of(const Control& control) {
  if (const auto kind = role_kind(control.role)) return *kind;
  return control.type == ControlType::button ? RoleKind::button : RoleKind::two_sided;
}

/// What the two halves of a pair form together.
TargetKind whole_of(TargetKind half) {
  return half == TargetKind::two_sided ? TargetKind::stick
         : half == TargetKind::turns   ? TargetKind::movement
                                       : TargetKind::pointer;
}

/// True if the target is the second axis of the previous one, or its on-screen button.
bool is_more_of(const SeenTarget& one, const TargetInfo& next) {
  return (next.name == one.name + "-y" && one.kind == whole_of(next.kind)) ||
         (next.name == one.name + "-on" && one.kind == TargetKind::pointer);
}

/// A target, or the first half of a pair, which is followed by its other half.
SeenTarget begun(const TargetInfo& info, std::string_view next) {
  SeenTarget made;
  made.place = info.place;
  const std::string_view stem = info.name.ends_with("-x") ? info.name.substr(0, info.name.size() - 2) : "";
  const bool is_pair = !stem.empty() && next == std::string{stem} + "-y";
  made.name = is_pair ? stem : info.name;
  made.kind = is_pair ? whole_of(info.kind) : info.kind;
  return made;
}

}  // namespace

std::string_view word_of(Oddity oddity) noexcept {
  switch (oddity) {
    case Oddity::stuck:
      return "stuck";
    case Oddity::unknown:
      return "unknown";
    case Oddity::bounces:
      return "bounces";
    case Oddity::jitters:
      return "jitters";
    case Oddity::none:
      break;
  }
  return "";
}

bool SeenControl::is_lit() const noexcept {
  if (kind == RoleKind::turns || kind == RoleKind::movement) return moved;
  if (odd == Oddity::unknown || kind == RoleKind::pointer) return false;
  return std::fabs(x) > away_from_rest || std::fabs(y) > away_from_rest;
}

// -- units ----------------------------------------------------------------------------------------------------

void Seen::set_units(const std::vector<UnitDetails>& units, const std::map<int, std::string>& grabbed) {
  ++changes_;
  meet_nodes(units);
  const std::vector<SeenUnit> before = std::move(units_);
  units_.clear();
  wires_.clear();
  moved_controls_.clear();
  for (const UnitDetails& unit : units) {
    add_unit(unit, grabbed);
    const auto known = std::ranges::find(before, unit.here.name, &SeenUnit::name);
    if (known != before.end()) carry_over(units_.back(), *known);
  }
  find_who_plays();
  std::ranges::sort(wires_, {}, [](const Wire& wire) { return std::tie(wire.node, wire.control.code); });
  for (const Wire& wire : wires_) {
    const auto value = wire.observed->values.find(wire.control.code);
    if (value != wire.observed->values.end() && wire.control.type != ControlType::counts) update(wire, value->second);
    judge(wire);
  }
}

/// Existing nodes keep their values; new ones start with their initial state.
void Seen::meet_nodes(const std::vector<UnitDetails>& units) {
  std::map<Share, Observed> observed;
  for (const UnitDetails& unit : units)
    for (const UnitDetails::Node& node : unit.nodes) {
      const Share share{node.number, unit.part};
      if (auto before = observed_.extract(share)) observed.insert(std::move(before));
      const auto [at, is_new] = observed.try_emplace(share, Observed{attach::HealthWatch{node.attachment}, {}, {}});
      if (!is_new) continue;
      for (const Change& change : node.attachment.state) {
        at->second.values[change.code] = change.value;
        if (change.code.type == ev_key && change.value != 0) at->second.stuck[change.code] = true;
      }
    }
  observed_ = std::move(observed);
}

void Seen::add_unit(const UnitDetails& unit, const std::map<int, std::string>& grabbed) {
  SeenUnit& seen = units_.emplace_back();
  seen.name = unit.here.name;
  seen.seat = unit.here.seat;
  seen.plays = unit.here.plays;
  seen.empty = unit.empty;
  seen.silent = !unit.nodes.empty() &&
                std::ranges::all_of(unit.nodes, [](const auto& node) { return is_silent(node.attachment); });
  for (const UnitDetails::Node& node : unit.nodes) {
    if (const auto by = grabbed.find(node.number); by != grabbed.end()) seen.grabbed_by = by->second;
    for (const Control& control : node.attachment.controls) add_control(unit, node, control);
  }
  for (const UnitDetails::Node& node : unit.nodes) add_unknown(unit, node);
}

/// Carries over counts, and whether an axis has reported.
void Seen::carry_over(SeenUnit& unit, const SeenUnit& before) {
  unit.spoke = before.spoke;
  unit.silent = unit.silent && before.spoke == 0;
  for (std::size_t c = 0; c < std::min(unit.controls.size(), before.controls.size()); ++c) {
    const SeenControl& was = before.controls[c];
    SeenControl& is = unit.controls[c];
    if (was.role != is.role || was.code != is.code) continue;
    is.has_reported = was.has_reported;
    if (is.kind == RoleKind::turns || is.kind == RoleKind::movement) std::tie(is.x, is.y) = std::tie(was.x, was.y);
  }
}

void Seen::add_control(const UnitDetails& unit, const UnitDetails::Node& node, const Control& control) {
  SeenUnit& seen = units_.back();
  const std::string code = control_name(node.description, control.code);
  const bool is_y = control.axis == Axis::y;
  // Two of the same role are two controls; the halves of a stick are one.
  auto at = std::ranges::find_if(seen.controls, [&](const SeenControl& other) {
    const std::string& taken = is_y ? other.code_y : other.code;
    return other.role == control.role && (taken.empty() || taken == code);
  });
  if (at == seen.controls.end()) {
    SeenControl made;
    made.role = control.role;
    made.kind = kind_of(control);
    if (const auto* sheet = sheet_of(find_unit_sheet(catalogue_, unit.description), unit.part, control.role)) {
      made.label = sheet->label;
      made.at = sheet->spot;
    }
    seen.controls.push_back(std::move(made));
    at = seen.controls.end() - 1;
  }
  (is_y ? at->code_y : at->code) = code;
  wires_.push_back({node.number,
                    control,
                    attach::scale_of(control),
                    units_.size() - 1,
                    static_cast<std::size_t>(at - seen.controls.begin()),
                    is_y,
                    &observed_.at({node.number, unit.part}),
                    nullptr,
                    {}});
  add_measured(wires_.back(), node.attachment);
}

/// The position of a calibrated stick is that of its calibration.
void Seen::add_measured(Wire& wire, const Attachment& attachment) {
  const StickCalibration* stick = attach::stick_of(attachment, wire.control.code);
  if (stick == nullptr) return;
  const Code other = wire.is_y ? stick->x : stick->y;
  const auto at = std::ranges::find(attachment.controls, other, &Control::code);
  const auto map = attach::stick_map(attachment, *stick);
  if (at == attachment.controls.end() || !map) return;
  wire.stick = std::make_shared<const shape::StickMap>(*map);
  wire.other = *at;
}

/// Controls without a role; for a part, their owner is unknown.
void Seen::add_unknown(const UnitDetails& unit, const UnitDetails::Node& node) {
  if (!unit.part.empty()) return;
  for (const CodeRange& range : node.description.codes) {
    if (std::ranges::find(node.attachment.controls, range.code, &Control::code) != node.attachment.controls.end())
      continue;
    Control control;
    control.code = range.code;
    control.role = control_name(node.description, range.code);
    control.type = range.code.type == ev_key   ? ControlType::button
                   : range.code.type == ev_rel ? ControlType::counts
                                               : ControlType::two_sided;
    control.minimum = range.minimum;
    control.maximum = range.maximum;
    control.rest = range.value;  // its rest position is unknown
    add_control(unit, node, control);
    SeenControl& seen = units_.back().controls.back();
    seen.is_known = false;
    if (control.type == ControlType::counts) seen.kind = RoleKind::turns;
  }
}

void Seen::find_who_plays() {
  for (SeenPort& port : ports_)
    port.is_played = std::ranges::any_of(units_, [&port](const SeenUnit& unit) {
      return unit.plays && (unit.seat == port.seats[0] || (!port.seats[1].empty() && unit.seat == port.seats[1]));
    });
}

void Seen::feed(int node, const Report& report) {
  for (auto observed = observed_.lower_bound({node, ""}); observed != observed_.end() && observed->first.first == node;
       ++observed)
    observed->second.health.feed(report);
  for (const Change& change : report.changes) {
    const auto key = std::tuple{node, change.code};
    const auto key_of = [](const Wire& wire) { return std::tuple{wire.node, wire.control.code}; };
    for (auto wire = std::ranges::lower_bound(wires_, key, {}, key_of); wire != wires_.end() && key_of(*wire) == key;
         ++wire) {
      ++changes_;
      SeenUnit& unit = units_[wire->unit];
      unit.spoke = changes_;
      unit.silent = false;
      unit.grabbed_by.clear();  // we receive its reports, too
      wire->observed->values[change.code] = change.value;
      if (change.value == 0) wire->observed->stuck.erase(change.code);
      SeenControl& control = unit.controls[wire->seen];
      control.has_reported = true;
      const double before = wire->is_y ? control.y : control.x;
      update(*wire, change.value);
      judge(*wire);
      note_press(*wire, before);
    }
  }
}

void Seen::update(const Wire& wire, std::int32_t value) {
  SeenControl& control = units_[wire.unit].controls[wire.seen];
  if (wire.control.type == ControlType::counts) {
    (wire.is_y ? control.y : control.x) += value;
    (wire.is_y ? control.raw_y : control.raw_x) = value;
    if (value == 0) return;
    control.moved = true;
    moved_controls_.push_back({wire.unit, wire.seen, looks_});
    return;
  }
  if (wire.stick) {
    const auto at = wire.observed->values.find(wire.other.code);
    const std::int32_t other = at == wire.observed->values.end() ? wire.other.rest : at->second;
    const shape::Point place =
        wire.is_y ? shape::position(*wire.stick, other, value) : shape::position(*wire.stick, value, other);
    control.x = place.x;
    control.y = place.y;
  } else {
    (wire.is_y ? control.y : control.x) = attach::position(wire.control, wire.scale, value);
  }
  (wire.is_y ? control.raw_y : control.raw_x) = value;
}

void Seen::judge(const Wire& wire) {
  const Observed& observed = *wire.observed;
  SeenControl& control = units_[wire.unit].controls[wire.seen];
  const Code code = wire.control.code;
  const bool is_axis = wire.control.type == ControlType::one_sided || wire.control.type == ControlType::two_sided ||
                       wire.control.type == ControlType::pointer;
  if (observed.stuck.contains(code))
    control.odd = Oddity::stuck;
  else if (is_axis && !observed.values.contains(code))
    control.odd = Oddity::unknown;
  else if (observed.health.bounces(code))
    control.odd = Oddity::bounces;
  else if (is_axis && wire.control.type != ControlType::pointer &&
           observed.health.jitters(code))  // always true for a gun
    control.odd = Oddity::jitters;
  else if (control.odd == Oddity::stuck || control.odd == Oddity::unknown)
    control.odd = Oddity::none;
}

/// Records a press, or a push beyond half, and its progress.
void Seen::note_press(const Wire& wire, double before) {
  const ControlType type = wire.control.type;
  if (type == ControlType::pointer) return;
  const SeenUnit& unit = units_[wire.unit];
  const SeenControl& control = unit.controls[wire.seen];
  const double now = wire.is_y ? control.y : control.x;
  const bool is_contact = type == ControlType::button || type == ControlType::hat;
  if (!is_contact && now != 0 && last_press_ && last_press_->unit == unit.name && last_press_->role == control.role) {
    last_press_->x = control.x;
    last_press_->y = control.y;
    return;
  }
  if (type != ControlType::counts && (std::fabs(now) < pushed || std::fabs(before) >= pushed)) return;
  std::string role = control.role;
  if (type == ControlType::hat) role += wire.is_y ? (now < 0 ? "-up" : "-down") : (now < 0 ? "-left" : "-right");
  last_press_ = SeenPress{unit.name,
                          unit.seat,
                          std::move(role),
                          control.label,
                          control.codes(),
                          is_contact ? 1 : control.x,
                          is_contact ? 0 : control.y};
}

// -- ports ----------------------------------------------------------------------------------------------------

void Seen::set_plan(const Plan& plan) {
  ++changes_;
  ports_.clear();
  moved_.clear();
  target_at_.assign(plan.targets().size(), {0, 0});
  for (const PortInfo& info : plan.ports())
    if (info.number != 0) add_port(plan, info);
  find_who_plays();
}

void Seen::add_port(const Plan& plan, const PortInfo& info) {
  const SystemSheet* system = catalogue_.system(plan.system());
  const ControllerSheet* sheet = system == nullptr ? nullptr : system->controller(info.controller);
  SeenPort& port = ports_.emplace_back();
  port.number = info.number;
  port.seats = {std::string{info.seat}, std::string{info.second_seat}};
  port.seat = port.seats[0] + (port.seats[0].empty() || port.seats[1].empty() ? "" : " and ") + port.seats[1];
  port.controller = sheet == nullptr || sheet->title.empty() ? std::string{info.controller} : sheet->title;
  const auto targets = plan.targets().subspan(info.first_target, info.target_count);
  for (std::size_t t = 0; t < targets.size(); ++t) {
    if (port.targets.empty() || !is_more_of(port.targets.back(), targets[t]))
      port.targets.push_back(begun(targets[t], t + 1 < targets.size() ? targets[t + 1].name : ""));
    SeenTarget& seen = port.targets.back();
    const auto number = static_cast<std::uint16_t>(info.first_target + t);
    seen.of.push_back(number);
    seen.native.push_back(targets[t].kind == TargetKind::turns ? 0 : targets[t].native.rest);
    seen.value.push_back(0);
    seen.rest.push_back(seen.native.back());
    target_at_[number] = {ports_.size() - 1, port.targets.size() - 1};
  }
}

void Seen::note_shots(const std::vector<std::size_t>& pulled,
                      const std::vector<std::pair<std::size_t, std::size_t>>& moved) {
  constexpr std::size_t most_shots = 9, most_places = 20'000;
  const auto add = [](std::deque<SeenPoint>& points, const SeenTarget& pointer, std::size_t most) {
    points.push_back({pointer.value[0], pointer.value[1], pointer.lit});
    if (points.size() > most) points.pop_front();
  };
  for (std::size_t i = 0; i < moved.size(); ++i) {
    SeenTarget& pointer = ports_[moved[i].first].targets[moved[i].second];
    if (i == 0 || moved[i] != moved[i - 1]) add(pointer.path, pointer, most_places);
  }
  for (const std::size_t port : pulled)
    for (SeenTarget& target : ports_[port].targets)
      if (target.kind == TargetKind::pointer) add(target.shots, target, most_shots);
}

bool Seen::look(const Reader& reader) {
  bool any = !moved_controls_.empty();
  for (const Moved& moved : moved_controls_) units_[moved.unit].controls[moved.control].moved = moved.after == looks_;
  if (std::erase_if(moved_controls_, [this](const Moved& moved) { return moved.after != looks_; }) > 0) ++changes_;
  ++looks_;
  for (const auto& [port, target] : moved_) {
    ports_[port].targets[target].lit = false;
    any = true;
  }
  moved_.clear();
  std::vector<std::size_t> pulled;                            // ports
  std::vector<std::pair<std::size_t, std::size_t>> pointers;  // that have changed
  for (const TargetPlace changed : reader.changed()) {
    if (changed.number >= target_at_.size() || ports_.empty()) continue;
    const auto [port, target] = target_at_[changed.number];
    SeenTarget& seen = ports_[port].targets[target];
    const auto half = std::ranges::find(seen.of, changed.number);
    if (half == seen.of.end()) continue;  // a hotkey
    any = true;
    ports_[port].moved = looks_;
    const auto i = static_cast<std::size_t>(half - seen.of.begin());
    const bool counts = seen.kind == TargetKind::turns || seen.kind == TargetKind::movement;
    seen.native[i] = counts ? seen.native[i] + reader.native(changed) : reader.native(changed);
    seen.value[i] = reader.value(changed);
    if (counts) {
      seen.lit = std::ranges::any_of(seen.value, [](double value) { return value != 0; });
      if (seen.lit) moved_.emplace_back(port, target);
    } else if (seen.kind == TargetKind::pointer) {
      seen.lit = seen.value.back() != 0;
      pointers.emplace_back(port, target);
    } else {
      seen.lit = seen.native != seen.rest;
      if (seen.lit && base::is_trigger(seen.place)) pulled.push_back(port);
    }
  }
  note_shots(pulled, pointers);
  return any;
}

}  // namespace omnipar::inline abi_0::inspect
