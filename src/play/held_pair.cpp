#include "play/held_pair.hpp"

#include <algorithm>

namespace omnipar::play {

void HeldPairs::take(int hand, const Attachment& attachment, const Report& report) {
  for (const Change& change : report.changes) {
    if (change.code.type != ev_key) continue;
    const auto control = std::ranges::find(attachment.controls, change.code, &Control::code);
    if (control == attachment.controls.end()) continue;
    for (std::size_t i = 0; i < pairs_.size(); ++i) {
      const bool is_first = control->role == pairs_[i].first;
      if (!is_first && control->role != pairs_[i].second) continue;
      std::vector<Down>& downs = downs_[hand];
      downs.resize(pairs_.size());
      Down& down = downs[i];
      const bool both_before = down.first && down.second;
      (is_first ? down.first : down.second) = change.value != 0;
      const bool both = down.first && down.second;
      if (both && !both_before) down.since = report.time;
      if (!both) down.since.reset();
    }
  }
}

std::optional<Time> HeldPairs::next_due() const noexcept {
  std::optional<Time> due;
  for (const auto& [hand, downs] : downs_)
    for (std::size_t i = 0; i < downs.size(); ++i)
      if (downs[i].since && (!due || *downs[i].since + pairs_[i].after < *due)) due = *downs[i].since + pairs_[i].after;
  return due;
}

bool HeldPairs::fired(Time now) noexcept {
  bool any = false;
  for (auto& [hand, downs] : downs_)
    for (std::size_t i = 0; i < downs.size(); ++i) {
      if (!downs[i].since || *downs[i].since + pairs_[i].after > now) continue;
      downs[i].since.reset();
      any = true;
    }
  return any;
}

}  // namespace omnipar::play
