#include "learn/person.hpp"

#include <algorithm>
#include <cmath>

namespace omnipar::test {
namespace {

bool is_button_like(const Control& control) {
  return control.type == ControlType::button || control.type == ControlType::one_sided;
}

/// The side of an axis that a source is; 0 if it is neither.
int side_in(const Control& control, std::string_view source) {
  const bool has_sides = control.type == ControlType::hat || control.type == ControlType::two_sided;
  if (!has_sides || control.axis == Axis::none || !source.starts_with(control.role + "-")) return 0;
  const std::string_view end = source.substr(control.role.size() + 1);
  if (control.axis == Axis::y) return end == "up" ? -1 : end == "down" ? 1 : 0;
  return end == "left" ? -1 : end == "right" ? 1 : 0;
}

}  // namespace

Desk::Desk(std::vector<Question> questions, LearnOptions options)
    : learning(std::move(questions), std::move(options)) {}

void Desk::put(const std::string& unit, const std::vector<Attachment>& nodes, bool ours, int first) {
  for (const Attachment& attachment : nodes) {
    nodes_.push_back({first, attachment});
    learning.meet(first++, unit, attachment, ours);
  }
  wait(250);
}

void Desk::disconnect(int first) {
  for (auto node = nodes_.begin(); node != nodes_.end();)
    if (node->number / 100 == first / 100) {
      learning.lose(node->number);
      node = nodes_.erase(node);
    } else {
      ++node;
    }
}

std::int32_t Desk::raw(const Control& control, double position) const {
  if (control.reversed) position = control.type == ControlType::pointer ? 1 - position : -position;
  if (control.type == ControlType::button || control.type == ControlType::hat)
    return static_cast<std::int32_t>(std::lround(position));
  const double from = control.type == ControlType::pointer ? control.minimum : control.rest;
  const bool is_stick = control.type == ControlType::two_sided && control.axis != Axis::none;
  const double to = std::clamp(position + (is_stick ? drift : 0), -1.0, 1.0);
  const bool backwards = control.rest == control.maximum;  // a trigger that rests at its upper end
  const double way = backwards || to < 0 ? from - control.minimum : control.maximum - from;
  return static_cast<std::int32_t>(std::lround(backwards ? from - way * to : from + way * to));
}

std::optional<Desk::Move> Desk::find(std::string_view source, int first, double part) const {
  if (source == "dpad") return find("dpad-left", first, part);  // any of its directions stands for it
  Move move;
  const auto add = [&](int number, const std::vector<Change>& out) {
    move.node = number;
    move.out.push_back(out);
  };
  for (const auto& [number, attachment] : nodes_) {
    if (number / 100 != first / 100) continue;
    std::vector<const Control*> halves;
    for (const Control& control : attachment.controls) {
      if (const int side = side_in(control, source); side != 0) {
        const double way = control.type == ControlType::hat ? side : side * part;
        add(number, {{control.code, raw(control, way)}});
        move.back = {{control.code, raw(control, 0)}};
        // A d-pad may send buttons together with its hat.
        for (const Control& beside : attachment.controls)
          if (beside.type == ControlType::button && beside.role == source) {
            move.out[0].push_back({beside.code, 1});
            move.back.push_back({beside.code, 0});
          }
        return move;
      }
      if (control.role != source) continue;
      if (is_button_like(control)) {
        if (control.type == ControlType::one_sided && !is_hasty) add(number, {{control.code, raw(control, 0.2)}});
        add(number, {{control.code, raw(control, 1)}});
        move.back = {{control.code, raw(control, 0)}};
        return move;
      }
      halves.push_back(&control);
    }
    if (halves.empty()) continue;
    const Control& x = *halves.front();
    if (x.type == ControlType::counts) {
      for (int i = 0; i < 10; ++i) add(number, {{x.code, 20}});
      return move;
    }
    if (x.type == ControlType::pointer) {
      for (const double place : {0.1, 0.3, 0.6, 0.9}) {
        std::vector<Change> changes;
        for (const Control* half : halves) changes.push_back({half->code, raw(*half, place)});
        add(number, changes);
      }
      return move;
    }
    if (halves.size() == 1) {
      for (const double place : {0.4, 0.8, 1.0}) add(number, {{x.code, raw(x, place)}});
      move.back = {{x.code, raw(x, 0)}};
      return move;
    }
    const Control& y = *halves[1];
    constexpr std::pair<double, double> round[] = {{0, -0.5}, {0, -1}, {0.7, -0.7}, {1, 0}, {0.7, 0.7}, {0, 1}};
    for (const auto& [to_x, to_y] : round) add(number, {{x.code, raw(x, to_x)}, {y.code, raw(y, to_y)}});
    move.back = {{x.code, raw(x, 0)}, {y.code, raw(y, 0)}};
    return move;
  }
  return std::nullopt;
}

void Desk::shake(int first, double by) { shaking_.emplace_back(first, by); }

void Desk::turn_triggers() {
  for (Node& node : nodes_)
    for (Control& control : node.attachment.controls)
      if (control.type == ControlType::one_sided)
        control.rest = control.rest == control.minimum ? control.maximum : control.minimum;
}

/// One reading of each noisy axis.
void Desk::jitter() {
  for (const auto& [first, by] : shaking_)
    for (const auto& [number, attachment] : nodes_) {
      if (number / 100 != first / 100) continue;
      const auto axis = std::ranges::find(attachment.controls, ControlType::two_sided, &Control::type);
      if (axis == attachment.controls.end()) continue;
      jitters_ = jitters_ * 1'103'515'245 + 12'345;
      const double part = (static_cast<double>(jitters_ >> 16 & 1023) / 511.5 - 1) * by;
      const auto held = places_.try_emplace({number, axis->code}, axis->rest).first->second;
      const double place = held + part / 2 * (static_cast<double>(axis->maximum) - axis->minimum);
      const double within = std::clamp(place, static_cast<double>(axis->minimum), static_cast<double>(axis->maximum));
      learning.feed(number, {now, std::vector<Change>{{axis->code, static_cast<std::int32_t>(within)}}});
      break;
    }
}

void Desk::say(int node, const std::vector<Change>& changes) {
  for (const Change& change : changes) places_[{node, change.code}] = change.value;
  learning.feed(node, {now, changes});
}

void Desk::wait(std::int64_t ms) {
  constexpr std::int64_t between = 20;
  for (; !shaking_.empty() && ms > between; ms -= between) {
    now += Duration{between * 1000};
    learning.advance(now);
    jitter();
  }
  now += Duration{ms * 1000};
  learning.advance(now);
}

/// A bouncing switch turns on and off several times before it settles.
void Desk::switch_to(int node, const std::vector<Change>& changes) {
  say(node, changes);
  const bool is_switch = changes.size() == 1 && changes[0].code.type == ev_key;
  for (std::int64_t left = is_switch ? bounce_ms : 0; left > 0; left -= 2) {
    now += Duration{1000};
    say(node, {{changes[0].code, 1 - changes[0].value}});
    now += Duration{1000};
    say(node, changes);
  }
}

void Desk::press(std::string_view source, std::int64_t held_ms, int first) {
  const auto move = find(source, first);
  if (!move) return;
  ++presses;
  for (std::size_t i = 0; i < move->out.size(); ++i) {
    if (i > 0) wait(20);
    switch_to(move->node, move->out[i]);
  }
  wait(held_ms);
  if (!move->back.empty()) switch_to(move->node, move->back);
  wait(move->out.size() > 2 ? 1800 : 350);  // a sweep counts only after a pause
}

std::vector<LearnEvent> Desk::events() {
  std::vector<LearnEvent> all;
  while (auto event = learning.next_event()) {
    log += to_text(*event, learning) + "\n";
    all.push_back(std::move(*event));
  }
  return all;
}

std::string Desk::said() {
  std::string all;
  for (const LearnEvent& event : events()) {
    const std::string line = to_text(event, learning);
    if (!line.empty() && event.kind != LearnEvent::Kind::echoes) all += line + "\n";
  }
  return all;
}

std::vector<std::string> sources_of(const std::vector<Attachment>& nodes) {
  std::vector<std::string> all;
  const auto add = [&all](const std::string& source) {
    if (std::ranges::find(all, source) == all.end()) all.push_back(source);
  };
  for (const Attachment& attachment : nodes)
    for (const Control& control : attachment.controls) {
      const bool is_cross = control.type == ControlType::hat;
      if (!is_cross) add(control.role);
      if (is_button_like(control) || control.axis == Axis::none) continue;
      if (control.type != ControlType::two_sided && !is_cross) continue;
      const bool is_y = control.axis == Axis::y;
      add(control.role + (is_y ? "-up" : "-left"));
      add(control.role + (is_y ? "-down" : "-right"));
    }
  if (std::ranges::find(all, "dpad-up") != all.end()) add("dpad");
  return all;
}

bool feeds(std::string_view source, TargetKind target) {
  const auto kind = stick_direction(source) ? RoleKind::button : role_kind(source).value_or(RoleKind::button);
  switch (target) {
    case TargetKind::button:
      return kind == RoleKind::button || kind == RoleKind::one_sided;
    case TargetKind::one_sided:
      return (kind == RoleKind::button && !stick_direction(source)) || kind == RoleKind::one_sided;
    case TargetKind::stick:
      return kind == RoleKind::stick || kind == RoleKind::dpad;
    case TargetKind::two_sided:
      return kind == RoleKind::two_sided || kind == RoleKind::dpad;
    case TargetKind::turns:
      return kind == RoleKind::turns;
    case TargetKind::movement:
      return kind == RoleKind::movement;
    default:
      return kind == RoleKind::pointer || kind == RoleKind::movement || kind == RoleKind::stick;
  }
}

}  // namespace omnipar::test
