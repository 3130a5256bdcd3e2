// An attachment: a unit that is there now, and what each of its raw codes means.
#pragma once

#include <map>
#include <span>
#include <string>
#include <vector>

#include "omnipar/calibration.hpp"
#include "omnipar/description.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0 {

/// How a raw value is to be read.
enum class Reading {
  button,     ///< 0 is up, anything else is down
  one_sided,  ///< `rest` is one end of the range
  two_sided,  ///< `rest` lies inside the range
  hat,        ///< -1, 0, 1: two opposite buttons of a d-pad
  pointer,    ///< a place between the ends of the range; it rests nowhere
  counts,     ///< movements since the last report; it has no range
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
  /// Of an axis or hat: what it calls its maximum is to the left, or up; of counts: they grow to the left, or upwards.
  bool reversed = false;
  double own_dead_zone = 0;  ///< what the unit itself takes for rest, as a part of a full push
  bool square = false;       ///< of a stick: its axes are independent, and reach their ends at once
  bool off_screen = false;   ///< of a button: while it is down, the unit does not see the screen
  bool half = false;         ///< one side of an axis whose other side is another control: of a pair of pedals
  friend bool operator==(const Control&, const Control&) = default;
};

/// A unit's controls, its seat, and what it says of itself at this moment. `state` holds the values
/// that are known: buttons that are down then count from their next press, axis values at once.
struct Attachment {
  std::string unit;
  std::string seat;  ///< empty: nobody's yet
  std::vector<Control> controls;
  std::vector<Change> state;
  /// A hand has just pressed one of its buttons: hotkeys take those that are down for pressed now.
  bool by_press = false;
  /// What was measured on the unit and fits its present ranges. It takes precedence over minimum, maximum and rest of
  /// the controls; for pointers, `aims` alone does. An axis whose place is known neither from here nor from a report
  /// is at rest and has no effect until its first report, even where a use inverts it.
  std::vector<StickCalibration> sticks{};
  std::vector<AxisCalibration> axes{};
  std::vector<AimCalibration> aims{};
  /// Axes that were never measured find their ranges by use: a full push is 0.7 of the declared way at first, and what
  /// was reached by two readings in a row later.
  bool ranges_by_use = false;
  /// Controls whose calibration does not hold, because the unit has another range now, by their roles.
  std::vector<std::string> outdated{};
};

/// True if a report holds a button's press by a hand (not a release, not an axis).
[[nodiscard]] bool has_press(const Attachment& attachment, std::span<const Change> changes) noexcept;

/// Notices that a hand means this unit: by the press of a button, or, if there is none on it, by a movement too large
/// for a bumped table.
class ActivityDetector {
 public:
  /// True if these changes, with those before them, are meant.
  [[nodiscard]] bool take(const Attachment& attachment, std::span<const Change> changes);

 private:
  std::map<Code, std::int32_t> from_;  ///< axes as they were first seen
  std::int64_t travelled_ = 0;         ///< counts in any direction
};

/// True if nothing is known of any of its axes and none of its buttons is down: so looks an empty socket, or a pad
/// that its receiver waits for. False for units without axes, of which that says nothing.
[[nodiscard]] bool is_silent(const Attachment& attachment) noexcept;

/// Controls that have another range than when they were measured, so that their calibration is not used, a sentence
/// for each of `outdated`.
[[nodiscard]] std::vector<std::string> outdated_notes(const Attachment& attachment);

/// What is odd about the unit as it was found, a sentence each: controls that are down, axes that stand at an end,
/// axes of which nothing is known. None of it is taken for a hand.
[[nodiscard]] std::vector<std::string> health_notes(const Attachment& attachment);

}  // namespace omnipar::inline abi_0
