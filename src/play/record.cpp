#include "play/record.hpp"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <map>
#include <set>
#include <utility>

#include <fmt/format.h>

#include "omnipar/identity.hpp"
#include "omnipar/trace.hpp"
#include "play/gathering.hpp"

namespace omnipar::inline abi_0::play {

class Recorder final : public ReportListener {
 public:
  explicit Recorder(const RecordOptions& options) : options_(options) {
    put(to_line(TraceHead{options_.about, false}));
  }

  void arrived(int node, const Description& description, Time now) override {
    if (!description.descriptor.empty()) return arrived_raw(node, description, now);
    gathering_.arrive(node, description);
    here_[node] = description;
    played_on_.clear();
    TraceEvent event{now, node, TraceAction::plug_in, {}};
    for (const CodeRange& range : description.codes)
      if (range.value != 0 && !may_be_typed(node, range.code)) event.changes.push_back({range.code, range.value});
    put(to_line(node, description));
    put(to_line(event));
    if (is_ready_) say_recording(node);
  }
  void left(int node, Time now) override {
    if (raws_.contains(node) && !raws_.extract(node).mapped().described) return;
    gathering_.leave(node);
    here_.erase(node);
    put(to_line({now, node, TraceAction::pull_out, {}}));
  }
  void on_report(int node, const Report& report) override {
    TraceEvent event{report.time, node, TraceAction::report, {}};
    for (const Change& change : report.changes) {
      const bool typed = may_be_typed(node, change.code);
      if (!typed) event.changes.push_back(change);
      if (typed && change.value == 1) ++recorded_.left_out;
    }
    if (event.changes.empty() && !report.changes.empty()) return;
    ++recorded_.reports;
    put(to_line(event));
  }
  void on_raw_report(int node, Time time, std::span<const std::uint8_t> bytes) override {
    Raw& raw = raws_.at(node);
    if (!raw.described || may_type(raw.unit)) {
      if (!std::exchange(raw.is_reported, true))
        options_.say(fmt::format("the raw reports of \"{}\" are not recorded because they contain typed text",
                                 printable(raw.unit.name)));
      return;
    }
    ++recorded_.raw;
    TraceEvent event{time, node, TraceAction::report, {}};
    event.raw.assign(bytes.begin(), bytes.end());
    put(to_line(event));
  }
  void taken_away(int node, Time now) override {
    const std::string unit = name_of(node);
    if (std::ranges::find(recorded_.gaps, unit) == recorded_.gaps.end()) recorded_.gaps.push_back(unit);
    put(to_line({now, node, TraceAction::gap, {}}));
    options_.say(fmt::format("\"{}\" is not recorded from now on", unit));
  }
  void given_back(int node) override { options_.say(fmt::format("\"{}\" is recorded again", name_of(node))); }
  void cannot_hear_raw(const Description& unit, int error) override {
    options_.say(fmt::format("the raw reports of \"{}\" cannot be read: {}{}", printable(unit.name),
                             std::strerror(-error),
                             error == -EACCES ? " ('omnipar doctor' shows how to fix this)" : ""));
  }
  /// Only now are all names known, and which of them need a socket.
  void ready() override {
    is_ready_ = true;
    for (const auto& [node, description] : here_) say_recording(node);
  }
  void waited(Time) override {}
  [[nodiscard]] bool done() const override { return full_; }
  [[nodiscard]] std::optional<Time> next_due() const override { return std::nullopt; }

  [[nodiscard]] const Recorded& recorded() const noexcept { return recorded_; }

 private:
  /// Keyboard keys may be typed text, except the buttons of a panel.
  bool may_be_typed(int node, Code code) {
    constexpr std::uint16_t first_button = 0x100;  // BTN_MISC; codes below it are keyboard keys
    if (options_.with_keys || code.type != ev_key || code.number >= first_button) return false;
    const auto [at, is_new] = played_on_.try_emplace(node);
    if (is_new) at->second = buttons_of(node);
    return !at->second.contains(code);
  }

  void arrived_raw(int node, const Description& description, Time now) {
    Raw& raw = raws_.emplace(node, Raw{description}).first->second;
    if (may_type(description)) return;
    raw.described = true;
    put(to_line(node, description));
    put(to_line({now, node, TraceAction::plug_in, {}}));
  }

