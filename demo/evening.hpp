// A scripted session in the Marrowby game room: two panels and two pads, of any length. It is
// made from a fixed seed with whole numbers only, so it is the same everywhere, and serves the
// bench, the golden samples and the demo.
#pragma once

#include <cstdint>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace marrowby {

/// The units, in order of seat: panel, panel, pad, pad. Their names are of this room.
[[nodiscard]] std::vector<omnipar::Description> evening_units();

/// "tern-table": ports 1 and 2 accept a six-button arcade control, ports 3 and 4 a two-stick pad.
[[nodiscard]] omnipar::Catalogue evening_catalogue();

/// Everything by its default source, port n for seat-n, no hotkeys.
[[nodiscard]] omnipar::Profile evening_profile();

struct EveningReport {
  std::int64_t time_us = 0;
  std::uint32_t unit = 0;
  std::uint32_t first_change = 0;
  std::uint32_t change_count = 0;
};

struct Evening {
  std::vector<EveningReport> reports;  ///< in order of time
  std::vector<omnipar::Change> changes;

  [[nodiscard]] omnipar::Report report(const EveningReport& r) const noexcept {
    return {omnipar::at_us(r.time_us), {changes.data() + r.first_change, r.change_count}};
  }
};

/// The first `reports` reports of the session: presses of 40 to 200 ms, sweeps of the pads' sticks at
/// 250 reports per second, and quiet stretches.
[[nodiscard]] Evening make_evening(std::size_t reports);

}  // namespace marrowby
