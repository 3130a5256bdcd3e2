#include "host/nodes.hpp"

#include <algorithm>
#include <cerrno>
#include <utility>

#include <fmt/format.h>

#include "base/code_names.hpp"
#include "base/in_turn.hpp"
#include "host/look.hpp"
#include "host/raw_unit.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::host {

std::vector<Nodes::Open>::iterator Nodes::at_path(const std::string& path) noexcept {
  return std::ranges::find_if(open_, [&path](const Open& open) { return open.where.path == path; });
}

std::optional<int> Nodes::open(const NodePath& where) {
  if (number_of(where.path)) return std::nullopt;
  if (is_made_by_program(where.syspath) && !with_virtual_) return std::nullopt;
  int error = 0;
  auto node = open_node(door_, where.path, where.syspath, error);
  if (!node) {
    met_a_closed_door_ = met_a_closed_door_ || error == -EACCES;
    return std::nullopt;
  }
  if (!is_playable(catalogue_, node->description()) || !takes_(node->description()) ||
      is_left_to_another(where, *node) || joins_another(where, node))
    return std::nullopt;
  ClaimKeys keys{node->description()};
  if (!event_nodes_only_) node = by_raw_reports(door_, catalogue_, std::move(node), where.syspath, say_);
  if (grab_all_) node->grab(true);
  node->note_losses_in(has_lost_);
  left_.erase(where.path);
  open_.push_back({++last_number_, where, std::move(node), grab_all_, {std::move(keys)}});
  return last_number_;
}

bool Nodes::has_double(const Node& node) const {
  const Description& it = node.description();
  return std::ranges::any_of(open_, [&](const Open& open) {
    const Description& other = open.node->description();
    return open.node.get() != &node && other.vendor == it.vendor && other.product == it.product &&
           other.name == it.name && other.serial == it.serial && other.interface == it.interface;
  });
}

bool Nodes::has_double(int number) const {
  const Node* node = find(number);
  return node != nullptr && has_double(*node);
}

/// The process that has claimed the node's unit; 0 if none has.
int Nodes::claimant(const Node& node) { return claims_->holder(ClaimKeys{node.description()}, has_double(node)); }

/// A session locks each node in play until it closes it, and claims the unit until it ends. A unit left to
/// another session is reported once, until the unit is plugged in again.
bool Nodes::is_left_to_another(const NodePath& where, const Node& node) {
  if (!claims_) return false;
  const bool locked = door_.lock(node.descriptor()) == -EWOULDBLOCK;
  const int process = locked ? 0 : claimant(node);
  if (!locked && process == 0) return false;
  if (!left_.emplace(where.path, where).second) return true;
  std::string opener = locked ? openers_of(door_, where.path).names : name_of_process(door_, process);
  if (opener.empty()) opener = "another Omnipar";
  const std::string unit = printable(node.description().name);
  if (tell_left_)
    tell_left_(unit, opener);
  else
    say_(fmt::format("\"{}\" is in use by {} and is left alone.", unit, opener));
  return true;
}

void Nodes::claim(int number) {
  const auto at = std::ranges::find(open_, number, &Open::number);
  if (claims_ && at != open_.end())
    for (const ClaimKeys& keys : at->keys) claims_->claim(keys);
}

void Nodes::give_up(int number) {
  const auto at = std::ranges::find(open_, number, &Open::number);
  if (claims_ && at != open_.end())
    for (const ClaimKeys& keys : at->keys) claims_->give_up(keys);
}

std::vector<NodePath> Nodes::left() const {
  std::vector<NodePath> all;
  for (const auto& [path, where] : left_) all.push_back(where);
  return all;
}

/// A HID device may have several event nodes; its raw reports contain the input of all of them.
bool Nodes::joins_another(const NodePath& where, std::unique_ptr<Node>& node) {
  const auto other =
      std::ranges::find_if(open_, [&](const Open& open) { return open.node->tells_all_of(node->description()); });
  if (other == open_.end()) return false;
  node->grab(other->grab);
  other->keys.emplace_back(node->description());
  other->node->join(std::move(node));
  other->joined.push_back(where);
  return true;
}

/// The unit is still connected, but its raw reports are gone.
void Nodes::open_otherwise(const Open& gone) {
  open_otherwise(gone, gone.where);
  for (const NodePath& where : gone.joined) open_otherwise(gone, where);
}

void Nodes::open_otherwise(const Open& gone, const NodePath& where) {
  int error = 0;
  auto node = open_node(door_, where.path, where.syspath, error);
  if (!node) return;
  if (&where == &gone.where) say_(why_no_longer_raw(door_, catalogue_, node->description(), where.syspath));
  node->grab(gone.grab);
  node->note_losses_in(has_lost_);
  ClaimKeys keys{node->description()};
  open_.push_back({++last_number_, where, std::move(node), gone.grab, {std::move(keys)}});
  batch_.come.push_back(last_number_);
}

std::optional<int> Nodes::close(const std::string& path) {
  left_.erase(path);
  const auto at = at_path(path);
  if (at == open_.end()) {
    for (Open& open : open_) std::erase_if(open.joined, [&](const NodePath& where) { return where.path == path; });
    return std::nullopt;
  }
  const int number = at->number;
  old_losses_ += at->node->losses();
  open_.erase(at);
  return number;
}

void Nodes::close_all() noexcept {
  for (const Open& open : open_) old_losses_ += open.node->losses();
  open_.clear();
}

std::optional<Time> Nodes::next_due() const noexcept {
  Time due = never;
  for (const Open& open : open_) due = std::min(due, open.node->due());
  return due == never ? std::nullopt : std::optional{due};
}

