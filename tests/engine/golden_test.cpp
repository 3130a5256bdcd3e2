// The same samples on every compiler and processor: a short recorded session.
#include <catch2/catch.hpp>

#include <cstdio>

#include "evening.hpp"
#include "support/golden.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

TEST_CASE("The session's samples match the golden samples", "[golden]") {
  const auto evening = marrowby::make_evening(4'000);
  Engine engine{plan_of(marrowby::evening_catalogue(), marrowby::evening_profile())};
  std::vector<UnitId> ids;
  const auto units = marrowby::evening_units();
  for (std::size_t i = 0; i < units.size(); ++i)
    ids.push_back(engine.attach(seated(units[i], "seat-" + std::to_string(i + 1))).value());
  Reader reader{engine};
  std::uint64_t digest = 14695981039346656037ULL;  // FNV-1a
  const auto mix = [&digest](const void* data, std::size_t size) {
    for (std::size_t i = 0; i < size; ++i)
      digest = (digest ^ static_cast<const unsigned char*>(data)[i]) * 1099511628211ULL;
  };
  std::string text;
  std::size_t next = 0;
  const std::int64_t end = evening.reports.back().time_us;
  for (std::int64_t frame = 0, now = 0; now < end + 16'667; ++frame, now += 16'667) {
    for (; next < evening.reports.size() && evening.reports[next].time_us <= now; ++next)
      engine.feed(ids[evening.reports[next].unit], evening.report(evening.reports[next]));
    engine.advance(at_us(now));
    reader.next_frame();
    for (const PortInfo& port : engine.plan().ports())
      for (std::uint16_t t = 0; t < port.target_count; ++t) {
        const double value = reader.port(port.number).value({t});
        const std::int32_t native = reader.port(port.number).native({t});
        mix(&value, sizeof(value));
        mix(&native, sizeof(native));
      }
    if (frame % 60 != 0) continue;
    char line[64];
    std::snprintf(line, sizeof(line), "frame %6lld  %016llx\n", static_cast<long long>(frame),
                  static_cast<unsigned long long>(digest));
    text += line;
  }
  CHECK(next == evening.reports.size());
  CHECK_GOLDEN("evening.txt", text);
}
