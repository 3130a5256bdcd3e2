#include "play/grabs.hpp"

#include <fmt/format.h>

#include "base/list.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::play {

void Grabs::look_at(int node) {
  if (nodes_.is_grabbed_by_another(node) && told_.insert(node).second) held_(node);
}

void Grabs::set(const std::vector<int>& playing, bool frozen, Time now) {
  again_at_ = now;
  waits_.clear();
  for (const int node : playing) nodes_.grab(node, !frozen);
}

void Grabs::insist(Time now) {
  if (!again_at_ || now < *again_at_) return;
  constexpr Duration pause = std::chrono::milliseconds{250};
  constexpr Duration patience = std::chrono::seconds{3};  // the exit combination takes two
  again_at_ = now + pause;
  nodes_.try_holds();
  const auto waiting = nodes_.waiting_for_grab();
  for (const int node : waiting) {
    const std::vector<std::string> down = nodes_.down(node);
    Wait& wait = waits_.try_emplace(node, Wait{now, down}).first->second;
    if (std::exchange(wait.down, down) != down) wait.since = now;  // hands are at it
    if (!down.empty() && now - wait.since >= patience)
      grab_what_is_stuck(node, down);
    else if (down.empty() && now - wait.since >= pause && told_.insert(node).second)
      held_(node);
  }
  if (waiting.empty()) again_at_.reset();
}

void Grabs::grab_what_is_stuck(int node, const std::vector<std::string>& down) {
  const bool told = nodes_.grab_with_something_down(node);
  if (!nodes_.is_grabbed(node)) return;  // another program has it
  say_(fmt::format("\"{}\": {} {} down. It is grabbed all the same: {}.", printable(nodes_.description(node).name),
                   some_listed(down), down.size() == 1 ? "stays" : "stay",
                   told ? "other programs see it released, and it counts from its next press"
                        : "other programs do not see it released"));
}

}  // namespace omnipar::play
