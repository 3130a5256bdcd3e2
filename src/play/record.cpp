#include "play/record.hpp"

#include <fmt/format.h>

#include "omnipar/identity.hpp"
#include "omnipar/trace.hpp"

namespace omnipar::play {
namespace {

class Recorder final : public Ears {
 public:
  explicit Recorder(const RecordOptions& options) : options_(options) {
    put(to_line(TraceHead{options_.about, false}));
  }

  void arrived(int node, const Description& description, Time now) override {
    TraceEvent event{now, node, Deed::plug_in, {}};
    for (const CodeRange& range : description.codes)
      if (range.value != 0) event.changes.push_back({range.code, range.value});
    put(to_line(node, description));
    put(to_line(event));
    options_.say(fmt::format("recording \"{}\"", printable(description.name)));
  }
  void left(int node, Time now) override { put(to_line({now, node, Deed::pull_out, {}})); }
  void heard(int node, const Report& report) override {
    ++reports_;
    put(to_line({report.time, node, Deed::report, {report.changes.begin(), report.changes.end()}}));
  }
  void ready() override {}
  void waited(Time) override {}
  [[nodiscard]] bool done() const override { return full_; }
  [[nodiscard]] std::optional<Time> next_due() const override { return std::nullopt; }

  [[nodiscard]] std::size_t reports() const noexcept { return reports_; }

 private:
  void put(const std::string& line) { full_ = full_ || !options_.put(line); }

  const RecordOptions& options_;
  std::size_t reports_ = 0;
  bool full_ = false;
};

}  // namespace

tl::expected<std::size_t, Diagnostic> record(os::Door& door, const RecordOptions& options) {
  Recorder recorder{options};
  if (auto failure = listen(door, options.listen, recorder)) return tl::unexpected(std::move(*failure));
  return recorder.reports();
}

}  // namespace omnipar::play
