// Report descriptors: whatever can be read reads back unchanged after writing, and everything derived from it stays
// within its bounds.
#include <algorithm>

#include "fuzz.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/hid_output.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/raw_unit.hpp"

using namespace omnipar;

namespace {

void check_reports(std::span<const std::uint8_t> bytes, const hid::Descriptor& descriptor, std::size_t controls) {
  Description node;
  node.descriptor.assign(bytes.begin(), bytes.end());
  describe_raw(node);
  RawUnit unit{{}, node, Time{}};
  hid::Decoder decoder{descriptor};
  std::vector<std::uint8_t> report(bytes.begin(), bytes.end());
  for (int round = 0; round < 3; ++round) {
    std::ranges::reverse(report);
    for (const Change& change : decoder.decode(report))
      fuzz::require(change.code.number < controls, "a change is of a control");
    for (const Change& change : unit.feed(report, Time{std::chrono::milliseconds{round * 200}}).changes)
      fuzz::require(change.code.number < controls, "a unit's change is of a control");
  }
}

}  // namespace

void fuzz_one(std::span<const std::uint8_t> bytes) {
  bytes = bytes.first(std::min(bytes.size(), hid::most_bytes));
  const auto read = hid::read_descriptor(bytes);
  if (!read) return fuzz::require(read.error().id == "bad-descriptor", "an error has its id");
  const auto written = hid::to_bytes(*read);
  if (written.size() <= hid::most_bytes) {
    const auto again = hid::read_descriptor(written);
    fuzz::require(again.has_value(), "a descriptor that is written can be read");
    fuzz::require(again->fields == read->fields && again->collections == read->collections, "and is then the same");
  }
  const auto controls = hid::controls_of(*read);
  fuzz::require(controls.size() <= hid::most_controls, "controls are limited");
  fuzz::require(hid::kernel_codes(*read, controls).size() == controls.size(), "each control has its fate");
  for (const hid::Part& part : hid::parts_of(*read, controls))
    for (const std::size_t place : part.controls) fuzz::require(place < controls.size(), "parts are of controls");
  for (std::size_t c = 0; c < controls.size(); ++c) {
    const std::string name = hid::name_of(*read, controls[c]);
    fuzz::require(hid::is_name(name) && hid::find_control(*read, controls, name) == c,
                  "a name finds its control: " + name);
  }
  hid::Encoder encoder{*read};
  for (const hid::Output& output : hid::outputs_of(*read)) {
    encoder.set(output, 0.5);
    fuzz::require(!encoder.report_of(output).empty(), "an output has a report");
  }
  check_reports(bytes, *read, controls.size());
}
