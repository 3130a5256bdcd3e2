// Traces: recordings of input that can be replayed, in JSON Lines: a head, a line for each node and a line for each
// event. Nodes are grouped into units during replay, as with live input.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/description.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/report.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

/// The first line of a trace. A *room* is a trace whose units are simulated (`made_up`).
struct TraceHead {
  std::string about;  ///< a description; may be empty
  bool made_up = false;
  friend bool operator==(const TraceHead&, const TraceHead&) = default;
};

/// What happened to a node.
enum class TraceAction {
  plug_in,   ///< connected; the changes are its initial state
  pull_out,  ///< disconnected; without changes
  report,
  gap,  ///< another program grabbed the node; its input until its next report is missing; without changes
};

/// An event of a node. Times start at about 0 and never decrease within a trace.
struct TraceEvent {
  Time time;
  int node = 0;  ///< the number in the node's line
  TraceAction action = TraceAction::report;
  std::vector<Change> changes;
  std::vector<std::uint8_t> raw{};      ///< for a report of a raw HID node: its bytes, instead of changes
  std::vector<SocketChange> sockets{};  ///< derived from raw bytes; not part of a trace line
  std::string note{};                   ///< a description of the event; may be empty
  std::string lesson{};                 ///< what the event demonstrates; often empty
  friend bool operator==(const TraceEvent&, const TraceEvent&) = default;
};

/// Returns a line of a trace, without its line end. `TraceReader` reads it back unchanged. Bytes of a node's name that
/// are not UTF-8 become U+FFFD.
[[nodiscard]] std::string to_line(const TraceHead& head);
[[nodiscard]] std::string to_line(int number, const Description& node);
[[nodiscard]] std::string to_line(const TraceEvent& event);

/// Reads a trace line by line. Its memory does not grow with the number of events.
class TraceReader {
 public:
  /// `name` is the trace's name in messages.
  explicit TraceReader(std::string name) : name_(std::move(name)) {}

  /// Reads the next line, without its line end. Returns an event, or nothing for the head, a node or an empty line.
  /// Fails with `not-a-trace`, `too-new`, `bad-line`, `bad-entry` or `unknown-code`; the line is then ignored.
  [[nodiscard]] tl::expected<std::optional<TraceEvent>, Diagnostic> read_line(std::string_view line);

  /// Returns the problem with a trace that ends here: `not-a-trace` if it was empty.
  [[nodiscard]] std::optional<Diagnostic> finish() const;

  [[nodiscard]] const TraceHead& head() const noexcept { return head_; }
  /// The nodes read so far, by number.
  [[nodiscard]] const std::map<int, Description>& nodes() const noexcept { return nodes_; }

 private:
  std::string name_;
  int line_ = 0;
  bool begun_ = false;
  Time last_;
  TraceHead head_;
  std::map<int, Description> nodes_;
};

/// Copies a part of a trace. The copy starts at time 0 with the units that were connected then, in their state at that
/// time.
class TraceCutter {
 public:
  /// Copies events from `from` (inclusive) to `to` (exclusive, optional). With `nodes`, only those nodes.
  TraceCutter(Time from, std::optional<Time> to, std::vector<int> nodes = {})
      : from_(from), to_(to), nodes_(std::move(nodes)) {}

  /// Adds the next event of the trace and returns the lines of the copy. `unit` is the event's node.
  [[nodiscard]] std::vector<std::string> feed(const TraceEvent& event, const Description& unit);
  /// Returns the remaining lines at the end of the trace.
  [[nodiscard]] std::vector<std::string> finish();
  /// Returns true if the copy is complete.
  [[nodiscard]] bool done() const noexcept { return done_; }
  /// Returns the number of copied events, without the initial state.
  [[nodiscard]] std::size_t events() const noexcept { return events_; }

 private:
  struct Plugged {
    Description unit;
    std::map<Code, std::int32_t> state;
    std::map<std::uint8_t, std::vector<std::uint8_t>> raw{};  ///< the last report with each id
  };
  void follow(const TraceEvent& event, const Description& unit);
  void begin(std::vector<std::string>& lines);

  Time from_;
  std::optional<Time> to_;
  std::vector<int> nodes_;
  std::map<int, Plugged> plugged_;
  std::vector<int> described_;
  bool begun_ = false;
  bool done_ = false;
  std::size_t events_ = 0;
};

}  // namespace omnipar::inline abi_0
