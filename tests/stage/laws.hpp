// The laws that each stage keeps, by the names of the stages.
#pragma once

#include <functional>
#include <map>
#include <string_view>

#include "stage/stage.hpp"

namespace omnipar::test {

using Laws = std::map<std::string_view, std::function<void(const stage::Kind&)>>;

/// Of all that makes a position of a position.
[[nodiscard]] const Laws& shape_laws();

}  // namespace omnipar::test
