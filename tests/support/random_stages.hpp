// Random settings, from the rows of the stages.
#pragma once

#include <cmath>
#include <random>

#include "stage/table.hpp"

namespace omnipar::test {

/// A valid value for a field: `part` is 0..1, `longest` the limit for times, in microseconds.
inline double value_at(const stage::Field& field, double part, double longest) {
  if (field.name == "ways") return part < 0.4 ? 0 : part < 0.7 ? 4 : 8;
  const double high = field.measure == stage::Measure::milliseconds ? std::min(longest, field.high) : field.high;
  const double value = field.low + (high - field.low) * part;
  return field.measure == stage::Measure::number ? value : std::round(value);
}

/// Sets a third of all fields to valid values; fields that exclude each other are left out.
inline void set_at_random(Use& use, std::mt19937& dice, double longest = 60e6) {
  for (const stage::Kind* kind : stage::of_uses()) {
    const Use before = use;
    for (const stage::Field& field : kind->fields) {
      if (dice() % 3 != 0) continue;
      stage::set(use.settings, field, value_at(field, static_cast<double>(dice() % 1000) / 999, longest));
    }
    if (stage::wrong(use)) use = before;
  }
}

}  // namespace omnipar::test
