// The form of a virtual pad: fixed by its kind, never by the plan, because programs number buttons by
// what a device has. It is the kernel's gamepad convention whole.
#pragma once

#include <linux/input.h>

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/report.hpp"
#include "omnipar/system_sheet.hpp"

namespace omnipar::outlet {

/// What the phys of each of our virtual devices begins with; units with it are never taken.
inline constexpr std::string_view our_mark = "omnipar/";

struct PadAxis {
  Code code;
  NativeRange range;
};

[[nodiscard]] const std::vector<Code>& pad_keys();
[[nodiscard]] const std::vector<PadAxis>& pad_axes();

/// Name, bus, ids and version of the virtual pad of a port.
[[nodiscard]] std::string pad_name(int port);
[[nodiscard]] std::string pad_phys(int port);
[[nodiscard]] input_id pad_id(int port);

/// The code of a virtual pad for a target with this place. A direction comes with the hat's axis.
[[nodiscard]] std::optional<Code> pad_code(std::string_view place, std::string_view target);

/// A report that brings every control to rest.
[[nodiscard]] std::vector<input_event> neutral_report();

}  // namespace omnipar::outlet
