// Raw reports of test units: the decoder agrees with the slow reader.
#include "fuzz.hpp"
#include "hid/descriptors.hpp"
#include "hid/slow_reader.hpp"

using namespace omnipar;
using namespace omnipar::test;

void fuzz_one(std::span<const std::uint8_t> bytes) {
  if (bytes.size() < 2) return;
  static const auto all = made_descriptors();
  const hid::Descriptor descriptor = hid::read_descriptor(all[bytes[0] % all.size()].bytes).value();
  const auto controls = hid::controls_of(descriptor);
  hid::Decoder decoder{descriptor, hid::opaque_of(controls)};
  SlowReader slow{descriptor};
  std::vector<std::int32_t> seen(controls.size());
  for (bytes = bytes.subspan(1); !bytes.empty();) {
    const std::size_t length = std::min<std::size_t>(bytes[0] % 80 + 1, bytes.size());
    const std::vector<std::uint8_t> report(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(length));
    bytes = bytes.subspan(length);
    std::map<std::size_t, int> moved, should_move;
    for (const Change& change : decoder.decode(report))
      if (controls[change.code.number].kind == hid::Kind::counts)
        moved[change.code.number] = change.value;
      else
        seen[change.code.number] = change.value;
    const auto& wanted = slow.feed(report, should_move);
    std::erase_if(should_move, [](const auto& entry) { return entry.second == 0; });
    fuzz::require(moved == should_move, "counts are what the slow reader counts");
    for (std::size_t c = 0; c < controls.size(); ++c)
      if (controls[c].kind != hid::Kind::counts)
        fuzz::require(seen[c] == wanted[c],
                      "values are what the slow reader reads: " + hid::name_of(descriptor, controls[c]));
  }
}
