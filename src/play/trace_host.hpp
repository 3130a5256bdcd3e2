// A trace as a host: what a live session would hear of the units in it. Where it has a unit's event nodes and its raw
// reports, one of both is passed over, and raw reports come as the changes that they make.
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
  /// Takes what is heard, in order of time.
  using Take = std::function<void(const TraceEvent& event, const Description& node)>;

  /// Is told of units whose report descriptor cannot be read, of which nothing is heard.
  using Refused = std::function<void(const Diagnostic& why)>;

  /// The catalogue must outlive the host.
  TraceHost(const Catalogue& catalogue, Take take, Refused refused = {})
      : catalogue_(catalogue), take_(std::move(take)), refused_(std::move(refused)) {}

  /// Takes the next event of the trace; `node` is what it happens to.
  void take(const TraceEvent& event, const Description& node);
  /// True if this event tells whether what was plugged in last is heard; until it is taken, or `settle`, nothing is
  /// heard of that.
  [[nodiscard]] bool waits_for(const TraceEvent& event, const Description& node) const;
  /// Nothing more comes: what is plugged in does not wait for its raw reports any longer.
  void settle();
  /// Nothing comes up to here: sockets may tell by their silence that they are empty.
  void pass(Time time);
  /// When `pass` has something to tell.
  [[nodiscard]] std::optional<Time> next_due() const;

 private:
  /// A plugged-in event node, of which is not known yet whether its raw reports come, too.
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
  Take take_;
  Refused refused_;
  std::optional<Pending> pending_;
  std::map<int, Description> event_nodes_;
  std::map<int, RawNode> raw_nodes_;
  std::set<int> passed_over_;
};

/// Why the report descriptor of a raw node cannot be read, with the unit's name; nothing if it can.
[[nodiscard]] std::optional<Diagnostic> unreadable_descriptor(const Description& node);

/// Of nodes that are there together, those that would be heard; raw ones have got their codes.
[[nodiscard]] std::vector<Description> heard_nodes(const Catalogue& catalogue, std::vector<Description> nodes);

}  // namespace omnipar::inline abi_0::play
