// A trace as a host: it delivers what a live session would receive from the units. If a trace has a unit's event nodes
// and its raw reports, one of the two is skipped, and raw reports are delivered as changes.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/raw_unit.hpp"
#include "omnipar/trace.hpp"

namespace omnipar::inline abi_0::play {

class TraceHost {
 public:
  /// Receives changes in order of time.
  using OnChange = std::function<void(const TraceEvent& event, const Description& node)>;

  /// Called for units whose report descriptor cannot be read, which deliver nothing.
  using Refused = std::function<void(const Diagnostic& why)>;

  /// The catalogue must outlive the host.
  TraceHost(const Catalogue& catalogue, OnChange on_change, Refused refused = {})
      : catalogue_(catalogue), on_change_(std::move(on_change)), refused_(std::move(refused)) {}

  /// Processes the next event of the trace; `node` is the affected node.
  void process(const TraceEvent& event, const Description& node);
  /// True if this event decides whether the node plugged in last is used; until it is processed, or `settle` is called,
  /// that node delivers nothing.
  [[nodiscard]] bool waits_for(const TraceEvent& event, const Description& node) const;
  /// No more events follow: nodes that are plugged in no longer wait for their raw reports.
  void settle();
  /// No event until this time: sockets can prove by silence that they are empty.
  void pass(Time time);
  /// When `pass` has something to report.
  [[nodiscard]] std::optional<Time> next_due() const;

 private:
  /// A connected event node whose raw reports may still follow.
  struct Pending {
    TraceEvent event;
    Description node;
  };
  struct RawNode {
    Description node;
    RawUnit unit;
  };

  void plug_in(const TraceEvent& event, const Description& node);
  void plug_in_raw(const TraceEvent& event, const Description& node);
  void tell(TraceEvent event, const Description& node);

  const Catalogue& catalogue_;
  OnChange on_change_;
  Refused refused_;
  std::optional<Pending> pending_;
  std::map<int, Description> event_nodes_;
  std::map<int, RawNode> raw_nodes_;
  std::set<int> passed_over_;
};

/// Why the report descriptor of a raw node cannot be read, with the unit's name; nothing if it can.
[[nodiscard]] std::optional<Diagnostic> unreadable_descriptor(const Description& node);

/// Of nodes that are connected together, those that would be used; raw ones have their codes assigned.
[[nodiscard]] std::vector<Description> used_nodes(const Catalogue& catalogue, std::vector<Description> nodes);

}  // namespace omnipar::inline abi_0::play
