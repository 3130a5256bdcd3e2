// The meaning of a gesture as an answer: the source that it names, or why it is rejected.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "learn/hands.hpp"
#include "omnipar/learning.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0::learn {

/// Neither source nor rejection: nothing deliberate happened.
struct Verdict {
  std::optional<LearnedSource> source{};
  LearnRefusal refusal = LearnRefusal::none;
  std::string role{};
  double seen = 0;
  std::string other_role{};
  double other = 0;
};

/// Whether such a control can move such a target; for a stick and a button, one of its directions.
[[nodiscard]] bool can_feed(RoleKind role, TargetKind target) noexcept;
/// True of a target that is answered by sweeping or moving a whole control.
[[nodiscard]] bool is_swept(TargetKind kind) noexcept;
/// True of controls that are self-centering and can be held: not of a stick or a wheel.
[[nodiscard]] inline bool can_be_held(const Push& push) noexcept { return push.type != ControlType::two_sided; }
/// "dpad" if the role is one of its directions, which can move a stick or a wheel together; else nothing.
[[nodiscard]] std::string cross_of(const std::string& role);

/// True if the two name the same control, or one is a direction of the other: "dpad" and "dpad-up".
[[nodiscard]] bool overlap(std::string_view one, std::string_view other);

/// The direction of an axis or counter, for people; empty if it is not reversed.
[[nodiscard]] std::string side_words(const LearnedSource& source, const Question& question, bool for_sheet);

/// For this question: these controls were pressed or pushed, and are released.
[[nodiscard]] Verdict judge_pushes(const Hands& hands, const std::vector<Push>& all, const Question& question);
/// The same for a question that is answered by a sweep.
[[nodiscard]] Verdict judge_sweep(const Hands& hands, const Question& question);
/// The same for a question that is answered by moving from one end to the other.
[[nodiscard]] Verdict judge_span(const Hands& hands);
/// True if the answer for such a target has gone far enough.
[[nodiscard]] bool is_swept_whole(const Hands& hands, const Question& question);

}  // namespace omnipar::inline abi_0::learn
