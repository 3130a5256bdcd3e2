#include "play/record.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "host/nodes.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/trace.hpp"

namespace omnipar::play {
namespace {

class Recorder {
 public:
  Recorder(os::Door& door, const RecordOptions& options)
      : door_(door), options_(options), nodes_(door, options.with_virtual), began_(door.now()) {}

  tl::expected<std::size_t, Diagnostic> run() {
    const os::Descriptor signals{door_, door_.catch_signals({SIGINT, SIGTERM, SIGHUP})};
    if (!signals)
      return tl::unexpected(Diagnostic{"no-signals", Severity::error, "signals cannot be watched", "", "try again"});
    const auto watch = host::open_watch();
    if (!watch || watch->descriptor() < 0)
      return tl::unexpected(Diagnostic{"no-udev", Severity::error, "units that come and go cannot be watched", "",
                                       "'omnipar doctor' looks for the cause"});
    put(to_line(TraceHead{options_.about, false}));
    for (const host::NodePlace& place : watch->present()) open(place);
    const std::optional<Time> end = options_.longest ? std::optional{began_ + *options_.longest} : std::nullopt;
    while (going_ && (!end || door_.now() < *end)) {
      polled_.assign({{signals.get(), POLLIN, 0}, {watch->descriptor(), POLLIN, 0}});
      nodes_.add_to(polled_);
      const auto due = earlier(end, nodes_.next_due());
      if (door_.wait(polled_, due ? &*due : nullptr) < 0)
        return tl::unexpected(Diagnostic{"cannot-wait", Severity::error, "waiting for input failed", "", "try again"});
      take(nodes_.drain(std::span{polled_}.subspan(2)));
      while (const auto news = watch->next()) take(*news);
      going_ = going_ && polled_[0].revents == 0;
    }
    return reports_;
  }

 private:
  static std::optional<Time> earlier(std::optional<Time> a, std::optional<Time> b) {
    if (!a || !b) return a ? a : b;
    return std::min(*a, *b);
  }

  void put(const std::string& line) { going_ = going_ && options_.put(line); }

  /// A trace's times begin at 0 and never go back.
  Time since_start(Time time) {
    last_ = std::max(last_, Time{time - began_});
    return last_;
  }

  void open(const host::NodePlace& place) {
    const auto unit = nodes_.open(place);
    if (!unit) return;
    const Description& description = nodes_.description(*unit);
    TraceEvent event{since_start(door_.now()), *unit, Deed::plug_in, {}};
    for (const CodeRange& range : description.codes)
      if (range.value != 0) event.changes.push_back({range.code, range.value});
    put(to_line(*unit, description));
    put(to_line(event));
    options_.say(fmt::format("recording \"{}\"", printable(description.name)));
  }

  void leave(int unit) { put(to_line({since_start(door_.now()), unit, Deed::pull_out, {}})); }

  void take(const host::Nodes::News& news) {
    for (const host::Said& said : news.said) {
      ++reports_;
      put(to_line({since_start(said.report.time), said.unit, Deed::report, said.report.changes}));
    }
    for (const int unit : news.gone) leave(unit);
  }

  void take(const host::NodeNews& news) {
    if (news.came)
      open(news.place);
    else if (const auto unit = nodes_.close(news.place.path))
      leave(*unit);
  }

  os::Door& door_;
  const RecordOptions& options_;
  host::Nodes nodes_;
  Time began_;
  Time last_;
  std::vector<pollfd> polled_;
  std::size_t reports_ = 0;
  bool going_ = true;
};

}  // namespace

tl::expected<std::size_t, Diagnostic> record(os::Door& door, const RecordOptions& options) {
  return Recorder{door, options}.run();
}

}  // namespace omnipar::play
