// The fields of each kind of sheet.
#pragma once

#include <span>

#include "text/fields.hpp"

namespace omnipar::catalogue {

[[nodiscard]] std::span<const text::Field> system_fields();
[[nodiscard]] std::span<const text::Field> profile_fields();

}  // namespace omnipar::catalogue
