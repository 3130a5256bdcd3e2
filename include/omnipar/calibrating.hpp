// Calibrating analog controls: fits of readings, and a guide that asks the user for them. Has no I/O and no clock: the
// caller passes nodes, reports and the time.
//
//   omnipar::Calibrating calibrating;
//   calibrating.meet(node, attachment);               // with declared ranges, not calibrated
//   calibrating.feed(node, report) … calibrating.advance(now) …
//   while (auto event = calibrating.next_event()) show(to_text(*event, calibrating));
//   if (calibrating.kept()) calibration = merged(calibration, calibrating.found());
//
// The unit being calibrated can control everything. For each control:
//
//   released --2 s at rest--> sweep --all directions, or both ends, reached--> released --> next control
//   for a stick, four pushes more (up, right, down, left), each released, which give its rotation and hysteresis and
//   check that the sweep reached the end
//   an unusable sweep is repeated, with the reason; after three attempts the control is skipped
//   after ten seconds without input, it reports what is missing
//   the end: press to save, hold to measure the last control again
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/calibration.hpp"
#include "omnipar/report.hpp"
#include "omnipar/time.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

// -- fits ---------------------------------------------------------------------------------------------------------

/// Readings of a stick in order, one each `reading_step`. Values that no unit can report (infinite, NaN, or beyond 32
/// bits) are ignored.
struct StickReadings {
  std::vector<RawPoint> rest;
  std::vector<RawPoint> sweep;
  std::vector<RawPoint> rest_after{};  ///< after the release that follows the sweep
  std::vector<RawPoint> pushes{};      ///< held positions up, right, down and left; empty: rotation is not measured
  std::vector<std::vector<RawPoint>> returns{};  ///< after each push, from when it stopped
  DeclaredRange declared_x{};
  DeclaredRange declared_y{};
  bool reversed_x = false;  ///< the maximum is left or up
  bool reversed_y = false;
  bool as_it_is = false;  ///< accepts the reached range, whatever its shape
};
inline constexpr Duration reading_step{4'000};

/// The eight directions of a sweep, clockwise from right.
inline constexpr std::array<std::string_view, 8> sweep_directions{"right", "lower right", "down", "lower left",
                                                                  "left",  "upper left",  "up",   "upper right"};

/// Why readings were rejected.
enum class SweepRefusal : std::uint8_t {
  none,
  too_few,        ///< not enough readings
  moves_at_rest,  ///< it moved while it should be at rest
  too_fast,       ///< it moved too far between two readings
  not_around,     ///< some directions were not reached
  not_at_edge,    ///< it was not pushed to its end in some directions
  pushes_differ,  ///< the four pushes fit no rotation
  no_way,         ///< it hardly moved
  wrong_control,  ///< another control was moved
  stopped,        ///< it stopped too early
  not_moved,      ///< it has not moved
  not_released,   ///< it is still held
  not_far,        ///< it is not pushed far enough
  not_steady,     ///< it is not held still
};

/// A problem with readings.
struct SweepFault {
  SweepRefusal why = SweepRefusal::none;
  std::vector<std::size_t> directions{};  ///< indices into `sweep_directions`, if relevant
  std::string role{};                     ///< the other control, if relevant
};

/// The result of a stick fit.
struct StickFit {
  StickCalibration stick;
  std::vector<std::string> notes;  ///< warnings, one sentence each: spikes, drift, a built-in dead zone
};

/// Fits rest position, width, gate and rotation of a stick.
///
/// Round, square and octagonal gates are fitted by shape (robust least squares), others by the reached distance in each
/// direction. Where a direction was reached less far than the shape, the reached distance is used. The rest position is
/// the mean of where it stopped after each push. A rotation is used only if it exceeds three times its error. A
/// reversed axis has a negative width.
///
/// Returns the first problem on failure. Takes a few milliseconds.
[[nodiscard]] tl::expected<StickFit, SweepFault> fit_stick(const StickReadings& readings);

/// Readings of a single axis. `marks` were held at positions that a guide requested.
struct AxisReadings {
  std::vector<double> rest;
  std::vector<double> sweep;
  std::vector<double> rest_after{};
  std::vector<std::vector<double>> returns{};  ///< after each release in between, from when it stopped
  std::vector<RawMark> marks{};                ///< without self-centering, a mark of 0 is the middle
  DeclaredRange declared{};
  ControlType type = ControlType::two_sided;
};
struct AxisFit {
  AxisCalibration axis;
  std::vector<std::string> notes;
};
/// Fits an axis. Fails like `fit_stick`.
[[nodiscard]] tl::expected<AxisFit, SweepFault> fit_axis(const AxisReadings& readings);

/// Returns raw positions with signs as seen by the user: right and down are positive.
[[nodiscard]] std::vector<RawPoint> in_hand(std::vector<RawPoint> points, const StickReadings& of);

/// Returns which of `sweep_directions` a sweep has reached.
[[nodiscard]] std::array<bool, 8> directions_reached(const std::vector<RawPoint>& sweep, RawPoint rest);

// -- the guide ----------------------------------------------------------------------------------------------------

/// Options of a calibration.
struct CalibrateOptions {
  std::vector<std::string> only{};  ///< only these roles; default: all sticks, triggers, pedals, wheels and paddles
  bool pushes = true;               ///< asks for four pushes of each stick
  bool marks = false;               ///< measures marks, for curved responses
  /// Runs work that takes a few milliseconds, for example on another thread, so that the caller can continue to read
  /// reports. Default: runs it on the calling thread.
  std::function<void(std::function<void()> work)> aside{};
};

/// Choices available at any time.
enum class CalibrateChoice : std::uint8_t {
  skip,   ///< skips this control, which is unchanged
  again,  ///< restarts this control; at the end, the last one
  keep,   ///< ends and saves
  leave,  ///< ends without saving
};

/// What the user is asked to do.
enum class CalibrateStep : std::uint8_t {
  rest,     ///< release it and wait
  sweep,    ///< move it around its edge, or to its ends and back
  release,  ///< release it, after the sweep and each push; the number is the count of pushes
  push,     ///< hold it straight up, right, down or left, by number
  mark,     ///< hold it at a mark, by number
  done,     ///< all controls are measured
};

/// An event of a calibration.
struct CalibrateEvent {
  enum class Kind : std::uint8_t {
    asks,      ///< asks for `step` (with its `number`) of `role`
    waits,     ///< no input for a while; `fault` is what is missing
    rejects,   ///< rejected, see `fault`; the step is repeated
    measures,  ///< `role` is done; see `found` and `notes`
    skips,     ///< `role` is skipped; after three rejections, `fault` is the last one
    pauses,    ///< the unit was disconnected
    resumes,   ///< it was reconnected; the control restarts
    ends_asking,
    ends,
  };
  Kind kind = Kind::asks;
  std::string role{};
  CalibrateStep step = CalibrateStep::rest;
  int number = 0;
  SweepFault fault{};
  std::vector<std::string> notes{};
};

/// A guide that measures one control after the other. Must be used from one thread. Allocates.
class Calibrating {
 public:
  explicit Calibrating(CalibrateOptions options = {});
  ~Calibrating();
  Calibrating(Calibrating&&) noexcept;
  Calibrating& operator=(Calibrating&&) noexcept;

  /// Adds a node of the unit with its declared ranges, or adds it again after `lose`. All nodes must belong to one
  /// unit.
  void meet(int node, const Attachment& attachment);
  void lose(int node);
  void feed(int node, const Report& report);
  void advance(Time now);
  [[nodiscard]] std::optional<Time> next_due() const;
  [[nodiscard]] std::optional<CalibrateEvent> next_event();
  void choose(CalibrateChoice choice);
  /// Reports of the unit were lost: measures the current control again.
  void missed();

  /// The roles to measure, in order; and the number of those that are done.
  [[nodiscard]] const std::vector<std::string>& roles() const noexcept;
  [[nodiscard]] std::size_t measured() const noexcept;
  /// The current control and step; at the end, an empty string and `done`.
  [[nodiscard]] const std::string& role() const noexcept;
  [[nodiscard]] CalibrateStep step() const noexcept;
  [[nodiscard]] int number() const noexcept;
  /// Returns how much of the step is done, 0 to 1.
  [[nodiscard]] double progress() const noexcept;
  /// The readings of the current or last stick, and the directions reached.
  [[nodiscard]] const StickReadings& readings() const noexcept;
  [[nodiscard]] std::array<bool, 8> reached() const;
  /// The readings of the current or last axis.
  [[nodiscard]] const AxisReadings& axis_readings() const noexcept;
  /// The current raw position of the control; an axis uses x.
  [[nodiscard]] RawPoint place() const noexcept;
  /// Returns how far a hold has progressed towards repeating or skipping, 0 to 1.
  [[nodiscard]] double held(Time now) const noexcept;

  /// The measurements so far, without unit name and date; and the readings of each role.
  [[nodiscard]] const Calibration& found() const noexcept;
  [[nodiscard]] const StickReadings* readings_of(const std::string& role) const;
  [[nodiscard]] const AxisReadings* axis_readings_of(const std::string& role) const;
  [[nodiscard]] bool over() const noexcept;
  [[nodiscard]] bool kept() const noexcept;

 private:
  class Impl;
  std::unique_ptr<Impl> impl_;
};

/// Returns a line for the user, or an empty string if the event needs none.
[[nodiscard]] std::string to_text(const CalibrateEvent& event);
/// Returns the problem and what to do: "not reached yet: upper left".
[[nodiscard]] std::string to_text(const SweepFault& fault);

/// Returns `known` with the entries of `found` added or replaced.
[[nodiscard]] Calibration merged(Calibration known, const Calibration& found);

}  // namespace omnipar::inline abi_0
