#include "play/chord_detector.hpp"

#include <algorithm>

namespace omnipar::play {

void ChordDetector::take(int hand, const Attachment& attachment, const Report& report) {
  for (const Change& change : report.changes) {
    if (change.code.type != ev_key && change.code.type != ev_hid) continue;  // most of what comes are axes
    const auto control = std::ranges::find(attachment.controls, change.code, &Control::code);
    if (control == attachment.controls.end() || control->reading != Reading::button) continue;
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
      find_next_due();
    }
  }
}

void ChordDetector::find_next_due() noexcept {
  due_.reset();
  for (const auto& [hand, downs] : downs_)
    for (std::size_t i = 0; i < downs.size(); ++i)
      if (downs[i].since && (!due_ || *downs[i].since + pairs_[i].after < *due_))
        due_ = *downs[i].since + pairs_[i].after;
}

bool ChordDetector::fired(Time now) noexcept {
  if (!due_ || now < *due_) return false;
  for (auto& [hand, downs] : downs_)
    for (std::size_t i = 0; i < downs.size(); ++i)
      if (downs[i].since && *downs[i].since + pairs_[i].after <= now) downs[i].since.reset();
  find_next_due();
  return true;
}

}  // namespace omnipar::play
