// An attachment: a unit that is there now, and what each of its raw codes means.
#pragma once

#include <string>
#include <vector>

#include "omnipar/description.hpp"
#include "omnipar/role.hpp"

namespace omnipar {

/// How a raw value is to be read.
enum class Reading {
  button,     ///< 0 is up, anything else is down
  one_sided,  ///< `rest` is one end of the range
  two_sided,  ///< `rest` lies inside the range
  hat,        ///< -1, 0, 1: two opposite buttons of a d-pad
};

/// One control of a unit: raw code to role, with its calibration. The raw range may be any, but
/// `minimum < maximum`, and `rest` lies within.
struct Control {
  Code code;
  Reading reading = Reading::button;
  std::string role;
  Axis axis = Axis::none;  ///< which half of a stick or hat this is
  std::int32_t minimum = 0;
  std::int32_t maximum = 1;
  std::int32_t rest = 0;
  friend bool operator==(const Control&, const Control&) = default;
};

/// A unit's controls, its seat, and what it says of itself at this moment. `state` holds the values
/// that are known: buttons that are down then count from their next press, axis values at once.
struct Attachment {
  std::string unit;
  std::string seat;  ///< empty: nobody's yet
  std::vector<Control> controls;
  std::vector<Change> state;
};

/// True if a report holds a button's press by a hand (not a release, not an axis).
[[nodiscard]] bool has_press(const Attachment& attachment, std::span<const Change> changes) noexcept;

/// What is odd about the unit as it was found, a sentence each: controls that are down, axes that stand at an end,
/// axes of which nothing is known. None of it is taken for a hand.
[[nodiscard]] std::vector<std::string> health_notes(const Attachment& attachment);

}  // namespace omnipar
