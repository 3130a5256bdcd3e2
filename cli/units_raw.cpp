// omnipar units --raw
#include "units_raw.hpp"

#include <algorithm>
#include <cstring>
#include <map>
#include <optional>
#include <vector>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "command.hpp"
#include "inspect/raw_live.hpp"
#include "inspect/raw_view.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"
#include "play/listen.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

/// Listens to raw nodes: their descriptors, the last report of each kind, and on request live values.
class RawListener final : public play::ReportListener {
 public:
  struct Raw {
    Description node;
    bool numbered = false;
    inspect::LastReports last{};
    inspect::RawLive live;
  };

  explicit RawListener(bool say) : say_(say) {}
  void arrived(int node, const Description& description, Time) override {
    if (description.descriptor.empty()) return;
    const auto read = hid::read_descriptor(description.descriptor);
    raws_.insert_or_assign(node, Raw{description, read && read->numbered, {}, inspect::RawLive{description}});
  }
  void left(int, Time) override {}
  void on_report(int, const Report&) override {}
  void on_raw_report(int node, Time now, std::span<const std::uint8_t> bytes) override {
    Raw& raw = raws_.at(node);
    const bool has_id = raw.numbered && !bytes.empty();
    raw.last[has_id ? bytes.front() : std::uint8_t{0}].assign(bytes.begin(), bytes.end());
    say(raw.live.feed(bytes, now));
  }
  void cannot_hear_raw(const Description& unit, int error) override {
    talk(fmt::format("\"{}\": its raw reports cannot be read: {}. (To get access: omnipar doctor --rule {})",
                     printable(unit.name), std::strerror(-error), shell_word(printable(unit.name))));
  }
  void ready() override {}
  void waited(Time now) override {
    for (auto& [number, raw] : raws_) say(raw.live.advance(now));
  }
  [[nodiscard]] bool done() const override { return false; }
  [[nodiscard]] std::optional<Time> next_due() const override {
    std::optional<Time> due;
    for (const auto& [number, raw] : raws_)
      if (const auto its = raw.live.next_due(); its && (!due || *its < *due)) due = its;
    return due;
  }
  [[nodiscard]] bool has_said() const noexcept { return has_said_; }
  [[nodiscard]] const std::map<int, Raw>& raws() const noexcept { return raws_; }

 private:
  void say(const std::optional<std::string>& line) {
    if (!line || !say_) return;
    print(*line);
    has_said_ = true;
  }

  bool say_;
  bool has_said_ = false;
  std::map<int, Raw> raws_;
};

/// Listens to connected raw nodes, or to those of a trace.
std::optional<Diagnostic> hear_raw(const Catalogue& catalogue, const RawArguments& arguments, RawListener& listener) {
  os::Door& door = os::real_door();
  if (arguments.host.empty()) {
    constexpr double a_moment = 0.3;  // enough for units that send continuously
    if (arguments.listen > 0)
      talk(fmt::format("Listening for {} s. Move the controls you want to see.", arguments.listen));
    const Duration longest{static_cast<std::int64_t>(std::max(arguments.listen, a_moment) * 1e6)};
    return play::listen(door,
                        {.catalogue = &catalogue,
                         .with_virtual = arguments.with_virtual,
                         .raw = true,
                         .event_nodes_only = true,
                         .say = talk,
                         .longest = longest},
                        listener);
  }
  auto failure = read_trace(door, arguments.host, [&](const TraceEvent& event, const Description& node) {
    Description named = node;
    named.node = room_node_name(event.node);
    // A trace may contain a unit's reports without its connection.
    if (event.action == TraceAction::plug_in || (!event.raw.empty() && !listener.raws().contains(event.node)))
      listener.arrived(event.node, named, event.time);
    while (listener.next_due() && *listener.next_due() <= event.time) listener.waited(*listener.next_due());
    if (!event.raw.empty()) listener.on_raw_report(event.node, event.time, event.raw);
    return true;
  });
  while (!failure && listener.next_due()) listener.waited(*listener.next_due());
  return failure;
}

}  // namespace

int show_raw(const Catalogue& catalogue, const RawArguments& arguments) {
  RawListener listener{arguments.listen > 0 && !arguments.json};
  if (const auto failure = hear_raw(catalogue, arguments, listener)) {
    tell({*failure});
    return arguments.host.empty() ? machine_refuses : bad_input;
  }
  std::vector<std::string> objects;
  if (listener.has_said()) print("");
  for (const auto& [number, raw] : listener.raws()) {
    objects.push_back(inspect::raw_json(catalogue, raw.node, raw.last));
    for (const std::string& line :
         arguments.json ? std::vector<std::string>{} : inspect::raw_lines(catalogue, raw.node, raw.last))
      print(line);
  }
  if (arguments.json) print(fmt::format("[{}]", fmt::join(objects, ",\n ")));
  if (listener.raws().empty()) {
    talk(arguments.host.empty()
             ? "There are no raw reports that you have permission to read.\nNext: omnipar doctor"
             : "No unit in this trace has raw reports; 'trace record --raw' records them.\nNext: omnipar units" +
                   same_host(arguments.host));
    return found_something;
  }
  if (!arguments.json)
    talk(fmt::format("Next: omnipar catalogue report {}{} drafts a sheet that names its controls",
                     shell_word(printable(listener.raws().begin()->second.node.name)), same_host(arguments.host)));
  return good;
}

}  // namespace omnipar::cli
