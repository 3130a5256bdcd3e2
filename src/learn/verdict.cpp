#include "learn/verdict.hpp"

#include <algorithm>

#include "omnipar/role.hpp"

namespace omnipar::learn {
namespace {

constexpr double half = 0.5;

/// True if a push can hold such a target down. A wheel has no directions that a binding could name.
bool presses(const Push& push, TargetKind target) {
  if (push.reading != Reading::two_sided) return true;
  const auto kind = role_kind(push.role);
  return target == TargetKind::button && (!kind || *kind == RoleKind::button);
}

Verdict refusal(LearnRefusal why, const std::string& role, double seen = 0, const std::string& other_role = {},
                double other = 0) {
  return {std::nullopt, why, role, seen, other_role, other};
}

/// What can answer such a target, the farthest first.
std::vector<Sweep> fitting(const Hands& hands, TargetKind kind) {
  std::vector<Sweep> all = hands.sweeps();
  std::erase_if(all, [kind](const Sweep& sweep) { return !can_feed(sweep.kind, kind); });
  return all;
}

bool is_far_enough(const Sweep& sweep) noexcept {
  if (sweep.kind == RoleKind::pointer) return sweep.farthest() >= half;
  if (sweep.kind == RoleKind::stick) return sweep.least() >= half;
  return sweep.farthest() >= pushed;
}

/// Asked for are right and up: what began on the other side is the other way round.
LearnedSource source_of(const Sweep& sweep) {
  LearnedSource source;
  source.role = sweep.role;
  source.unit = sweep.unit;
  source.node = sweep.node;
  source.code = sweep.code;
  const bool has_ends = sweep.kind == RoleKind::stick || sweep.kind == RoleKind::two_sided;
  source.invert_x = has_ends && sweep.first[0] < 0;
  source.invert_y = sweep.kind == RoleKind::stick && sweep.first[1] > 0;
  return source;
}

LearnedSource source_of(const Push& push, std::string role) {
  LearnedSource source;
  source.role = std::move(role);
  source.unit = push.unit;
  source.node = push.node;
  source.code = push.code;
  source.side = push.side;
  return source;
}

}  // namespace

bool can_feed(RoleKind role, TargetKind target) noexcept {
  switch (target) {
    case TargetKind::button:
      return role == RoleKind::button || role == RoleKind::one_sided || role == RoleKind::stick;
    case TargetKind::one_sided:
      return role == RoleKind::button || role == RoleKind::one_sided;
    case TargetKind::stick:
      return role == RoleKind::stick || role == RoleKind::dpad;
    case TargetKind::two_sided:
      return role == RoleKind::two_sided || role == RoleKind::dpad;
    case TargetKind::turns:
      return role == RoleKind::turns;
    case TargetKind::movement:
      return role == RoleKind::movement;
    default:
      return role == RoleKind::pointer || role == RoleKind::movement || role == RoleKind::stick;
  }
}

bool is_swept(TargetKind kind) noexcept {
  return kind == TargetKind::stick || kind == TargetKind::two_sided || kind == TargetKind::turns ||
         kind == TargetKind::movement || kind == TargetKind::pointer;
}

std::string cross_of(const std::string& role) { return role.starts_with("dpad-") ? "dpad" : ""; }

namespace {

/// A trigger may be an axis and a button at once: then it is the axis.
std::vector<Push> without_doubles(std::vector<Push> pushes, TargetKind kind) {
  const auto is_trigger = [](const Push& push) { return push.reading == Reading::one_sided; };
  if (kind == TargetKind::one_sided && pushes.size() == 2 && std::ranges::count_if(pushes, is_trigger) == 1)
    std::erase_if(pushes, [&](const Push& push) { return !is_trigger(push); });
  return pushes;
}

}  // namespace

Verdict judge_pushes(const Hands& hands, const std::vector<Push>& all, TargetKind kind) {
  const std::vector<Push> pushes = without_doubles(all, kind);
  if (pushes.empty()) {
    const auto sweeps = hands.sweeps();
    const bool is_push =
        !sweeps.empty() && (sweeps[0].kind == RoleKind::stick || sweeps[0].kind == RoleKind::two_sided);
    if (!is_push || sweeps[0].farthest() < stirred) return {};
    return refusal(LearnRefusal::too_short, sweeps[0].role, sweeps[0].farthest());
  }
  const Push& push = *std::ranges::max_element(pushes, {}, &Push::peak);
  if (push.reading == Reading::two_sided) {
    const auto rival = hands.farthest_beside(push);
    if (rival && rival->peak > beside * push.peak)
      return refusal(LearnRefusal::wobble, push.role, push.peak, rival->role, rival->peak);
  }
  if (pushes.size() > 1) return refusal(LearnRefusal::two_at_once, pushes[0].role, 1, pushes[1].role, 1);
  const std::string cross = cross_of(push.role);
  const bool takes_cross = kind == TargetKind::stick || kind == TargetKind::two_sided;
  if (takes_cross && !cross.empty()) return {source_of(push, cross)};
  if (is_swept(kind) || !presses(push, kind)) return refusal(LearnRefusal::wrong_kind, push.role);
  return {source_of(push, push.role)};
}

Verdict judge_sweep(const Hands& hands, TargetKind kind) {
  const auto sweeps = fitting(hands, kind);
  if (sweeps.empty() || sweeps[0].farthest() < stirred) {
    const auto others = hands.sweeps();
    if (others.empty() || others[0].farthest() < pushed) return {};
    return refusal(LearnRefusal::wrong_kind, others[0].role);
  }
  const Sweep& sweep = sweeps[0];
  if (!is_far_enough(sweep)) {
    const bool is_half = sweep.kind == RoleKind::stick && sweep.farthest() >= half;
    return refusal(is_half ? LearnRefusal::half_of_it : LearnRefusal::too_short, sweep.role, sweep.farthest());
  }
  if (sweeps.size() > 1 && sweeps[1].farthest() > beside * sweep.farthest())
    return refusal(LearnRefusal::wobble, sweep.role, sweep.farthest(), sweeps[1].role, sweeps[1].farthest());
  return {source_of(sweep)};
}

bool is_swept_whole(const Hands& hands, TargetKind kind) {
  const auto sweeps = fitting(hands, kind);
  return !sweeps.empty() && is_far_enough(sweeps[0]);
}

}  // namespace omnipar::learn
