#include "host/nodes.hpp"

#include <algorithm>
#include <cerrno>
#include <utility>

#include "host/raw_unit.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::host {

std::optional<int> Nodes::open(const NodePlace& place) {
  if (std::ranges::find(open_, place.path, &Open::path) != open_.end()) return std::nullopt;
  if (is_made_by_program(place.syspath) && !with_virtual_) return std::nullopt;
  int error = 0;
  auto node = open_node(door_, place.path, place.syspath, error);
  if (!node) {
    met_a_closed_door_ = met_a_closed_door_ || error == -EACCES;
    return std::nullopt;
  }
  if (!is_playable(catalogue_, node->description())) return std::nullopt;
  if (!event_nodes_only_) node = by_raw_reports(door_, catalogue_, std::move(node), place.syspath, say_);
  if (hold_all_) node->hold(true);
  open_.push_back({++last_number_, place.path, std::move(node), hold_all_});
  return last_number_;
}

std::optional<int> Nodes::close(const std::string& path) {
  const auto at = std::ranges::find(open_, path, &Open::path);
  if (at == open_.end()) return std::nullopt;
  const int number = at->number;
  old_losses_ += at->node->losses();
  open_.erase(at);
  return number;
}

void Nodes::close_all() noexcept {
  for (const Open& open : open_) old_losses_ += open.node->losses();
  open_.clear();
}

void Nodes::add_to(std::vector<pollfd>& polled) const {
  for (const Open& open : open_) polled.push_back({open.node->descriptor(), POLLIN, 0});
}

std::optional<Time> Nodes::next_due() const noexcept {
  std::optional<Time> due;
  for (const Open& open : open_)
    if (const auto until = open.node->half_until(); until && (!due || *until < *due)) due = until;
  return due;
}

void Nodes::mark_ready(int number) noexcept {
  const auto at = std::ranges::find(open_, number, &Open::number);
  if (at != open_.end()) at->ready = true;
}

void Nodes::mark_ready(std::span<const pollfd> polled) noexcept {
  for (std::size_t i = 0; i < open_.size(); ++i) open_[i].ready = open_[i].ready || polled[i].revents != 0;
}

const Nodes::News& Nodes::drain(Time now) {
  news_.said.clear();
  news_.gone.clear();
  for (Open& open : open_) {
    Node& node = *open.node;
    const bool ready = std::exchange(open.ready, false);
    news_.said.from(open.number);
    const bool there = !ready || node.drain(news_.said, now);
    if (there && ready) node.hold(open.hold);
    if (!there || (node.half_until() && *node.half_until() <= now)) node.flush(news_.said);
    if (there) continue;
    news_.gone.push_back(open.number);
    old_losses_ += node.losses();
  }
  if (!news_.gone.empty())
    std::erase_if(open_,
                  [&](const Open& open) { return std::ranges::find(news_.gone, open.number) != news_.gone.end(); });
  return news_;
}

int Nodes::descriptor(int number) const noexcept {
  const Node* node = find(number);
  return node == nullptr ? -1 : node->descriptor();
}

const Description& Nodes::description(int number) const { return find(number)->description(); }

std::optional<int> Nodes::number_of(const std::string& path) const noexcept {
  const auto at = std::ranges::find(open_, path, &Open::path);
  if (at == open_.end()) return std::nullopt;
  return at->number;
}

Node* Nodes::find(int number) const noexcept {
  const auto at = std::ranges::find(open_, number, &Open::number);
  return at == open_.end() ? nullptr : at->node.get();
}

std::span<const std::uint16_t> Nodes::motors(int number) const noexcept {
  const Node* node = find(number);
  return node == nullptr ? std::span<const std::uint16_t>{} : node->motors();
}

int Nodes::put_effect(int number, ff_effect& effect) noexcept {
  Node* node = find(number);
  return node == nullptr ? -ENODEV : node->put_effect(effect);
}

void Nodes::erase_effect(int number, int effect) noexcept {
  if (Node* node = find(number)) node->erase_effect(effect);
}

void Nodes::play_effect(int number, int effect, int times) noexcept {
  if (Node* node = find(number)) node->play_effect(effect, times);
}

int Nodes::lights(int number) const noexcept {
  const Node* node = find(number);
  return node == nullptr ? 0 : node->lights();
}

void Nodes::show_lights(int number, std::uint32_t which) noexcept {
  if (Node* node = find(number)) node->show_lights(which);
}

void Nodes::hold(int number, bool yes) noexcept {
  const auto at = std::ranges::find(open_, number, &Open::number);
  if (at == open_.end()) return;
  at->hold = yes;
  at->node->hold(yes);
}

bool Nodes::is_held(int number) const noexcept {
  const Node* node = find(number);
  return node != nullptr && node->is_held();
}

bool Nodes::waits_for_hold() const noexcept {
  return std::ranges::any_of(open_, [](const Open& open) { return open.hold && !open.node->is_held(); });
}

bool Nodes::is_held_by_another(int number) const noexcept {
  Node* node = find(number);
  return node != nullptr && node->is_held_by_another();
}

bool Nodes::anything_down() const noexcept {
  return std::ranges::any_of(open_, [](const Open& open) { return open.node->is_held() && open.node->is_down(); });
}

std::uint64_t Nodes::losses() const noexcept {
  std::uint64_t all = old_losses_;
  for (const Open& open : open_) all += open.node->losses();
  return all;
}

}  // namespace omnipar::host
