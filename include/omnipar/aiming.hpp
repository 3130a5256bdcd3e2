// Calibrating a gun by shooting at targets: a guide that asks for shots and reports problems with them. Has no I/O and
// no clock: the caller passes nodes, reports and the time.
//
//   omnipar::Aiming aiming{options};
//   aiming.meet(node, "Gun 1", attachment);  // with declared ranges; all connected guns
//   aiming.feed(node, report) … aiming.advance(now) …
//   while (auto event = aiming.next_event()) show(to_text(*event, aiming));
//   if (aiming.kept()) calibration = merged(calibration, aiming.found());
//
// The trigger controls everything:
//
//   steady --pull--> around --pull--> shot 1 --pull--> shot 2 … --pull--> done --pull--> saved
//   a positional gun: across --pull--> down --pull--> done; an unsteady sweep is repeated
//   an unusable shot is repeated, with the reason
//   if one shot is far off: that shot again, or up to three additional shots to find it
//   while asking for those: hold the trigger for two seconds to save the fit with its error bound
//   done: hold the trigger for two seconds to start again with shot 1
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/calibration.hpp"
#include "omnipar/gun_fit.hpp"
#include "omnipar/report.hpp"
#include "omnipar/screen.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// A shot is the mean position during this time before the trigger was pulled, or during a shorter time if the gun was
/// moving before.
inline constexpr Duration shot_time{250'000};

/// Options of a gun calibration.
struct AimingOptions {
  Screen screen{};      ///< the screen with the targets
  AreaBox within{};     ///< the part of the screen where targets are placed
  int shots = 5;        ///< 2, 3, 4, 5 or 9
  bool test = true;     ///< starts with a pointing test
  bool sweeps = false;  ///< for a positional gun: sweeps each axis instead of shooting
  bool keeps = true;    ///< false: ends after the last shot, without asking whether to save
  std::string unit{};   ///< the gun to calibrate; empty: the first gun fired
};

/// What the user is asked to do.
enum class AimingStep : std::uint8_t {
  who,     ///< fire the gun to calibrate, if there are several
  steady,  ///< aim at the centre and hold still
  around,  ///< move along the edges to all corners
  shot,    ///< aim at the target
  across,  ///< for a positional gun: turn it from left to right
  down,    ///< for a positional gun: turn it from top to bottom
  done,    ///< pull to save
};

/// Why a shot was rejected.
enum class AimingRefusal : std::uint8_t {
  none,
  silent,     ///< the gun has not reported a position
  missed,     ///< the gun did not see the screen
  other_gun,  ///< another gun was fired: `unit`
  moving,     ///< the gun was moving
  bad_shot,   ///< shot `number` is far off; there is a fit
  doubtful,   ///< one shot is far off, and an additional shot may show which; there is a fit
  equal,      ///< the shot has the same raw values as one at another target
  in_line,    ///< all shots are on one line: restarts with the first
  cramped,    ///< all shots are nearly equal: restarts with the first
  no_sense,   ///< the shots fit no screen: restarts with the first
  wobble,     ///< the other axis moved as well
  not_swept,  ///< it hardly moved
  same_axis,  ///< up and down moved the same axis as left and right
};

/// An event of a gun calibration.
struct AimingEvent {
  enum class Kind : std::uint8_t {
    asks,     ///< asks for `step`; for a shot, with its `number`
    rejects,  ///< rejected, see `why`
    tested,   ///< the results of the pointing test are in `notes`, one sentence each
    accepts,  ///< a shot was accepted; warnings are in `notes`
    fits,     ///< all shots are complete; see `Aiming::fit`
    ends,
  };
  Kind kind = Kind::asks;
  AimingStep step = AimingStep::who;
  int number = 0;
  AimingRefusal why = AimingRefusal::none;
  std::string unit{};
  std::vector<std::string> notes{};
};

/// Choices available at any time.
enum class AimingChoice : std::uint8_t {
  skip,   ///< skips the pointing test
  again,  ///< restarts with the first shot
  keep,   ///< ends and saves the fit; no effect without a fit
  leave,  ///< ends without saving
};

/// A guide that calibrates a gun. Must be used from one thread. Allocates.
class Aiming {
 public:
  explicit Aiming(AimingOptions options);
  ~Aiming();
  Aiming(Aiming&&) noexcept;
  Aiming& operator=(Aiming&&) noexcept;

  /// Adds a node of a unit with its declared ranges, or adds it again after `lose`.
  void meet(int node, const std::string& unit, const Attachment& attachment);
  void lose(int node);
  void feed(int node, const Report& report);
  void advance(Time now);
  [[nodiscard]] std::optional<Time> next_due() const;
  [[nodiscard]] std::optional<AimingEvent> next_event();
  void choose(AimingChoice choice);

  [[nodiscard]] AimingStep step() const noexcept;
  /// The number of the current shot, from 1, and the count of shots.
  [[nodiscard]] int number() const noexcept;
  [[nodiscard]] int count() const noexcept;
  /// The position to aim at on the screen, or nothing.
  [[nodiscard]] std::optional<AreaPoint> target() const noexcept;
  /// The gun being calibrated; empty if unknown.
  [[nodiscard]] const std::string& unit() const noexcept;
  /// All connected guns.
  [[nodiscard]] std::vector<std::string> guns() const;
  [[nodiscard]] const std::vector<Shot>& shots() const noexcept;
  /// The fit, once every target was shot at. It can be saved from then on.
  [[nodiscard]] const std::optional<GunFit>& fit() const noexcept;
  /// The current position on the screen according to the fit, or nothing without a fit.
  [[nodiscard]] std::optional<AreaPoint> pointed() const noexcept;
  [[nodiscard]] const AimingOptions& options() const noexcept;
  /// Returns the calibration, without unit name and date.
  [[nodiscard]] Calibration found() const;
  [[nodiscard]] bool over() const noexcept;
  [[nodiscard]] bool kept() const noexcept;

 private:
  class Impl;
  std::unique_ptr<Impl> impl_;
};

/// Returns a line for the user, or an empty string if the event needs none.
[[nodiscard]] std::string to_text(const AimingEvent& event, const Aiming& aiming);
/// Returns a sentence with the error bound and the scatter of a fit with at least five shots.
[[nodiscard]] std::string bound_text(const GunFit& fit, const Screen& screen);
/// Returns a summary of a fit, one sentence each: the model, the error in pixels, and its bound.
[[nodiscard]] std::vector<std::string> fit_text(const GunFit& fit, const Screen& screen);

}  // namespace omnipar::inline abi_0
