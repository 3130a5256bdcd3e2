// Has a hand pressed a button?
#include <algorithm>

#include "omnipar/attachment.hpp"

namespace omnipar {

bool has_press(const Attachment& attachment, std::span<const Change> changes) noexcept {
  return std::ranges::any_of(changes, [&](const Change& change) {
    return change.value == 1 && std::ranges::any_of(attachment.controls, [&](const Control& control) {
             return control.code == change.code && control.reading == Reading::button;
           });
  });
}

}  // namespace omnipar
