// Extracts a part of a trace.
#include <algorithm>
#include <span>

#include "omnipar/trace.hpp"

namespace omnipar::inline abi_0 {
namespace {

/// True if raw reports begin with their ids: the descriptor has a Report ID item (USB HID 1.11, 6.2.2.7).
bool are_numbered(std::span<const std::uint8_t> descriptor) {
  constexpr std::uint8_t report_id = 0x84, long_item = 0xfe;
  for (std::size_t at = 0; at < descriptor.size();) {
    const std::uint8_t head = descriptor[at];
    if ((head & 0xfcU) == report_id) return true;
    const std::size_t short_length = (head & 3U) == 3 ? 4 : head & 3U;
    at += head == long_item && at + 1 < descriptor.size() ? 3 + std::size_t{descriptor[at + 1]} : 1 + short_length;
  }
  return false;
}

}  // namespace

std::vector<std::string> TraceCutter::feed(const TraceEvent& event, const Description& unit) {
  std::vector<std::string> lines;
  if (done_ || (!nodes_.empty() && std::ranges::find(nodes_, event.node) == nodes_.end())) return lines;
  if (event.time < from_) {
    follow(event, unit);
    return lines;
  }
  begin(lines);
  if (to_ && event.time >= *to_) {
    done_ = true;
    return lines;
  }
  if (std::ranges::find(described_, event.node) == described_.end()) {
    described_.push_back(event.node);
    lines.push_back(to_line(event.node, unit));
  }
  TraceEvent moved = event;
  moved.time = Time{event.time - from_};
  lines.push_back(to_line(moved));
  ++events_;
  return lines;
}

std::vector<std::string> TraceCutter::finish() {
  std::vector<std::string> lines;
  begin(lines);
  done_ = true;
  return lines;
}

/// Earlier events are represented only by the state at the start of the part. Counts leave no state.
void TraceCutter::follow(const TraceEvent& event, const Description& unit) {
  if (event.action == TraceAction::pull_out) {
    plugged_.erase(event.node);
    return;
  }
  if (event.action == TraceAction::plug_in) plugged_.insert_or_assign(event.node, Plugged{unit, {}});
  const auto there = plugged_.find(event.node);
  if (there == plugged_.end()) return;  // it reports without being plugged in
  Plugged& plugged = there->second;
  if (!event.raw.empty())
    plugged.raw[are_numbered(plugged.unit.descriptor) ? event.raw.front() : std::uint8_t{0}] = event.raw;
  for (const Change& change : event.changes)
    if (change.code.type != ev_rel) plugged.state[change.code] = change.value;
}

void TraceCutter::begin(std::vector<std::string>& lines) {
  if (begun_) return;
  begun_ = true;
  for (const auto& [node, plugged] : plugged_) {
    TraceEvent there{Time{}, node, TraceAction::plug_in, {}};
    for (const auto& [code, value] : plugged.state)
      if (value != 0 || code.type == ev_abs) there.changes.push_back({code, value});
    described_.push_back(node);
    lines.push_back(to_line(node, plugged.unit));
    lines.push_back(to_line(there));
    for (const auto& [id, report] : plugged.raw) {
      TraceEvent stands{Time{}, node, TraceAction::report, {}};
      stands.raw = report;
      lines.push_back(to_line(stands));
    }
  }
  plugged_.clear();
}

}  // namespace omnipar::inline abi_0
