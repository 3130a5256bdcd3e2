#include "plan/way.hpp"

namespace omnipar::plan {
namespace {

class Way {
 public:
  Way(const Use& use, RoleKind from, TargetKind wanted)
      : use_(use),
        by_contact_(from == RoleKind::button || from == RoleKind::dpad),
        by_counts_(from == RoleKind::movement || from == RoleKind::turns),
        by_pointer_(from == RoleKind::pointer),
        to_press_(wanted == TargetKind::button),
        to_pointer_(wanted == TargetKind::pointer) {}

  [[nodiscard]] bool has(const stage::Kind& kind) const {
    if (kind.move != nullptr) return has_shape(kind);
    if (kind.pass != nullptr) return !by_contact_ && to_press_;
    if (kind.step != nullptr) return by_contact_ || to_press_;
    if (&kind == &stage::glide) return to_pointer_ && !by_counts_ && !by_pointer_;
    if (&kind == &stage::drag) return to_pointer_ && by_counts_;
    return by_contact_ && !to_press_;  // a ramp
  }

 private:
  /// Before a threshold there are only those that are written. What a gun or a mouse says has only those that act on
  /// pointers, and what merely counts has none.
  [[nodiscard]] bool has_shape(const stage::Kind& kind) const {
    if (by_contact_) return false;
    if (by_pointer_ || by_counts_) return to_pointer_ && kind.on_pointers;
    return !to_press_ || !kind.unless_written || stage::is_written(kind, use_);
  }

  const Use& use_;
  bool by_contact_, by_counts_, by_pointer_, to_press_, to_pointer_;
};

}  // namespace

std::vector<Passage> way_of(const Use& use, RoleKind from, TargetKind wanted) {
  const Way way{use, from, wanted};
  std::vector<Passage> all;
  for (const stage::Kind* kind : stage::of_uses()) {
    const stage::Values values = stage::values_of(*kind, use);
    if (way.has(*kind) && kind->acts(values)) all.push_back({kind, values});
  }
  return all;
}

std::vector<std::string_view> idle_fields(const Use& use, RoleKind from, TargetKind wanted) {
  const Way way{use, from, wanted};
  std::vector<std::string_view> idle;
  for (const stage::Kind* kind : stage::of_uses())
    for (const stage::Field& field : kind->fields)
      if (use.settings.find(field.name) && !way.has(*kind)) idle.push_back(field.name);
  return idle;
}

}  // namespace omnipar::plan
