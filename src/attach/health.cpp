// Warnings about a unit's state when it is opened, as text.
#include <algorithm>

#include <fmt/format.h>

#include "omnipar/attachment.hpp"

namespace omnipar::inline abi_0 {
namespace {

/// The fraction of an axis's range that still counts as its end.
constexpr std::int64_t end_share = 50;

bool is_at_end(const Control& control, std::int32_t value) noexcept {
  const std::int64_t slack = (std::int64_t{control.maximum} - control.minimum) / end_share;
  return value <= control.minimum + slack || value >= control.maximum - slack;
}

std::string words_for(const Control& control, const Change* known) {
  if (control.type == ControlType::button)
    return known != nullptr && known->value != 0
               ? fmt::format("'{}' is held: it counts from its next press; if nobody holds it, its switch is stuck",
                             control.role)
               : "";
  if (control.type == ControlType::hat || control.type == ControlType::counts || control.type == ControlType::pointer)
    return "";
  if (known == nullptr) return fmt::format("'{}': its position is unknown until it is first moved", control.role);
  if (control.type == ControlType::two_sided && is_at_end(control, known->value))
    return fmt::format("'{}' is at the end of its range: it is held there, rests there, or needs calibration",
                       control.role);
  if (control.type == ControlType::one_sided && known->value > control.rest && is_at_end(control, known->value))
    return fmt::format("'{}' is at the end of its range", control.role);
  return "";
}

}  // namespace

bool is_silent(const Attachment& attachment) noexcept {
  const auto is_axis = [](const Control& control) {
    return control.type == ControlType::one_sided || control.type == ControlType::two_sided;
  };
  const auto says_something = [&](const Change& change) {
    const auto control = std::ranges::find(attachment.controls, change.code, &Control::code);
    return control != attachment.controls.end() && (is_axis(*control) || change.value != 0);
  };
  return std::ranges::any_of(attachment.controls, is_axis) && std::ranges::none_of(attachment.state, says_something);
}

std::vector<std::string> outdated_notes(const Attachment& attachment) {
  std::vector<std::string> notes;
  for (const std::string& role : attachment.outdated)
    notes.push_back(
        fmt::format("the range of '{}' has changed since it was calibrated, so its calibration is not used", role));
  return notes;
}

std::vector<std::string> health_notes(const Attachment& attachment) {
  std::vector<std::string> notes;
  for (const Control& control : attachment.controls) {
    const auto known = std::ranges::find(attachment.state, control.code, &Change::code);
    std::string note = words_for(control, known != attachment.state.end() ? &*known : nullptr);
    if (!note.empty() && std::ranges::find(notes, note) == notes.end()) notes.push_back(std::move(note));
  }
  return notes;
}

}  // namespace omnipar::inline abi_0
