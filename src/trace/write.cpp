// Formats traces as lines. The order of fields is fixed, so that equal events give equal lines.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "omnipar/trace.hpp"

namespace omnipar::inline abi_0 {
namespace {

using Json = nlohmann::ordered_json;

std::string dumped(const Json& json) { return json.dump(-1, ' ', false, Json::error_handler_t::replace); }

Json flat(const std::vector<Change>& changes) {
  Json list = Json::array();
  for (const Change& change : changes) {
    list.push_back(base::code_name(change.code));
    list.push_back(change.value);
  }
  return list;
}

/// "05 01 a1": two digits per byte.
std::string hex(const std::vector<std::uint8_t>& bytes) { return fmt::format("{:02x}", fmt::join(bytes, " ")); }

}  // namespace

std::string to_line(const TraceHead& head) {
  Json line{{"omnipar", 1}, {"kind", "trace"}};
  if (!head.about.empty()) line["about"] = head.about;
  if (head.made_up) line["made-up"] = true;
  return dumped(line);
}

std::string to_line(int number, const Description& node) {
  Json line{{"node", number}, {"name", node.name}};
  line["id"] = fmt::format("{:04x}:{:04x}:{:04x}:{:04x}", node.bus, node.vendor, node.product, node.version);
  if (!node.serial.empty()) line["serial"] = node.serial;
  if (!node.socket.empty()) line["socket"] = node.socket;
  if (!node.device.empty()) line["device"] = node.device;
  if (node.interface >= 0) line["interface"] = node.interface;
  if (!node.half.empty()) line["half"] = node.half;
  if (node.made_by_program) line["virtual"] = true;
  if (!node.descriptor.empty()) {
    line["descriptor"] = hex(node.descriptor);
    return dumped(line);
  }
  Json keys = Json::array();
  Json axes = Json::object();
  for (const CodeRange& range : node.codes) {
    if (range.code.type == ev_abs)
      axes[base::code_name(range.code)] = {range.minimum, range.maximum};
    else
      keys.push_back(base::code_name(range.code));
  }
  line["keys"] = std::move(keys);
  line["axes"] = std::move(axes);
  return dumped(line);
}

std::string to_line(const TraceEvent& event) {
  Json line{{"t", event.time.time_since_epoch().count()}, {"node", event.node}};
  if (event.action == TraceAction::gap)
    line["gap"] = true;
  else if (event.action != TraceAction::report)
    line["plug"] = event.action == TraceAction::plug_in ? "in" : "out";
  if (!event.raw.empty())
    line["raw"] = hex(event.raw);
  else if (event.action == TraceAction::report || !event.changes.empty())
    line["report"] = flat(event.changes);
  if (!event.note.empty()) line["note"] = event.note;
  if (!event.lesson.empty()) line["lesson"] = event.lesson;
  return dumped(line);
}

}  // namespace omnipar::inline abi_0