  /// True if keys that may be typed are on the same HID device.
  bool may_type(const Description& unit) {
    return std::ranges::any_of(here_, [&](const auto& entry) {
      const auto& [node, other] = entry;
      return other.device == unit.device && other.interface == unit.interface &&
             std::ranges::any_of(
                 other.codes, [&, number = node](const CodeRange& range) { return may_be_typed(number, range.code); });
    });
  }

  std::set<Code> buttons_of(int node) const {
    std::set<Code> buttons;
    const auto member = gathering_.find(node);
    if (!member) return buttons;
    for (const std::string& part : unit_parts(*options_.listen.catalogue, member->unit))
      for (const Control& control : member->attachment(*options_.listen.catalogue, part).controls)
        if (!control.role.starts_with("key-")) buttons.insert(control.code);
    return buttons;
  }

  void say_recording(int node) { options_.say(fmt::format("recording \"{}\"", name_of(node))); }

  [[nodiscard]] std::string name_of(int node) const {
    const Description& description = here_.at(node);
    const bool has_double = std::ranges::any_of(
        here_, [&](const auto& entry) { return entry.first != node && entry.second.name == description.name; });
    const std::string name = printable(description.name);
    return has_double ? name_with_socket(name, description) : name;
  }

  void put(const std::string& line) { full_ = full_ || !options_.put(line); }

  const RecordOptions& options_;
  Recorded recorded_;
  Gathering gathering_;
  std::map<int, std::set<Code>> played_on_;  ///< by node; computed when first needed
  struct Raw {
    Description unit;
    bool described = false;    ///< in the trace
    bool is_reported = false;  ///< that it is omitted
  };
  std::map<int, Description> here_;  ///< nodes, but no raw ones
  std::map<int, Raw> raws_;
  bool full_ = false;
  bool is_ready_ = false;
};

tl::expected<Recorded, Diagnostic> record(os::Door& door, const RecordOptions& options) {
  Recorder recorder{options};
  ListenOptions as_nodes = options.listen;  // a trace has event nodes' changes, and raw reports separately
  as_nodes.event_nodes_only = true;
  as_nodes.raw_where_better = true;
  if (auto failure = listen(door, as_nodes, recorder)) return tl::unexpected(std::move(*failure));
  return recorder.recorded();
}

class SessionRecording::Impl {
 public:
  explicit Impl(RecordOptions options) : options_(std::move(options)), recorder_(options_) { recorder_.ready(); }

  void meet(int node, const Description* description, Time now) {
    if (description == nullptr) {
      if (nodes_.erase(node) > 0) recorder_.left(node, since_start(now));
    } else if (!description->descriptor.empty()) {
      options_.say(
          fmt::format("\"{}\" is not recorded because it is read through its raw reports. To record it, run 'omnipar "
                      "trace record' at the same time.",
                      printable(description->name)));
    } else {
      nodes_.insert(node);
      recorder_.arrived(node, *description, since_start(now));
    }
  }
  void feed(int node, const Report& report) {
    if (nodes_.contains(node)) recorder_.on_report(node, {since_start(report.time), report.changes, {}});
  }
  [[nodiscard]] const Recorded& recorded() const noexcept { return recorder_.recorded(); }

 private:
  /// Times start at 0 and never decrease.
  Time since_start(Time time) {
    if (!began_) began_ = time;
    last_ = std::max(last_, Time{time - *began_});
    return last_;
  }

  RecordOptions options_;
  Recorder recorder_;
  std::set<int> nodes_;
  std::optional<Time> began_;
  Time last_{};
};

SessionRecording::SessionRecording(RecordOptions options) : impl_(std::make_unique<Impl>(std::move(options))) {}
SessionRecording::~SessionRecording() = default;
const Recorded& SessionRecording::recorded() const noexcept { return impl_->recorded(); }

void SessionRecording::listen_to(SessionOptions& session) {
  session.on_node = [this](int node, const Description* description, Time now) { impl_->meet(node, description, now); };
  session.on_report = [this](int node, const Report& report) { impl_->feed(node, report); };
}

}  // namespace omnipar::inline abi_0::play
