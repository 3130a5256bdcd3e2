// The stages between a source and its target, in order, for the compiler and for `why`.
#pragma once

#include <string_view>
#include <vector>

#include "omnipar/role.hpp"
#include "omnipar/system_sheet.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0::plan {

struct StageUse {
  const stage::Kind* kind = nullptr;
  stage::Values values{};
};

/// The stages that have an effect from a control of this kind to a target of that kind. `wanted` is the kind of a
/// sheet's target; directions are buttons. The binding must be one that can feed it.
[[nodiscard]] std::vector<StageUse> stages_of(const Use& use, RoleKind from, TargetKind wanted);

/// The written fields of a binding whose stages have no effect from such a control to such a target.
[[nodiscard]] std::vector<std::string_view> idle_fields(const Use& use, RoleKind from, TargetKind wanted);

}  // namespace omnipar::inline abi_0::plan
