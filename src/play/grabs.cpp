#include "play/grabs.hpp"

#include <algorithm>
#include <utility>

#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::play {

void Grabs::look_at(int node) {
  if (nodes_.is_grabbed_by_another(node)) held_elsewhere(node);
}

void Grabs::held_elsewhere(int node) {
  if (!told_.insert(node).second) return;
  const host::Openers openers = nodes_.openers(node);
  tell_(GrabbedElsewhere{printable(nodes_.description(node).name), nodes_.path(node), openers.names, openers.only});
}

void Grabs::set(const std::vector<int>& playing, bool frozen, Time now) {
  again_at_ = now;
  waits_.clear();
  for (const int node : playing) nodes_.grab(node, !frozen);
  for (const int node : std::exchange(played_, playing))
    if (std::ranges::find(playing, node) == playing.end()) nodes_.grab(node, nodes_.grabs_all());
}

void Grabs::insist(Time now) {
  if (!again_at_ || now < *again_at_) return;
  constexpr Duration pause = std::chrono::milliseconds{250};
  constexpr Duration patience = std::chrono::seconds{3};  // the exit combination takes two
  again_at_ = now + pause;
  nodes_.try_grabs();
  const auto waiting = nodes_.waiting_for_grab();
  for (const int node : waiting) {
    const std::vector<std::string> down = nodes_.down(node);
    Wait& wait = waits_.try_emplace(node, Wait{now, down}).first->second;
    if (std::exchange(wait.down, down) != down) wait.since = now;  // hands are at it
    if (!down.empty() && now - wait.since >= patience)
      grab_what_is_stuck(node, down);
    else if (down.empty() && now - wait.since >= pause)
      held_elsewhere(node);
  }
  if (waiting.empty()) again_at_.reset();
}

void Grabs::grab_what_is_stuck(int node, const std::vector<std::string>& down) {
  const bool told = nodes_.grab_with_something_down(node);
  if (!nodes_.is_grabbed(node)) return;  // another program has it
  tell_(GrabbedWhileDown{printable(nodes_.description(node).name), down, told});
}

}  // namespace omnipar::inline abi_0::play
