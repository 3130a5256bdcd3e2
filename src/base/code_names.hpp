// Codes by the names that the Linux input interface gives them.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/report.hpp"

namespace omnipar::inline abi_0::base {

/// "BTN_SOUTH", "ABS_X", "REL_WHEEL"; "key:84" for a code that has no name.
[[nodiscard]] std::string code_name(Code code);

/// The code of a name as `code_name` gives it, or of another name of the kernel's for the same code.
[[nodiscard]] std::optional<Code> code_of_name(std::string_view name);

/// All names, sorted.
[[nodiscard]] std::vector<std::string_view> code_names();

}  // namespace omnipar::inline abi_0::base
