// A report descriptor as text.
#pragma once

#include <string>
#include <vector>

#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::inspect {

/// Its collections and fields, one per line, in the order of the descriptor; contents are
/// indented by two.
[[nodiscard]] std::vector<std::string> descriptor_lines(const hid::Descriptor& descriptor);

}  // namespace omnipar::inline abi_0::inspect
