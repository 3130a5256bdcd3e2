#include "learn/verdict.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <utility>

#include <fmt/format.h>

#include "omnipar/role.hpp"

namespace omnipar::inline abi_0::learn {
namespace {

constexpr double half = 0.5;

/// True if a push can hold such a target down. A wheel has no directions that a binding could name; and in a sheet an
/// axis is half of a d-pad, a trigger or a pedal, but not a button.
bool presses(const Push& push, const Question& question) {
  if (push.type != ControlType::two_sided) return true;
  if (push.is_raw) return question.kind == TargetKind::one_sided || !question.opposite.empty();
  const auto kind = role_kind(push.role);
  return question.kind == TargetKind::button && (!kind || *kind == RoleKind::button);
}

Verdict refusal(LearnRefusal why, const std::string& role, double seen = 0, const std::string& other_role = {},
                double other = 0) {
  return {std::nullopt, why, role, seen, other_role, other};
}

/// Possible answers for such a target, the furthest first.
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

/// The user is asked for right and up: a control that went to the other side is reversed. A stick that was not swept as
/// requested is never reversed.
LearnedSource source_of(const Sweep& sweep, bool by_end = false) {
  LearnedSource source;
  source.role = sweep.role;
  source.unit = sweep.unit;
  source.node = sweep.node;
  source.code = sweep.code;
  source.rests = sweep.rests;
  const bool has_ends = sweep.kind != RoleKind::pointer && sweep.kind != RoleKind::movement;
  const std::array<int, 2>& side = by_end ? sweep.end : sweep.side;
  source.side = sweep.kind == RoleKind::stick ? 0 : side[0];
  const bool known_turns = sweep.kind == RoleKind::turns && role_kind(sweep.role);
  source.invert_x = has_ends && !known_turns && side[0] < 0;
  source.invert_y = sweep.kind == RoleKind::stick && side[1] > 0;
  return source;
}

LearnedSource source_of(const Push& push, std::string role) {
  LearnedSource source;
  source.role = std::move(role);
  source.unit = push.unit;
  source.node = push.node;
  source.code = push.code;
  source.side = push.type == ControlType::button ? 0 : push.side;
  source.rests = push.rests;
  // An axis that rests at its end has only one direction.
  constexpr double at_an_end = 0.5;
  if (push.is_raw && push.type == ControlType::two_sided && std::fabs(push.rests) > at_an_end &&
      (source.role.ends_with('+') || source.role.ends_with('-')))
    source.role.pop_back();
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

bool overlap(std::string_view one, std::string_view other) {
  if (one.size() > other.size()) std::swap(one, other);
  if (!other.starts_with(one)) return false;
  const std::string_view end = other.substr(one.size());
  if (end.empty() || end == "+" || end == "-") return true;
  const auto kind = role_kind(one);
  return (kind == RoleKind::stick || kind == RoleKind::dpad) && end.starts_with('-') &&
         std::ranges::find(direction_names, end.substr(1)) != direction_names.end();
}

std::string side_words(const LearnedSource& source, const Question& question, bool for_sheet) {
  if (!for_sheet)
    return source.invert_x && source.invert_y ? "reversed on both axes"
           : source.invert_x                  ? "left and right reversed"
           : source.invert_y                  ? "up and down reversed"
                                              : "";
  if (source.code.type == ev_key || source.side == 0) return "";
  const std::string_view low = source.side < 0 ? "low" : "high";
  if (question.kind == TargetKind::one_sided) {
    constexpr double at_an_end = 0.5;
    if (std::fabs(source.rests) <= at_an_end)
      return fmt::format("the {}er half of the axis", source.side < 0 ? "low" : "upp");
    return source.rests > 0 ? "rests at its high end" : "rests at its low end";
  }
  const bool is_low = question.upwards || question.place.ends_with("-up") || question.place.ends_with("-left");
  const std::string_view turned = (source.side < 0) == is_low ? "" : ", reversed compared with most units";
  if (source.code.type == ev_rel) return fmt::format("counts {}{}", source.side < 0 ? "down" : "up", turned);
  return fmt::format("to its {} end{}", low, turned);
}

namespace {

/// For two controls moved by one press, prefers the more expressive one for the target.
int rank_of(const Push& push, TargetKind kind) {
  const bool is_key = push.type == ControlType::button;
  if (kind == TargetKind::one_sided) return is_key ? 1 : 0;
  return push.is_hat ? 0 : is_key ? 1 : 2;
}

bool were_down_together(const Push& one, const Push& other) {
  return one.began < other.until && other.began < one.until;
}

/// True if one press moves both: a trigger with a switch in it; a d-pad that sends a hat and buttons.
bool is_double(const Push& one, const Push& other, TargetKind kind) {
  constexpr Duration at_once{60'000};
  if (rank_of(one, kind) == rank_of(other, kind) || !were_down_together(one, other)) return false;
  if (kind == TargetKind::one_sided) return true;
  const auto apart = [](Time a, Time b) { return a < b ? b - a : a - b; };
  return one.is_raw && other.is_raw && apart(one.began, other.began) <= at_once &&
         apart(one.until, other.until) <= at_once;
}

/// On its way to a direction a d-pad may pass another one.
bool is_glance(const Push& one, const Push& other) {
  constexpr Duration longest{45'000};
  const Duration its = one.until - one.began, others = other.until - other.began;
  const bool same_cross = one.is_hat ? other.is_hat : !cross_of(one.role).empty() && !cross_of(other.role).empty();
  return same_cross && its <= longest && others >= 2 * its;
}

/// Removes side effects from the moved controls; `with` receives the name of a removed one.
std::vector<Push> meant_of(std::vector<Push> pushes, TargetKind kind, std::string& with) {
  std::ranges::stable_sort(pushes, {}, [kind](const Push& push) { return rank_of(push, kind); });
  std::vector<Push> meant;
  for (const Push& push : pushes) {
    const auto by = std::ranges::find_if(meant, [&](const Push& first) { return is_double(first, push, kind); });
    if (by != meant.end()) {
      with = push.role;
      continue;
    }
    const auto passes = [&push](const Push& other) { return is_glance(push, other); };
    if (std::ranges::none_of(pushes, passes)) meant.push_back(push);
  }
  std::ranges::stable_sort(meant, {}, &Push::began);
  return meant;
}

}  // namespace

Verdict judge_pushes(const Hands& hands, const std::vector<Push>& all, const Question& question) {
  std::string with;
  const std::vector<Push> pushes = meant_of(all, question.kind, with);
  if (pushes.empty()) {
    const auto sweeps = hands.sweeps();
    const bool is_push =
        !sweeps.empty() && (sweeps[0].kind == RoleKind::stick || sweeps[0].kind == RoleKind::two_sided);
    if (!is_push || sweeps[0].farthest() < stirred || sweeps[0].farthest() >= pushed) return {};
    return refusal(LearnRefusal::too_short, sweeps[0].role, sweeps[0].farthest());
  }
  const Push& push = *std::ranges::max_element(pushes, {}, &Push::peak);
  if (push.type == ControlType::two_sided) {
    const auto rival = hands.farthest_beside(all);
    const auto other = std::ranges::find_if(
        pushes, [&push](const Push& one) { return one.type == ControlType::two_sided && one.code != push.code; });
    if (other != pushes.end()) return refusal(LearnRefusal::wobble, push.role, push.peak, other->role, other->peak);
    if (rival && rival->peak > beside * push.peak)
      return refusal(LearnRefusal::wobble, push.role, push.peak, rival->role, rival->peak);
  }
  if (pushes.size() == 2 && pushes[0].code == pushes[1].code && pushes[0].type == ControlType::two_sided)
    return refusal(LearnRefusal::both_ways, pushes[0].role);
  if (pushes.size() > 1) return refusal(LearnRefusal::two_at_once, pushes[0].role, 1, pushes[1].role, 1);
  const std::string cross = cross_of(push.role);
  const bool takes_cross = question.kind == TargetKind::stick || question.kind == TargetKind::two_sided;
  if (takes_cross && !cross.empty()) return {source_of(push, cross)};
  if (is_swept(question.kind) || !presses(push, question)) return refusal(LearnRefusal::wrong_kind, push.role);
  Verdict verdict{source_of(push, push.role)};
  verdict.source->with = with;
  return verdict;
}

Verdict judge_sweep(const Hands& hands, const Question& question) {
  const auto sweeps = fitting(hands, question.kind);
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
  if (sweep.both_ways) return refusal(LearnRefusal::both_ways, sweep.role);
  return {source_of(sweep)};
}

namespace {

double span_of(const Sweep& sweep) { return std::max(sweep.span[0], sweep.span[1]); }

}  // namespace

Verdict judge_span(const Hands& hands) {
  std::vector<Sweep> sweeps = hands.sweeps();
  std::ranges::stable_sort(sweeps, std::greater{}, span_of);
  if (sweeps.empty()) return {};
  const Sweep& sweep = sweeps[0];
  if (span_of(sweep) < pushed) return refusal(LearnRefusal::too_short, sweep.role, span_of(sweep));
  if (sweeps.size() > 1 && span_of(sweeps[1]) > beside * span_of(sweep))
    return refusal(LearnRefusal::wobble, sweep.role, span_of(sweep), sweeps[1].role, span_of(sweeps[1]));
  return {source_of(sweep, true)};
}

bool is_swept_whole(const Hands& hands, const Question& question) {
  if (question.motion == LearnMotion::span) return judge_span(hands).source.has_value();
  const auto sweeps = fitting(hands, question.kind);
  return !sweeps.empty() && is_far_enough(sweeps[0]);
}

}  // namespace omnipar::inline abi_0::learn
