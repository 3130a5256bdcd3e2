// Traces: each accepted line reads back unchanged after writing, and a part cut out of a trace is a trace.
#include <algorithm>

#include "fuzz.hpp"
#include "omnipar/trace.hpp"

using namespace omnipar;

namespace {

template <typename Act>
void for_each_line(std::string_view text, Act act) {
  while (!text.empty()) {
    const std::string_view line = text.substr(0, text.find('\n'));
    text.remove_prefix(std::min(text.size(), line.size() + 1));
    act(line);
  }
}

/// A reader with another reader's nodes.
TraceReader knowing(const TraceReader& other) {
  TraceReader reader{"again"};
  fuzz::require(reader.read_line(to_line(other.head())).has_value(), "a head that is written can be read");
  for (const auto& [number, node] : other.nodes()) {
    const std::string line = to_line(number, node);
    fuzz::require(reader.read_line(line).has_value(), "a node that is written can be read: " + line);
    fuzz::require(to_line(number, reader.nodes().at(number)) == line, "and is then the same: " + line);
  }
  return reader;
}

void check_event(const TraceReader& reader, const TraceEvent& event) {
  TraceReader again = knowing(reader);
  const std::string line = to_line(event);
  const auto read = again.read_line(line);
  fuzz::require(read.has_value() && read->has_value(), "an event that is written can be read: " + line);
  fuzz::require(**read == event && to_line(**read) == line, "and is then the same: " + line);
}

}  // namespace

void fuzz_one(std::span<const std::uint8_t> bytes) {
  constexpr std::size_t most = 8192;
  const std::string text = fuzz::text_of(bytes.first(std::min(bytes.size(), most)));
  TraceReader reader{"f.trace"};
  TraceReader of_piece{"piece"};
  TraceCutter cutter{at_us(1000), at_us(2'000'000)};
  const auto append_piece = [&of_piece](const std::vector<std::string>& lines) {
    for (const std::string& line : lines)
      fuzz::require(of_piece.read_line(line).has_value(), "a piece of a trace can be read: " + line);
  };
  std::size_t events = 0;
  for_each_line(text, [&](std::string_view line) {
    const auto event = reader.read_line(line);
    if (!event) return fuzz::require(event.error().place.starts_with("f.trace:"), "a problem has a place");
    if (!*event) return;
    if (++events < 8) check_event(reader, **event);  // which is slow
    if (events == 1) append_piece({to_line(reader.head())});
    append_piece(cutter.feed(**event, reader.nodes().at((*event)->node)));
  });
  if (events > 0) append_piece(cutter.finish());
}
