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
//   let go --2 s at rest--> sweep --all directions, or both ends, clearly reached--> fitted --released--> the next
//   a round stick: four pushes more, up, right, down, left, so that it is known how it is turned
//   a sweep that does not do: why, and once more
//   the end: a press keeps it; a press that is held measures the last control again
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
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

namespace omnipar {

// -- fits ---------------------------------------------------------------------------------------------------------

/// Readings of a stick, in order, one each `reading_step`.
struct StickReadings {
  std::vector<RawPoint> rest;
  std::vector<RawPoint> sweep;
  std::vector<RawPoint>
      pushes{};  ///< up, right, down and left, each where it was held; none: how it is turned is not asked
  DeclaredRange declared_x{};
  DeclaredRange declared_y{};
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
  pushes_differ,  ///< the four pushes do not go together
  no_way,         ///< it hardly moved at all
  wrong_control,  ///< another control was moved
  stopped,        ///< nothing was moved any more before all was done
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

/// Fits centre, width, gate and turn: round, square and octagonal gates by their shapes (robust least squares), others
/// by what was reached in each direction. Of a round gate without pushes it is not known how it is turned: 0. Fails
/// with the first fault. Takes some milliseconds.
[[nodiscard]] tl::expected<StickFit, SweepFault> fit_stick(const StickReadings& readings);

/// Readings of a single axis; `marks` were held where a guide asked for them.
struct AxisReadings {
  std::vector<double> rest;
  std::vector<double> sweep;
  std::vector<RawMark> marks{};
  DeclaredRange declared{};
  Reading reading = Reading::two_sided;
};
struct AxisFit {
  AxisCalibration axis;
  std::vector<std::string> notes;
};
/// Fails as `fit_stick` does.
[[nodiscard]] tl::expected<AxisFit, SweepFault> fit_axis(const AxisReadings& readings);

/// Which of `sweep_directions` a sweep has reached well enough, from the rest.
[[nodiscard]] std::array<bool, 8> directions_reached(const std::vector<RawPoint>& sweep, RawPoint rest);

}  // namespace omnipar
