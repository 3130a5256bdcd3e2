#include "play/grabs.hpp"

#include <algorithm>
#include <utility>

#include "omnipar/identity.hpp"
#include "play/gathering.hpp"

namespace omnipar::inline abi_0::play {

std::string Grabs::name_of(int node) const {
  const Description& description = nodes_.description(node);
  const std::string name = printable(description.name);
  return nodes_.has_double(node) ? name_with_socket(name, description) : name;
}

void Grabs::look_at(int node) {
  if (nodes_.is_grabbed_by_another(node))
    held_elsewhere(node);
  else if (nodes_.is_grabbed(node) || nodes_.down(node).empty())  // otherwise it is unknown
    is_free_again(node);
}

void Grabs::is_free_again(int node) {
  if (reported_.erase(node) == 0) return;
  nodes_.resync(node);
  on_event_(GrabEnded{name_of(node), nodes_.path(node)});
}

void Grabs::held_elsewhere(int node) {
  if (!reported_.insert(node).second) return;
  const host::Openers openers = nodes_.openers(node);
  on_event_(GrabbedElsewhere{name_of(node), nodes_.path(node), openers.names, openers.only});
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
  constexpr Duration patience = std::chrono::seconds{3};  // the exit combination needs two
  again_at_ = now + pause;
  nodes_.try_grabs();
  for (const int node : std::set{reported_})
    if (nodes_.is_grabbed(node)) is_free_again(node);
  const auto waiting = nodes_.waiting_for_grab();
  for (const int node : waiting) {
    const std::vector<std::string> down = nodes_.down(node);
    Wait& wait = waits_.try_emplace(node, Wait{now, down}).first->second;
    if (std::exchange(wait.down, down) != down) wait.since = now;  // buttons are changing
    if (!down.empty() && now - wait.since >= patience)
      grab_what_is_stuck(node, down);
    else if (down.empty() && now - wait.since >= pause)
      held_elsewhere(node);
  }
  if (waiting.empty()) again_at_.reset();
}

void Grabs::grab_what_is_stuck(int node, const std::vector<std::string>& down) {
  const bool informed = nodes_.grab_with_something_down(node);
  if (!nodes_.is_grabbed(node)) return;  // held by another program
  on_event_(GrabbedWhileDown{name_of(node), down, informed});
}

}  // namespace omnipar::inline abi_0::play
