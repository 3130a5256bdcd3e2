#include "play/desktop_keys.hpp"

#include <algorithm>

namespace omnipar::inline abi_0::play {

std::optional<Diagnostic> DesktopKeys::find(int node) {
  if (keys_.contains(node)) return std::nullopt;
  for (const CodeRange& range : nodes_.description(node).codes)
    if (outlet::is_desktop_key(range.code) && !table_.is_control(node, range.code))
      keys_[node].push_back({range.code, false});
  return keys_.contains(node) ? outlets_.open_passed_on_keys() : std::nullopt;
}

void DesktopKeys::pass_on_keys(int node, std::span<const Change> changes) {
  const auto keys = keys_.find(node);
  if (keys == keys_.end()) return;
  for (const Change& change : changes) {
    const auto key = std::ranges::find(keys->second, change.code, &PassedKey::code);
    if (key == keys->second.end()) continue;
    const bool down = change.value != 0;
    if (key->down == down || (down && !nodes_.is_grabbed(node))) continue;
    key->down = down;
    outlets_.pass_on(key->code, down);
  }
}

void DesktopKeys::forget(int node) {
  const auto keys = keys_.find(node);
  if (keys == keys_.end()) return;
  for (const PassedKey& key : keys->second)
    if (key.down) outlets_.pass_on(key.code, false);
  keys_.erase(keys);
}

}  // namespace omnipar::inline abi_0::play