void Nodes::mark_ready(int number) noexcept {
  const std::size_t at = find_in_turn(open_, last_found_, [=](const Open& open) { return open.number == number; });
  if (at < open_.size()) open_[at].ready = true;
}

const Nodes::Batch& Nodes::drain(Time now) {
  batch_.said.clear();
  batch_.gone.clear();
  batch_.come.clear();
  for (Open& open : open_) {
    Node& node = *open.node;
    if (!open.ready && now < node.due()) continue;
    const bool ready = std::exchange(open.ready, false);
    batch_.said.from(open.number);
    const bool there = !ready || node.drain(batch_.said, now);
    if (there && ready) node.grab(open.grab);
    if (!there || node.due() <= now) node.flush(batch_.said);
    if (there) continue;
    batch_.gone.push_back(open.number);
    old_losses_ += node.losses();
  }
  for (const int number : batch_.gone) {
    const auto at = std::ranges::find(open_, number, &Open::number);
    const bool other_way = at->node->is_other_way_open();
    Open gone = std::move(*at);
    open_.erase(at);
    gone.node.reset();  // closes the unit before it is reopened
    if (other_way) open_otherwise(gone);
  }
  return batch_;
}

int Nodes::descriptor(int number) const noexcept {
  const Node* node = find(number);
  return node == nullptr ? -1 : node->descriptor();
}

const Description& Nodes::description(int number) const { return find(number)->description(); }

std::optional<int> Nodes::number_of(const std::string& path) const noexcept {
  const auto at = std::ranges::find_if(open_, [&path](const Open& open) {
    return open.where.path == path || std::ranges::find(open.joined, path, &NodePath::path) != open.joined.end();
  });
  if (at == open_.end()) return std::nullopt;
  return at->number;
}

Node* Nodes::find(int number) const noexcept {
  const auto at = std::ranges::find(open_, number, &Open::number);
  return at == open_.end() ? nullptr : at->node.get();
}

NodePart Nodes::output_of(NodePart part) const noexcept {
  const Node* node = find(part.node);
  return node != nullptr && node->has_outputs_by_part() ? part : NodePart{part.node, 0};
}

std::span<const std::uint16_t> Nodes::motors(NodePart part) const noexcept {
  const Node* node = find(part.node);
  return node == nullptr ? std::span<const std::uint16_t>{} : node->motors(part.part);
}

int Nodes::put_effect(NodePart part, ff_effect& effect) noexcept {
  Node* node = find(part.node);
  return node == nullptr ? -ENODEV : node->put_effect(part.part, effect);
}

void Nodes::erase_effect(NodePart part, int effect) noexcept {
  if (Node* node = find(part.node)) node->erase_effect(effect);
}

void Nodes::play_effect(NodePart part, int effect, int times) noexcept {
  if (Node* node = find(part.node)) node->play_effect(effect, times);
}

std::vector<std::vector<std::uint8_t>> Nodes::last_words(int number) const {
  const Node* node = find(number);
  return node == nullptr ? std::vector<std::vector<std::uint8_t>>{} : node->last_words();
}

int Nodes::count_of_leds(NodePart part) const noexcept {
  const Node* node = find(part.node);
  return node == nullptr ? 0 : node->count_of_leds(part.part);
}

void Nodes::show_leds(NodePart part, std::uint32_t which) noexcept {
  if (Node* node = find(part.node)) node->show_leds(part.part, which);
}

void Nodes::grab(int number, bool yes) noexcept {
  const auto at = std::ranges::find(open_, number, &Open::number);
  if (at == open_.end()) return;
  at->grab = yes;
  at->node->grab(yes);
}

bool Nodes::is_grabbed(int number) const noexcept {
  const Node* node = find(number);
  return node != nullptr && node->is_grabbed();
}

bool Nodes::waits_for_release() const noexcept {
  return std::ranges::any_of(
      open_, [](const Open& open) { return open.grab && !open.node->is_grabbed() && open.node->is_down(); });
}

std::vector<int> Nodes::waiting_for_grab() const {
  std::vector<int> waiting;
  for (const Open& open : open_)
    if (open.grab && !open.node->is_grabbed()) waiting.push_back(open.number);
  return waiting;
}

std::vector<int> Nodes::not_grabbed() const {
  std::vector<int> shared;
  for (const Open& open : open_)
    if (!open.node->is_grabbed()) shared.push_back(open.number);
  return shared;
}

void Nodes::try_grabs() noexcept {
  for (Open& open : open_) open.node->grab(open.grab);
}

bool Nodes::grab_with_something_down(int number) noexcept {
  Node* node = find(number);
  return node != nullptr && node->grab_with_something_down();
}

std::vector<std::string> Nodes::down(int number) const {
  const Node* node = find(number);
  std::vector<std::string> names;
  if (node == nullptr) return names;
  for (const Code code : node->down()) names.push_back(base::code_name(code));
  return names;
}

const std::string& Nodes::path(int number) const { return std::ranges::find(open_, number, &Open::number)->where.path; }

bool Nodes::is_grabbed_by_another(int number) const noexcept {
  Node* node = find(number);
  return node != nullptr && node->is_grabbed_by_another();
}

void Nodes::resync(int number) noexcept {
  Node* node = find(number);
  if (node == nullptr) return;
  node->resync();
  mark_ready(number);
}

bool Nodes::anything_down() const noexcept {
  return std::ranges::any_of(open_, [](const Open& open) { return open.node->is_grabbed() && open.node->is_down(); });
}

Openers Nodes::openers(int number) const { return openers_of(door_, path(number)); }

std::uint64_t Nodes::losses() const noexcept {
  std::uint64_t all = old_losses_;
  for (const Open& open : open_) all += open.node->losses();
  return all;
}

}  // namespace omnipar::inline abi_0::host
