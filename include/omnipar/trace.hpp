// Traces: recordings of input that can be played again. JSON Lines: a head, a line for each node, a line
// for each thing that happened. Which nodes are one unit is found out when it is played, as it is live.
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

/// The first line. A *room* is a trace whose units are made up.
struct TraceHead {
  std::string about;  ///< what it is a trace of, for people; may be empty
  bool made_up = false;
  friend bool operator==(const TraceHead&, const TraceHead&) = default;
};

enum class Deed {
  plug_in,   ///< the changes are the node's state as it was found
  pull_out,  ///< no changes
  report,
  gap,  ///< no changes: another program has the node, and what it says until its next report is not in the trace
};

/// One thing that happened to a node. Times begin at about 0 and never go backwards within a trace.
struct TraceEvent {
  Time time;
  int node = 0;  ///< the number that the node's line gives
  Deed deed = Deed::report;
  std::vector<Change> changes;
  std::vector<std::uint8_t> raw{};      ///< of a report of a raw HID node: its bytes, instead of changes
  std::vector<SocketChange> sockets{};  ///< as raw bytes tell of them; they are on no line of a trace
  std::string note{};                   ///< what a bystander would say; may be empty
  std::string lesson{};                 ///< what is to be seen here; mostly empty
  friend bool operator==(const TraceEvent&, const TraceEvent&) = default;
};

/// Each as one line, without its end. What `TraceReader` reads of it is the same again, and so is the line.
/// Bytes of a node's name that are not UTF-8 become U+FFFD.
[[nodiscard]] std::string to_line(const TraceHead& head);
[[nodiscard]] std::string to_line(int number, const Description& node);
[[nodiscard]] std::string to_line(const TraceEvent& event);

/// Reads a trace line by line; what it keeps does not grow with the number of events.
class TraceReader {
 public:
  /// `name` is what messages call the trace.
  explicit TraceReader(std::string name) : name_(std::move(name)) {}

  /// Takes the next line, without its end: an event, or nothing for the head, a node or an empty line.
  /// Fails with `not-a-trace`, `too-new`, `bad-line`, `bad-entry` or `unknown-code`, and then the line
  /// is as if it were not there.
  [[nodiscard]] tl::expected<std::optional<TraceEvent>, Diagnostic> take(std::string_view line);

  /// What is wrong with the trace if no more lines come: `not-a-trace`, if there was none.
  [[nodiscard]] std::optional<Diagnostic> finish() const;

  [[nodiscard]] const TraceHead& head() const noexcept { return head_; }
  /// The nodes so far, by number.
  [[nodiscard]] const std::map<int, Description>& nodes() const noexcept { return nodes_; }

 private:
  std::string name_;
  int line_ = 0;
  bool begun_ = false;
  Time last_;
  TraceHead head_;
  std::map<int, Description> nodes_;
};

/// Cuts a piece out of a trace. The piece begins at 0 with what was plugged in then, and in the state in which it was.
class TraceCutter {
 public:
  /// Events at `from` and later, up to `to` if there is an end, `to` not included. With `nodes`, only those.
  TraceCutter(Time from, std::optional<Time> to, std::vector<int> nodes = {})
      : from_(from), to_(to), nodes_(std::move(nodes)) {}

  /// The lines of the piece that follow from an event of the trace; events are taken in their order. `unit` is its
  /// node.
  [[nodiscard]] std::vector<std::string> take(const TraceEvent& event, const Description& unit);
  /// The lines that are still missing at the end of the trace.
  [[nodiscard]] std::vector<std::string> finish();
  /// True when nothing more will come of the trace.
  [[nodiscard]] bool done() const noexcept { return done_; }
  /// Events so far that are in the piece; what was there at its beginning is not counted.
  [[nodiscard]] std::size_t events() const noexcept { return events_; }

 private:
  struct Plugged {
    Description unit;
    std::map<Code, std::int32_t> state;
    std::map<std::uint8_t, std::vector<std::uint8_t>> raw{};  ///< the last report of each id
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
