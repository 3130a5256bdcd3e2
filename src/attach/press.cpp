// Detects presses in reports.
#include <algorithm>
#include <cstdlib>

#include "omnipar/attachment.hpp"

namespace omnipar::inline abi_0 {

bool has_press(const Attachment& attachment, std::span<const Change> changes) noexcept {
  return std::ranges::any_of(changes, [&](const Change& change) {
    return change.value == 1 && std::ranges::any_of(attachment.controls, [&](const Control& control) {
             return control.code == change.code && control.type == ControlType::button;
           });
  });
}

bool ActivityDetector::update(const Attachment& attachment, std::span<const Change> changes) {
  constexpr std::int64_t far_enough = 100;  // counts
  if (std::ranges::find(attachment.controls, ControlType::button, &Control::type) != attachment.controls.end())
    return has_press(attachment, changes);
  for (const Change& change : changes)
    for (const Control& control : attachment.controls) {
      if (control.code != change.code) continue;
      if (control.type == ControlType::counts) {
        travelled_ += std::abs(std::int64_t{change.value});
        if (travelled_ >= far_enough) return true;
        continue;
      }
      const auto known = std::ranges::find(attachment.state, change.code, &Change::code);
      const std::int32_t from =
          from_.try_emplace(change.code, known != attachment.state.end() ? known->value : change.value).first->second;
      const std::int64_t width = std::int64_t{control.maximum} - control.minimum;
      if (std::abs(std::int64_t{change.value} - from) * 5 >= width * 2) return true;  // two fifths of its range
    }
  return false;
}

}  // namespace omnipar::inline abi_0
