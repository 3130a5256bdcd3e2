#include "calibrate/reading_recorder.hpp"

#include <algorithm>

namespace omnipar::inline abi_0::calibrate {

RawPoint half_of(const Thing& thing) noexcept {
  const auto half = [](const Control& control) {
    return std::max(1.0, (static_cast<double>(control.maximum) - control.minimum) / 2);
  };
  return {half(thing.x), thing.is_stick ? half(thing.y) : 1};
}

void ReadingRecorder::meet(int node, const Attachment& attachment, const std::vector<std::string>& only) {
  auto& values = values_[node];
  for (const Change& change : attachment.state) values[change.code] = change.value;
  buttons_[node].clear();
  for (const Control& control : attachment.controls) {
    if (control.type == ControlType::button && role_kind(control.role) == RoleKind::button)
      buttons_[node].push_back(control.code);
    const bool is_axis = control.type == ControlType::one_sided || control.type == ControlType::two_sided;
    const bool is_wanted = only.empty() || std::ranges::find(only, control.role) != only.end();
    if (!is_axis || !is_wanted || control.axis == Axis::y || control.half) continue;
    const auto same = [&](const Thing& thing) { return thing.node == node && thing.x.code == control.code; };
    if (std::ranges::any_of(things_, same)) continue;
    Thing thing{control.role, control.axis == Axis::x, node, control};
    if (thing.is_stick) {
      const auto y = std::ranges::find_if(attachment.controls, [&](const Control& other) {
        return other.role == control.role && other.axis == Axis::y && other.type == control.type &&
               std::ranges::none_of(things_, [&](const Thing& known) { return known.y.code == other.code; });
      });
      if (y == attachment.controls.end()) continue;
      thing.y = *y;
    }
    things_.push_back(std::move(thing));
  }
  has_buttons_ = std::ranges::any_of(buttons_, [](const auto& entry) { return !entry.second.empty(); });
}

void ReadingRecorder::lose(int node) {
  values_.erase(node);
  buttons_.erase(node);
}

void ReadingRecorder::feed(int node, const Report& report) {
  const auto known = values_.find(node);
  if (known == values_.end()) return;
  for (const Change& change : report.changes) known->second[change.code] = change.value;
}

std::optional<RawPoint> ReadingRecorder::place(const Thing& thing) const {
  const auto node = values_.find(thing.node);
  if (node == values_.end()) return std::nullopt;
  const auto x = node->second.find(thing.x.code);
  const auto y = node->second.find(thing.y.code);
  const bool has_y = !thing.is_stick || y != node->second.end();
  if (x == node->second.end() && (!thing.is_stick || !has_y)) return std::nullopt;
  // one axis of a stick may report long before the other one
  const auto value = [&node](auto at, const Control& control) {
    return static_cast<double>(at != node->second.end() ? at->second : control.rest);
  };
  return RawPoint{value(x, thing.x), thing.is_stick ? value(y, thing.y) : 0};
}

double ReadingRecorder::away(const Thing& thing) const {
  const auto now = place(thing);
  const auto from = marks_.find({thing.node, thing.x.code});
  if (!now || from == marks_.end()) return 0;
  const RawPoint half = half_of(thing);
  return length({(now->x - from->second.x) / half.x, (now->y - from->second.y) / half.y});
}

void ReadingRecorder::mark() {
  for (const Thing& thing : things_)
    if (const auto now = place(thing)) marks_[{thing.node, thing.x.code}] = *now;
}

bool ReadingRecorder::is_down() const noexcept {
  return std::ranges::any_of(buttons_, [this](const auto& entry) {
    const auto& values = values_.at(entry.first);
    return std::ranges::any_of(entry.second, [&values](Code code) {
      const auto value = values.find(code);
      return value != values.end() && value->second != 0;
    });
  });
}

}  // namespace omnipar::inline abi_0::calibrate
