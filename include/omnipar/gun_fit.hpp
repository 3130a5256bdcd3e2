// Gun fits: from shots at known targets to positions on the screen. The formulas are in docs/aim.md.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/calibration.hpp"
#include "omnipar/screen.hpp"
#include "omnipar/time.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

/// The distance of targets from the edges, as a fraction of the screen.
inline constexpr double target_inset = 0.1;

/// Returns the targets for 2, 3, 4, 5 or 9 shots, in order, as positions on the screen. Empty for other numbers.
[[nodiscard]] std::vector<AreaPoint> targets_for(int shots);

/// A shot: the reports of the gun before the trigger was pulled.
struct Shot {
  AreaPoint target;
  RawPoint raw;         ///< the mean position, for each axis
  RawPoint spread;      ///< the standard deviation of a reading, for each axis
  int reports = 0;      ///< the number of reports used, including the last one before the time
  Duration taken{0};    ///< the time covered
  bool missed = false;  ///< the gun did not see the screen; not used for fits
  RawPoint step{1, 1};  ///< the smallest difference between two readings, for each axis
  RawPoint moved{};     ///< movement during the time, for each axis; 0 if within its noise
};

/// Why shots cannot be fitted.
enum class ShotRefusal : std::uint8_t {
  none,
  too_few,   ///< fewer than two
  equal,     ///< the two shots in `shots` at different targets have the same raw values
  in_line,   ///< all are on one line, or two differ in only one axis
  cramped,   ///< their distances are as small as the gun's resolution or noise
  no_sense,  ///< they fit no screen
};
struct ShotFault {
  ShotRefusal why = ShotRefusal::none;
  std::vector<std::size_t> shots{};
};

/// The result of a gun fit. Errors are fractions of the screen's width on both axes.
struct GunFit {
  AimCalibration aim;                     ///< without screen, codes, declared ranges and date
  std::vector<AreaPoint> off{};           ///< the error of each shot, in widths on both axes
  bool error_known = false;               ///< true with at least five shots
  double scatter = 0;                     ///< the estimated standard deviation of a shot, for each axis; 0: unknown
  std::optional<std::size_t> bad_shot{};  ///< this shot is far off
  bool doubtful = false;                  ///< one shot is far off, but it is unknown which
};

/// Fits the map from raw values to the screen by least squares, with as many parameters as the shots allow; from four
/// shots on, it is projective.
///
/// From five shots on, the scatter of shots is estimated from the residuals. The error bound follows from the scatter
/// and from the gun's noise and resolution. A shot that deviates more than the scatter explains is reported: with five
/// shots, only its existence (`doubtful`); from six on, the shot itself if it alone explains the residuals. The fit
/// remains usable, with a wider bound.
///
/// `over` is the part of the screen for which the bound holds. Takes about a millisecond.
[[nodiscard]] tl::expected<GunFit, ShotFault> fit_gun(const std::vector<Shot>& shots, PixelSize screen,
                                                      const AreaBox& over = {});

/// Returns the additional target, at the middle of an edge, that best shows which of five shots is far off.
[[nodiscard]] AreaPoint extra_target(const std::vector<Shot>& shots, PixelSize screen);

/// Returns the position on the screen for raw values, or nothing if it is behind the gun.
[[nodiscard]] std::optional<AreaPoint> aimed(const AimCalibration& aim, RawPoint raw) noexcept;

/// The area that a gun's range covers.
enum class GunRange : std::uint8_t {
  whole_screen,  ///< the whole screen
  game_area,     ///< the game's area
  other,
};
[[nodiscard]] GunRange range_of(const AimCalibration& aim, PixelSize screen, const GameArea& area) noexcept;

/// The probable cause of shots that miss their targets.
enum class AimMistake : std::uint8_t {
  none,              ///< no error above 2 % of the width
  area_is_missing,   ///< the game's area is missing in the profile
  area_is_too_much,  ///< the profile has an area, but the game fills the screen
  wrong_area,        ///< the profile has another area
  beside,            ///< all shots are off by the same distance and direction
  x_reversed,
  y_reversed,
  beside_in_wrong_area,  ///< another area, and a common offset
  other,
};
/// Returns the probable cause of errors. `aimed_at` and `landed` are at least two shots that differ on both axes: the
/// positions aimed at, and those shown by the game. `really` is the game's actual area, `taken` the assumed one.
[[nodiscard]] AimMistake mistake_of(const std::vector<AreaPoint>& aimed_at, const std::vector<AreaPoint>& landed,
                                    PixelSize screen, const GameArea& really, const GameArea& taken) noexcept;

}  // namespace omnipar::inline abi_0
