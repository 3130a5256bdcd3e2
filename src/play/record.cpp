#include "play/record.hpp"

#include <map>
#include <set>

#include <fmt/format.h>

#include "omnipar/identity.hpp"
#include "omnipar/trace.hpp"
#include "play/gathering.hpp"

namespace omnipar::play {
namespace {

class Recorder final : public Ears {
 public:
  explicit Recorder(const RecordOptions& options) : options_(options) {
    put(to_line(TraceHead{options_.about, false}));
  }

  void arrived(int node, const Description& description, Time now) override {
    gathering_.arrive(node, description);
    played_on_.clear();
    TraceEvent event{now, node, Deed::plug_in, {}};
    for (const CodeRange& range : description.codes)
      if (range.value != 0 && !may_be_typed(node, range.code)) event.changes.push_back({range.code, range.value});
    put(to_line(node, description));
    put(to_line(event));
    options_.say(fmt::format("recording \"{}\"", printable(description.name)));
  }
  void left(int node, Time now) override {
    gathering_.leave(node);
    put(to_line({now, node, Deed::pull_out, {}}));
  }
  void heard(int node, const Report& report) override {
    TraceEvent event{report.time, node, Deed::report, {}};
    for (const Change& change : report.changes) {
      const bool typed = may_be_typed(node, change.code);
      if (!typed) event.changes.push_back(change);
      if (typed && change.value == 1) ++recorded_.left_out;
    }
    if (event.changes.empty() && !report.changes.empty()) return;
    ++recorded_.reports;
    put(to_line(event));
  }
  void ready() override {}
  void waited(Time) override {}
  [[nodiscard]] bool done() const override { return full_; }
  [[nodiscard]] std::optional<Time> next_due() const override { return std::nullopt; }

  [[nodiscard]] const Recorded& recorded() const noexcept { return recorded_; }

 private:
  /// Keys of a keyboard are what somebody types, but for those that are buttons of a panel.
  bool may_be_typed(int node, Code code) {
    constexpr std::uint16_t first_button = 0x100;  // BTN_MISC; what lies below is on keyboards
    if (options_.with_keys || code.type != ev_key || code.number >= first_button) return false;
    const auto [at, is_new] = played_on_.try_emplace(node);
    if (is_new) at->second = buttons_of(node);
    return !at->second.contains(code);
  }

  std::set<Code> buttons_of(int node) const {
    std::set<Code> buttons;
    const auto member = gathering_.find(node);
    if (!member) return buttons;
    for (const std::string& part : parts_of(*options_.listen.catalogue, member->unit))
      for (const Control& control : member->attachment(*options_.listen.catalogue, part).controls)
        if (!control.role.starts_with("key-")) buttons.insert(control.code);
    return buttons;
  }

  void put(const std::string& line) { full_ = full_ || !options_.put(line); }

  const RecordOptions& options_;
  Recorded recorded_;
  Gathering gathering_;
  std::map<int, std::set<Code>> played_on_;  ///< by node; found out when first needed
  bool full_ = false;
};

}  // namespace

tl::expected<Recorded, Diagnostic> record(os::Door& door, const RecordOptions& options) {
  Recorder recorder{options};
  if (auto failure = listen(door, options.listen, recorder)) return tl::unexpected(std::move(*failure));
  return recorder.recorded();
}

}  // namespace omnipar::play
