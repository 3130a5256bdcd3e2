#include "plan/stage_path.hpp"

#include <optional>

namespace omnipar::inline abi_0::plan {
namespace {

class StagePath {
 public:
  StagePath(const Use& use, RoleKind from, TargetKind wanted)
      : use_(use),
        by_contact_(from == RoleKind::button || from == RoleKind::dpad),
        by_counts_(from == RoleKind::movement || from == RoleKind::turns),
        by_pointer_(from == RoleKind::pointer),
        by_pair_(from == RoleKind::stick || from == RoleKind::pointer || from == RoleKind::movement),
        to_press_(wanted == TargetKind::button),
        to_pointer_(wanted == TargetKind::pointer),
        is_pedal_on_axis_(from == RoleKind::one_sided && wanted == TargetKind::two_sided) {}

  [[nodiscard]] bool has(const stage::Kind& kind) const {
    if (&kind == &stage::side) return is_pedal_on_axis_;
    if (kind.move != nullptr || kind.follow != nullptr) return has_shape(kind);
    if (kind.pass != nullptr) return !by_contact_ && to_press_;
    if (kind.step != nullptr) return by_contact_ || to_press_;
    if (kind.of_aims) return to_pointer_ && (&kind == &stage::edge || by_pointer_);
    if (&kind == &stage::glide) return to_pointer_ && !by_counts_ && !by_pointer_;
    if (&kind == &stage::drag) return to_pointer_ && by_counts_;
    return by_contact_ && !to_press_ && !to_pointer_;  // a ramp
  }

 private:
  /// Only explicit stages precede a threshold. Guns and mice have only pointer stages, and relative axes only
  /// inversion.
  [[nodiscard]] bool has_shape(const stage::Kind& kind) const {
    if (by_contact_ || (kind.of_sticks && !by_pair_)) return false;
    if (by_counts_ && !to_pointer_) return !to_press_ && &kind == &stage::inversion;
    if (by_pointer_ || by_counts_) return to_pointer_ && kind.on_pointers;
    return !to_press_ || !kind.unless_written || stage::is_written(kind, use_);
  }

  const Use& use_;
  bool by_contact_, by_counts_, by_pointer_, by_pair_, to_press_, to_pointer_, is_pedal_on_axis_;
};

/// How a target uses a source with more directions than it needs: the value of `one_way`.
std::optional<double> part_of(const Use& use, RoleKind from, TargetKind wanted) {
  if (wanted == TargetKind::two_sided && from == RoleKind::stick) return -1;
  if (wanted != TargetKind::one_sided) return std::nullopt;
  if (const auto direction = stick_direction(use.role)) return static_cast<double>(direction->direction);
  if (from == RoleKind::two_sided) return 3;
  return std::nullopt;
}

}  // namespace

std::vector<StageUse> stages_of(const Use& use, RoleKind from, TargetKind wanted) {
  const StagePath path{use, from, wanted};
  std::vector<StageUse> all;
  for (const stage::Kind* kind : stage::of_uses()) {
    stage::Values values = stage::values_of(*kind, use);
    // No default dead zone precedes a threshold.
    if (wanted == TargetKind::button && kind == &stage::dead_zone && !use.settings.find("dead-zone")) values[0] = 0;
    if (const auto part = part_of(use, from, wanted); kind == &stage::smoothing && part)
      all.push_back({&stage::one_way, {*part}});
    if (path.has(*kind) && kind->acts(values)) all.push_back({kind, values});
  }
  return all;
}

std::vector<std::string_view> idle_fields(const Use& use, RoleKind from, TargetKind wanted) {
  const StagePath path{use, from, wanted};
  std::vector<std::string_view> idle;
  for (const stage::Kind* kind : stage::of_uses())
    for (const stage::Field& field : kind->fields)
      if (use.settings.find(field.name) && !path.has(*kind)) idle.push_back(field.name);
  return idle;
}

}  // namespace omnipar::inline abi_0::plan
