// Names of a unit's nodes.
#pragma once

#include <string_view>

namespace omnipar::inline abi_0 {

/// A node's name without the suffix that the kernel gives to the nodes of one HID device.
[[nodiscard]] inline std::string_view stem_of(std::string_view name) noexcept {
  for (const std::string_view suffix : {" Mouse", " Keyboard", " Touchpad", " Motion Sensors", " Consumer Control",
                                        " System Control", " Touchscreen", " Stylus", " Pen"})
    if (name.ends_with(suffix)) return name.substr(0, name.size() - suffix.size());
  return name;
}

}  // namespace omnipar::inline abi_0
