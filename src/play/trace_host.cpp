#include "play/trace_host.hpp"

#include <algorithm>
#include <iterator>
#include <utility>

#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::play {
namespace {

/// True if both belong to one HID device.
bool are_siblings(const Description& a, const Description& b) {
  return a.device == b.device && a.interface == b.interface && a.vendor == b.vendor && a.product == b.product &&
         a.serial == b.serial && a.socket == b.socket;
}

bool is_raw(const Description& node) { return !node.descriptor.empty(); }

/// True if the event nodes of the same HID device are present and report every playable control.
bool has_no_need(const Catalogue& catalogue, const Description& raw, const std::vector<Description>& siblings) {
  return !siblings.empty() && std::ranges::all_of(siblings, [&](const Description& node) {
    return reason_for_raw(catalogue, node, raw.descriptor).empty();
  });
}

}  // namespace

void TraceHost::process(const TraceEvent& event, const Description& node) {
  if (!waits_for(event, node)) settle();
  if (event.action == TraceAction::plug_in) {
    if (is_raw(node)) return plug_in_raw(event, node);
    pending_ = {event, node};
    return;
  }
  if (event.action == TraceAction::pull_out && passed_over_.erase(event.node) != 0) return;
  if (!passed_over_.contains(event.node)) tell(event, node);
}

bool TraceHost::waits_for(const TraceEvent& event, const Description& node) const {
  return pending_ && is_raw(node) && event.action == TraceAction::plug_in && are_siblings(pending_->node, node);
}

std::optional<Time> TraceHost::next_due() const {
  std::optional<Time> due;
  for (const auto& [number, raw] : raw_nodes_)
    if (const auto its = raw.unit.next_due(); its && (!due || *its < *due)) due = its;
  return due;
}

void TraceHost::settle() {
  if (const auto pending = std::exchange(pending_, std::nullopt)) plug_in(pending->event, pending->node);
}

void TraceHost::pass(Time time) {
  for (;;) {
    auto first = raw_nodes_.end();
    for (auto at = raw_nodes_.begin(); at != raw_nodes_.end(); ++at)
      if (at->second.unit.next_due() &&
          (first == raw_nodes_.end() || *at->second.unit.next_due() < *first->second.unit.next_due()))
        first = at;
    if (first == raw_nodes_.end() || *first->second.unit.next_due() > time) return;
    TraceEvent event{*first->second.unit.next_due(), first->first, TraceAction::report, {}};
    const auto update = first->second.unit.advance(event.time);
    event.changes.assign(update.changes.begin(), update.changes.end());
    event.sockets.assign(update.sockets.begin(), update.sockets.end());
    if (!update.empty()) on_change_(event, first->second.node);
  }
}

void TraceHost::plug_in(const TraceEvent& event, const Description& node) {
  const bool is_told = std::ranges::any_of(raw_nodes_, [&](const auto& entry) {
    return are_siblings(entry.second.node, node) && raw_tells_all(catalogue_, entry.second.node, node);
  });
  if (is_told) {
    passed_over_.insert(event.node);
    return;
  }
  event_nodes_[event.node] = node;
  tell(event, node);
}

/// A unit whose event node is in the trace is read from its raw reports if a live session would do so.
void TraceHost::plug_in_raw(const TraceEvent& event, const Description& node) {
  Description raw = node;
  describe_raw(raw);
  std::vector<Description> siblings;
  if (pending_) siblings.push_back(pending_->node);
  for (const auto& [number, other] : event_nodes_)
    if (are_siblings(other, node)) siblings.push_back(other);
  if (has_no_need(catalogue_, node, siblings)) {
    passed_over_.insert(event.node);
    return settle();
  }
  if (const auto problem = refused_ ? unreadable_descriptor(node) : std::nullopt) refused_(*problem);
  raw_nodes_.emplace(event.node, RawNode{raw, RawUnit{catalogue_, raw, event.time}});
  settle();
  tell(event, raw);
}

void TraceHost::tell(TraceEvent event, const Description& node) {
  pass(event.time);
  const auto raw = raw_nodes_.find(event.node);
  if (raw == raw_nodes_.end()) {
    if (event.action == TraceAction::pull_out) event_nodes_.erase(event.node);
    return on_change_(event, node);
  }
  if (event.action == TraceAction::report) {
    const auto update = raw->second.unit.feed(event.raw, event.time);
    event.changes.assign(update.changes.begin(), update.changes.end());
    event.sockets.assign(update.sockets.begin(), update.sockets.end());
  }
  const Description described = raw->second.node;
  if (event.action == TraceAction::pull_out) raw_nodes_.erase(raw);
  on_change_(event, described);
}

std::optional<Diagnostic> unreadable_descriptor(const Description& node) {
  if (node.descriptor.empty()) return std::nullopt;
  const auto read = hid::read_descriptor(node.descriptor);
  if (read) return std::nullopt;
  Diagnostic problem = read.error();
  problem.place = "\"" + printable(node.name) + "\", " + problem.place;
  return problem;
}

std::vector<Description> used_nodes(const Catalogue& catalogue, std::vector<Description> nodes) {
  std::vector<Description> used;
  std::ranges::copy_if(nodes, std::back_inserter(used), [&](const Description& node) {
    std::vector<Description> siblings;
    std::ranges::copy_if(nodes, std::back_inserter(siblings), [&](const Description& other) {
      return is_raw(node) && !is_raw(other) && are_siblings(node, other);
    });
    return !has_no_need(catalogue, node, siblings);
  });
  for (Description& node : used)
    if (is_raw(node)) describe_raw(node);
  std::erase_if(used, [&, all = used](const Description& node) {
    return !is_raw(node) && std::ranges::any_of(all, [&](const Description& raw) {
      return is_raw(raw) && are_siblings(node, raw) && raw_tells_all(catalogue, raw, node);
    });
  });
  return used;
}

}  // namespace omnipar::inline abi_0::play
