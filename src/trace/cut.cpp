// Cutting a piece out of a trace.
#include <algorithm>

#include "omnipar/trace.hpp"

namespace omnipar {

std::vector<std::string> TraceCutter::take(const TraceEvent& event, const Description& unit) {
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
  if (event.deed == Deed::plug_in && std::ranges::find(described_, event.node) == described_.end()) {
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

/// What comes before the piece is in it only as the state at its beginning. Counts leave no state behind.
void TraceCutter::follow(const TraceEvent& event, const Description& unit) {
  if (event.deed == Deed::pull_out) {
    plugged_.erase(event.node);
    return;
  }
  Plugged& plugged = plugged_[event.node];
  if (event.deed == Deed::plug_in) plugged = {unit, {}};
  for (const Change& change : event.changes)
    if (change.code.type != ev_rel) plugged.state[change.code] = change.value;
}

void TraceCutter::begin(std::vector<std::string>& lines) {
  if (begun_) return;
  begun_ = true;
  for (const auto& [node, plugged] : plugged_) {
    TraceEvent there{Time{}, node, Deed::plug_in, {}};
    for (const auto& [code, value] : plugged.state)
      if (value != 0 || code.type == ev_abs) there.changes.push_back({code, value});
    described_.push_back(node);
    lines.push_back(to_line(node, plugged.unit));
    lines.push_back(to_line(there));
  }
  plugged_.clear();
}

}  // namespace omnipar
