// A report descriptor in words.
#pragma once

#include <string>
#include <vector>

#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::inspect {

/// Its collections and fields, a line each, in the order in which they were written; what lies within something is
/// indented by two.
[[nodiscard]] std::vector<std::string> descriptor_lines(const hid::Descriptor& descriptor);

}  // namespace omnipar::inline abi_0::inspect
