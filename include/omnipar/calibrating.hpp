// Measuring what is analog on a unit: pure fits of readings, and a guide that asks a person for them. Opens nothing,
// draws nothing and has no clock: it is told who is there, what they say and how late it is.
//
//   omnipar::Calibrating calibrating;
//   calibrating.meet(node, attachment);               // as the unit declares it, not calibrated
//   calibrating.hear(node, report) … calibrating.advance(now) …
//   while (auto event = calibrating.next_event()) show(to_text(*event, calibrating));
//   if (calibrating.kept()) calibration = merged(calibration, calibrating.found());
//
// All of it can be done from the unit that is measured. Each control in turn:
//
//   released --2 s at rest--> sweep --all directions, or both ends, clearly reached--> released --> the next
//   a stick: four pushes more, up, right, down, left, each released: how it stands in its housing, where it comes to
//   rest from each side, and whether the sweep went to the end
//   a sweep that cannot be used: why, and again; after three times the control is left out, with that reason
//   nothing comes for ten seconds: what is missing
//   the end: a press keeps it; a press that is held measures the last control again
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

/// Readings of a stick, in order, one each `reading_step`. What no unit can say (infinite, not a number, or of
/// more than 32 bits) is left out.
struct StickReadings {
  std::vector<RawPoint> rest;
  std::vector<RawPoint> sweep;
  std::vector<RawPoint> rest_after{};  ///< when it was released after the sweep
  std::vector<RawPoint>
      pushes{};  ///< up, right, down and left, each where it was held; none: how it is turned is not asked
  std::vector<std::vector<RawPoint>> returns{};  ///< after each push: from when it stopped
  DeclaredRange declared_x{};
  DeclaredRange declared_y{};
  bool reversed_x = false;  ///< what the unit calls the maximum is to the left, or up
  bool reversed_y = false;
  bool as_it_is = false;  ///< it goes no further than this, whatever its edge looks like
};
inline constexpr Duration reading_step{4'000};

/// The eight directions of a sweep, from right towards down.
inline constexpr std::array<std::string_view, 8> sweep_directions{"right", "lower right", "down", "lower left",
                                                                  "left",  "upper left",  "up",   "upper right"};

/// Why readings do not do.
enum class SweepRefusal : std::uint8_t {
  none,
  too_few,        ///< there are not enough of them
  moves_at_rest,  ///< it was moved while it should rest
  too_fast,       ///< from one reading to the next it went too far
  not_around,     ///< some directions were never reached
  not_at_edge,    ///< in some directions it was not pushed to its end
  pushes_differ,  ///< the four pushes fit no way in which a stick can stand in its housing
  no_way,         ///< it hardly moved at all
  wrong_control,  ///< another control was moved
  stopped,        ///< it stopped before all was done
  not_moved,      ///< nothing has been moved yet
  not_released,   ///< it is still held
  not_far,        ///< it is not pushed far enough
  not_steady,     ///< it is not held still
};

struct SweepFault {
  SweepRefusal why = SweepRefusal::none;
  std::vector<std::size_t> directions{};  ///< of `sweep_directions`, where that is the fault
  std::string role{};                     ///< of another control, where that is
};

/// What was measured, and what is odd about it.
struct StickFit {
  StickCalibration stick;
  std::vector<std::string> notes;  ///< a sentence each: spikes, drift, a dead zone of its own
};

/// Fits rest, width, gate and turn: round, square and octagonal gates by their shapes (robust least squares), others by
/// what was reached in each direction; where a direction was reached less far than the shape says, what was reached
/// counts. The rest is the middle of where it stopped after each push. A turn of the pushes counts only if it is three
/// times its own error; an axis that runs the other way has a negative width. Fails with the first fault. Takes some
/// milliseconds.
[[nodiscard]] tl::expected<StickFit, SweepFault> fit_stick(const StickReadings& readings);

/// Readings of a single axis; `marks` were held where a guide asked for them.
struct AxisReadings {
  std::vector<double> rest;
  std::vector<double> sweep;
  std::vector<double> rest_after{};
  std::vector<std::vector<double>> returns{};  ///< each time it was released on the way: from when it stopped
  std::vector<RawMark> marks{};                ///< of one that is not self-centering, a mark of 0 is its middle
  DeclaredRange declared{};
  Reading reading = Reading::two_sided;
};
struct AxisFit {
  AxisCalibration axis;
  std::vector<std::string> notes;
};
/// Fails as `fit_stick` does.
[[nodiscard]] tl::expected<AxisFit, SweepFault> fit_axis(const AxisReadings& readings);

/// Raw places with their signs as the hand has them: to the right and downwards.
[[nodiscard]] std::vector<RawPoint> in_hand(std::vector<RawPoint> points, const StickReadings& of);

/// Which of `sweep_directions` a sweep has reached well enough, from the rest.
[[nodiscard]] std::array<bool, 8> directions_reached(const std::vector<RawPoint>& sweep, RawPoint rest);

// -- the guide ----------------------------------------------------------------------------------------------------

struct CalibrateOptions {
  std::vector<std::string> only{};  ///< these roles; none: all sticks, triggers, pedals, wheels and paddles
  bool pushes = true;               ///< ask four pushes of each stick
  bool marks = false;               ///< lead to marks, for a response that is bent
  /// Runs work that takes some milliseconds, for instance on another thread, so that the caller can go on reading
  /// reports. If empty, the calling thread computes the fits.
  std::function<void(std::function<void()> work)> aside{};
};

/// What can be chosen at any time.
enum class CalibrateChoice : std::uint8_t {
  skip,   ///< this control stays as it is
  again,  ///< this control from the start; at the end: the last one
  keep,   ///< ends, and what was measured is kept
  leave,  ///< ends, and nothing is kept
};

/// What is asked of a hand at present.
enum class CalibrateStep : std::uint8_t {
  rest,     ///< release it, and wait
  sweep,    ///< along its edge, or to its ends and back
  release,  ///< release it: after the sweep, and after each push, of which the step's number says how many were made
  push,     ///< hold it straight up, right, down, left: the step's number says which
  mark,     ///< hold it at a mark: the step's number says which
  done,     ///< all has been measured
};

struct CalibrateEvent {
  enum class Kind : std::uint8_t {
    asks,      ///< `step` (with its `number`) for `role`
    waits,     ///< nothing has come for a while: `fault` says what is missing
    refuses,   ///< `fault`: the same again
    measures,  ///< `role` is done: see `found`, and `notes`
    skips,     ///< `role` is left out; by itself after three refusals, then `fault` is the last of them
    pauses,    ///< the unit has left in the middle
    goes_on,   ///< it is back: the control is measured from its start
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

/// Asks for one control after the other. Belongs to one thread; allocates.
class Calibrating {
 public:
  explicit Calibrating(CalibrateOptions options = {});
  ~Calibrating();
  Calibrating(Calibrating&&) noexcept;
  Calibrating& operator=(Calibrating&&) noexcept;

  /// This node of the unit is there, as the unit declares it, or is there again. All nodes are one unit's.
  void meet(int node, const Attachment& attachment);
  void lose(int node);
  void hear(int node, const Report& report);
  void advance(Time now);
  [[nodiscard]] std::optional<Time> next_due() const;
  [[nodiscard]] std::optional<CalibrateEvent> next_event();
  void choose(CalibrateChoice choice);
  /// Some of the unit's reports were lost: measures the current control once more.
  void missed();

  /// The roles that are measured, in order, and those of them that are done.
  [[nodiscard]] const std::vector<std::string>& roles() const noexcept;
  [[nodiscard]] std::size_t measured() const noexcept;
  /// What is asked now; empty and `done` at the end.
  [[nodiscard]] const std::string& role() const noexcept;
  [[nodiscard]] CalibrateStep step() const noexcept;
  [[nodiscard]] int number() const noexcept;
  /// How much of the step is done, 0..1.
  [[nodiscard]] double progress() const noexcept;
  /// Of a stick that is swept or was swept last: its readings, and the directions that were reached.
  [[nodiscard]] const StickReadings& readings() const noexcept;
  [[nodiscard]] std::array<bool, 8> reached() const;
  /// The same of an axis.
  [[nodiscard]] const AxisReadings& axis_readings() const noexcept;
  /// Where the control is now, in raw numbers; of an axis x.
  [[nodiscard]] RawPoint place() const noexcept;
  /// How long a button is held that measures again or leaves out: 0..1.
  [[nodiscard]] double held(Time now) const noexcept;

  /// What has been measured so far, without a unit's name and a day; and the readings of each, by role.
  [[nodiscard]] const Calibration& found() const noexcept;
  [[nodiscard]] const StickReadings* readings_of(const std::string& role) const;
  [[nodiscard]] const AxisReadings* axis_readings_of(const std::string& role) const;
  [[nodiscard]] bool over() const noexcept;
  [[nodiscard]] bool kept() const noexcept;

 private:
  class Inside;
  std::unique_ptr<Inside> inside_;
};

/// One line for people at arm's length; empty where nothing need be said.
[[nodiscard]] std::string to_text(const CalibrateEvent& event);
/// Why, and what to do: "not yet pushed to: upper left".
[[nodiscard]] std::string to_text(const SweepFault& fault);

/// What was known, with what was measured anew in its place.
[[nodiscard]] Calibration merged(Calibration known, const Calibration& found);

}  // namespace omnipar::inline abi_0
