// The laws of each stage, by stage name.
#pragma once

#include <functional>
#include <map>
#include <string_view>

#include "stage/stage.hpp"

namespace omnipar::test {

using Laws = std::map<std::string_view, std::function<void(const stage::Kind&)>>;

/// Laws of all stages that map a position to a position.
[[nodiscard]] const Laws& shape_laws();

}  // namespace omnipar::test
