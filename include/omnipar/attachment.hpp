// An attachment: a connected unit and the meaning of each of its raw codes.
#pragma once

#include <map>
#include <span>
#include <string>
#include <vector>

#include "omnipar/calibration.hpp"
#include "omnipar/description.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0 {

/// How a raw value is interpreted.
enum class ControlType {
  button,     ///< 0 is released, other values are pressed
  one_sided,  ///< `rest` is one end of the range
  two_sided,  ///< `rest` lies inside the range
  hat,        ///< -1, 0, 1: two opposite buttons of a d-pad
  pointer,    ///< a position within the range, without a rest position
  counts,     ///< relative movement since the last report, without a range
};

/// A control of a unit: a raw code, its role and its range. `minimum` must be less than `maximum`, and `rest` within
/// them.
struct Control {
  Code code;
  ControlType type = ControlType::button;
  std::string role;
  Axis axis = Axis::none;  ///< which axis of a stick or hat this is
  std::int32_t minimum = 0;
  std::int32_t maximum = 1;
  std::int32_t rest = 0;
  /// The axis is reversed: its maximum is left or up, or its counts increase to the left or upwards.
  bool reversed = false;
  double own_dead_zone = 0;  ///< the unit's built-in dead zone, as a fraction of a full push
  bool square = false;       ///< for a stick: its axes are independent and can both be at their ends
  bool off_screen = false;   ///< for a button: while it is pressed, the unit points off-screen
  bool half = false;         ///< for combined pedals: one side of an axis whose other side is another control
  friend bool operator==(const Control&, const Control&) = default;
};

/// A unit's controls, seat and current values. `state` holds the known values: pressed buttons count from their next
/// press, axis values immediately.
struct Attachment {
  std::string unit;
  std::string seat;  ///< empty: not assigned
  std::vector<Control> controls;
  std::vector<Change> state;
  /// The unit is attached because one of its buttons was just pressed: hotkeys treat buttons in `state` as pressed now.
  bool by_press = false;
  /// Calibrations that match the unit's current ranges. They override minimum, maximum and rest of the controls;
  /// pointers use only `aims`. An axis that neither `state` nor a report has mentioned is at rest and has no effect
  /// until its first report, even if a binding inverts it.
  std::vector<StickCalibration> sticks{};
  std::vector<AxisCalibration> axes{};
  std::vector<AimCalibration> aims{};
  /// Uncalibrated axes learn their ranges while playing: at first a full push is 0.7 of the declared range, later the
  /// largest value reached by two consecutive readings.
  bool ranges_by_use = false;
  /// Roles of controls whose range has changed since they were calibrated, so that their calibration is not used.
  std::vector<std::string> outdated{};
};

/// Returns true if a report contains the press of a button (not a release or an axis).
[[nodiscard]] bool has_press(const Attachment& attachment, std::span<const Change> changes) noexcept;

/// Detects that a player uses a unit: by the press of a button, or, on a unit without buttons, by a movement that is
/// larger than a bump of the table causes.
class ActivityDetector {
 public:
  /// Adds changes. Returns true if, together with the previous ones, they are deliberate.
  [[nodiscard]] bool update(const Attachment& attachment, std::span<const Change> changes);

 private:
  std::map<Code, std::int32_t> from_;  ///< axes as they were first seen
  std::int64_t travelled_ = 0;         ///< counts in any direction
};

/// Returns true if no axis has a known value and no button is pressed, as with an empty socket, or a wireless pad that
/// is off. Returns false for units without axes.
[[nodiscard]] bool is_silent(const Attachment& attachment) noexcept;

/// Returns a sentence for each entry of `outdated`.
[[nodiscard]] std::vector<std::string> outdated_notes(const Attachment& attachment);

/// Returns a sentence for each warning about the unit's initial state: buttons that are held, axes at their end, axes
/// without a value. None of these count as input.
[[nodiscard]] std::vector<std::string> health_notes(const Attachment& attachment);

}  // namespace omnipar::inline abi_0
