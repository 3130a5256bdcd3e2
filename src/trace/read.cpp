// Parses lines into traces. A line is accepted as a whole or not at all.
#include <array>
#include <charconv>
#include <limits>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "base/near.hpp"
#include "omnipar/trace.hpp"
#include "text/utf8.hpp"
#include "text/value.hpp"

namespace omnipar::inline abi_0 {
namespace {

using Json = nlohmann::ordered_json;  // preserves the order of axes
constexpr int newest_format = 1;

/// The error in a line; thrown and caught within this file.
struct Wrong {
  std::string id;
  std::string message;
  std::string hint;
  int column = 1;
};

Wrong bad_entry(std::string message, std::string hint = "") {
  return {"bad-entry", std::move(message), std::move(hint)};
}

int column_of_byte(std::string_view line, std::size_t byte) {
  int column = 1;
  for (std::string_view rest = line.substr(0, byte); !rest.empty(); ++column) (void)text::next_character(rest);
  return column;
}

Json parsed(std::string_view line) {
  try {
    Json object = Json::parse(line);
    if (object.is_object()) return object;
  } catch (const Json::parse_error& error) {
    const std::size_t byte = error.byte > 0 ? error.byte - 1 : 0;
    throw Wrong{"bad-line", "invalid JSON from here", "each line of a trace must be one JSON object",
                column_of_byte(line, std::min(byte, line.size()))};
  } catch (const Json::exception&) {
    throw Wrong{"bad-line", "a number in this line is too large", "each line of a trace must be one JSON object"};
  }
  throw Wrong{"bad-line", "not a JSON object", "each line of a trace must be one JSON object"};
}

void know_only(const Json& object, std::span<const std::string_view> names) {
  for (const auto& [name, value] : object.items()) {
    if (std::ranges::find(names, name) != names.end()) continue;
    const auto near = base::nearest(name, names);
    throw bad_entry(fmt::format("unknown field '{}'", name), near ? fmt::format("did you mean '{}'?", *near) : "");
  }
}

std::int64_t whole(const Json& value, std::string_view what, std::int64_t low, std::int64_t high) {
  if (!value.is_number_integer()) throw bad_entry(fmt::format("{} must be a whole number", what));
  const bool beyond = value.is_number_unsigned() && value.get<std::uint64_t>() > static_cast<std::uint64_t>(high);
  if (beyond || value.get<std::int64_t>() < low || value.get<std::int64_t>() > high)
    throw bad_entry(fmt::format("{} is out of range", what), fmt::format("expected {} to {}", low, high));
  return value.get<std::int64_t>();
}

std::int32_t raw_value(const Json& value, std::string_view what) {
  using Limits = std::numeric_limits<std::int32_t>;
  return static_cast<std::int32_t>(whole(value, what, Limits::min(), Limits::max()));
}

std::string text_in(const Json& object, const char* name) {
  const auto at = object.find(name);
  if (at == object.end()) return "";
  if (!at->is_string()) throw bad_entry(fmt::format("'{}' must be text", name));
  return at->get<std::string>();
}

bool flag_in(const Json& object, const char* name) {
  const auto at = object.find(name);
  if (at == object.end()) return false;
  if (!at->is_boolean()) throw bad_entry(fmt::format("'{}' must be true or false", name));
  return at->get<bool>();
}

const Json& needed(const Json& object, const char* name) {
  const auto at = object.find(name);
  if (at == object.end()) throw bad_entry(fmt::format("'{}' is missing", name));
  return *at;
}

Code code_in(const Json& name) {
  if (!name.is_string()) throw bad_entry("a code must be text, such as \"BTN_SOUTH\"");
  const auto& word = name.get_ref<const std::string&>();
  if (const auto code = base::code_of_name(word)) return *code;
  const auto near = base::nearest(word, base::code_names());
  throw Wrong{"unknown-code", fmt::format("unknown code '{}'", word),
              near ? fmt::format("did you mean '{}'?", *near)
                   : "use the names of the Linux input interface, such as BTN_SOUTH"};
}

TraceHead head_of(const Json& object) {
  const auto version = object.find("omnipar");
  if (version == object.end() || !version->is_number_integer() || text_in(object, "kind") != "trace")
    throw Wrong{"not-a-trace", "not a trace", R"(a trace starts with {"omnipar":1,"kind":"trace"})"};
  if (whole(*version, "'omnipar'", 1, std::numeric_limits<std::int32_t>::max()) > newest_format)
    throw Wrong{
        "too-new",
        fmt::format("this trace has format version {}, which is newer than this Omnipar", version->get<std::int64_t>()),
        fmt::format("this Omnipar reads version {}; upgrade Omnipar to read the trace", newest_format)};
  static constexpr std::array<std::string_view, 4> names{"omnipar", "kind", "about", "made-up"};
  know_only(object, names);
  return {text_in(object, "about"), flag_in(object, "made-up")};
}

/// "0003:1209:0001:0100": bus, vendor, product and version.
void read_id(const std::string& id, Description& node) {
  const std::array fields{&node.bus, &node.vendor, &node.product, &node.version};
  constexpr std::size_t width = 5;  // four digits and a colon
  bool good = id.size() == fields.size() * width - 1;
  for (std::size_t i = 0; good && i < fields.size(); ++i) {
    const char* const begin = id.data() + i * width;
    good = std::from_chars(begin, begin + width - 1, *fields.at(i), 16).ptr == begin + width - 1 &&
           (i + 1 == fields.size() || begin[width - 1] == ':');
  }
  if (!good) throw bad_entry("'id' must be bus, vendor, product and version", "write \"0003:1209:0001:0100\"");
}

/// "05 01 a1": two digits per byte, at most `most` bytes.
std::vector<std::uint8_t> bytes_in(const Json& object, const char* name, std::size_t most) {
  const std::string text = text_in(object, name);
  constexpr std::size_t width = 3;  // two digits and a space
  std::vector<std::uint8_t> bytes;
  for (std::size_t at = 0; at < text.size(); at += width) {
    std::uint8_t byte = 0;
    const char* const begin = text.data() + at;
    const bool whole_byte = text.size() - at >= 2 && std::from_chars(begin, begin + 2, byte, 16).ptr == begin + 2;
    const bool parted = text.size() - at == 2 || (text.size() - at > width && begin[2] == ' ');
    if (!whole_byte || !parted)
      throw bad_entry(fmt::format("'{}' must be bytes", name), "write bytes such as \"05 01 a1\"");
    if (bytes.size() == most)
      throw bad_entry(fmt::format("'{}' is too long", name), fmt::format("the limit is {} bytes", most));
    bytes.push_back(byte);
  }
  if (bytes.empty() && object.contains(name)) throw bad_entry(fmt::format("'{}' is empty", name));
  return bytes;
}

Description node_of(const Json& object) {
  static constexpr std::array<std::string_view, 12> names{
      "node", "name", "id", "serial", "socket", "device", "interface", "half", "virtual", "keys", "axes", "descriptor"};
  know_only(object, names);
  Description node;
  node.name = text_in(object, "name");
  node.serial = text_in(object, "serial");
  node.socket = text_in(object, "socket");
  node.device = text_in(object, "device");
  if (const auto at = object.find("interface"); at != object.end())
    node.interface = static_cast<int>(whole(*at, "'interface'", 0, 255));
  node.half = text_in(object, "half");
  node.made_by_program = flag_in(object, "virtual");
  if (object.contains("id")) read_id(text_in(object, "id"), node);
  constexpr std::size_t largest_descriptor = 4096;
  node.descriptor = bytes_in(object, "descriptor", largest_descriptor);
  if (!node.descriptor.empty() && (object.contains("keys") || object.contains("axes")))
    throw bad_entry("a node with a report descriptor cannot list codes", "remove 'keys' and 'axes'");
  if (const auto keys = object.find("keys"); keys != object.end()) {
    if (!keys->is_array()) throw bad_entry("'keys' must be a list of codes");
    for (const Json& name : *keys) {
      const Code code = code_in(name);
      node.codes.push_back({code, 0, code.type == ev_rel ? 0 : 1, 0});
    }
  }
  if (const auto axes = object.find("axes"); axes != object.end()) {
    if (!axes->is_object()) throw bad_entry(R"('axes' must be as in {"ABS_X":[0,255]})");
    for (const auto& [name, range] : axes->items()) {
      if (!range.is_array() || range.size() != 2) throw bad_entry(fmt::format("'{}' must be as in [0,255]", name));
      node.codes.push_back({code_in(name), raw_value(range[0], name), raw_value(range[1], name), 0});
      if (node.codes.back().minimum > node.codes.back().maximum)
        throw bad_entry(fmt::format("the range of '{}' ends before it starts", name));
    }
  }
  return node;
}

std::vector<Change> changes_of(const Json& list) {
  if (!list.is_array() || list.size() % 2 != 0)
    throw bad_entry("'report' must be a list of codes and values", R"(write "report":["BTN_SOUTH",1,"ABS_X",-12])");
  std::vector<Change> changes;
  changes.reserve(list.size() / 2);
  for (std::size_t i = 0; i < list.size(); i += 2)
    changes.push_back({code_in(list[i]), raw_value(list[i + 1], "a value")});
  return changes;
}

TraceEvent event_of(const Json& object) {
  static constexpr std::array<std::string_view, 8> names{"t", "node", "plug", "gap", "report", "raw", "note", "lesson"};
  know_only(object, names);
  TraceEvent event;
  constexpr std::int64_t a_year_in_us = 366LL * 24 * 3600 * 1'000'000;
  event.time = at_us(whole(object["t"], "'t'", 0, a_year_in_us));
  event.node = static_cast<int>(whole(needed(object, "node"), "'node'", 1, 9999));
  event.note = text_in(object, "note");
  event.lesson = text_in(object, "lesson");
  const std::string plug = text_in(object, "plug");
  if (object.contains("plug") && plug != "in" && plug != "out") throw bad_entry("'plug' must be \"in\" or \"out\"");
  event.action = plug == "in" ? TraceAction::plug_in : plug == "out" ? TraceAction::pull_out : TraceAction::report;
  if (const auto gap = object.find("gap"); gap != object.end()) {
    if (*gap != Json(true) || object.contains("plug") || object.contains("report") || object.contains("raw"))
      throw bad_entry("'gap' must be true and the only field", R"(write "gap":true)");
    event.action = TraceAction::gap;
  }
  event.raw = bytes_in(object, "raw", largest_raw_report);
  if (!event.raw.empty() && (event.action != TraceAction::report || object.contains("report")))
    throw bad_entry("raw bytes must be a separate report", "remove 'plug' and 'report'");
  if (event.action == TraceAction::report && event.raw.empty()) (void)needed(object, "report");
  if (const auto report = object.find("report"); report != object.end()) event.changes = changes_of(*report);
  return event;
}

}  // namespace

tl::expected<std::optional<TraceEvent>, Diagnostic> TraceReader::read_line(std::string_view line) {
  ++line_;
  if (line.ends_with('\r')) line.remove_suffix(1);
  if (line.empty() && begun_) return std::nullopt;
  try {
    if (!begun_) {
      head_ = head_of(parsed(line));
      begun_ = true;
      return std::nullopt;
    }
    const Json object = parsed(line);
    if (!object.contains("t")) {
      const int number = static_cast<int>(whole(needed(object, "node"), "'node'", 1, 9999));
      if (nodes_.contains(number)) throw bad_entry(fmt::format("duplicate node {}", number));
      nodes_.emplace(number, node_of(object));
      return std::nullopt;
    }
    TraceEvent event = event_of(object);
    if (!nodes_.contains(event.node))
      throw bad_entry(fmt::format("node {} is not described in a line above", event.node),
                      R"(write {"node":1,"name":"…"} before its first event)");
    if (nodes_.at(event.node).descriptor.empty() != event.raw.empty() && event.action == TraceAction::report)
      throw bad_entry(event.raw.empty() ? "a raw node reports raw bytes"
                                        : "only nodes with a report descriptor have raw bytes");
    if (event.time < last_) throw bad_entry("this event is earlier than the one above", "sort events by time");
    last_ = event.time;
    return event;
  } catch (const Wrong& wrong) {
    return tl::unexpected(text::at_line(name_, {line_, wrong.column}, line, wrong.id, wrong.message, wrong.hint));
  }
}

std::optional<Diagnostic> TraceReader::finish() const {
  if (begun_) return std::nullopt;
  return Diagnostic{"not-a-trace", Severity::error, "the file is empty", name_,
                    R"(a trace starts with {"omnipar":1,"kind":"trace"})"};
}

}  // namespace omnipar::inline abi_0
