// Codes by the names that the Linux input interface gives them.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/report.hpp"

namespace omnipar::inline abi_0::base {

/// "BTN_SOUTH", "ABS_X", "REL_WHEEL"; "key:84" for a code without a name.
[[nodiscard]] std::string code_name(Code code);

/// The code for a name from `code_name`, or for another of the kernel's names for the same code.
[[nodiscard]] std::optional<Code> code_of_name(std::string_view name);

/// All names, sorted.
[[nodiscard]] std::vector<std::string_view> code_names();

}  // namespace omnipar::inline abi_0::base
