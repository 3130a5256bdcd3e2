// Settings at random, from the rows of the stages.
#pragma once

#include <cmath>
#include <random>

#include "stage/table.hpp"

namespace omnipar::test {

/// Sets a third of all fields to something that they may be; what does not go together is left out.
/// `longest`: what milliseconds may be, in microseconds.
inline void set_at_random(Use& use, std::mt19937& dice, double longest = 60e6) {
  for (const stage::Kind* kind : stage::of_uses()) {
    const Use before = use;
    for (const stage::Field& field : kind->fields) {
      if (dice() % 3 != 0) continue;
      const double high = field.measure == stage::Measure::milliseconds ? std::min(longest, field.high) : field.high;
      const double value = field.low + (high - field.low) * static_cast<double>(dice() % 1000) / 999;
      use.settings.set(field.name, field.measure == stage::Measure::number ? value : std::round(value));
    }
    if (stage::wrong(use)) use = before;
  }
}

}  // namespace omnipar::test
