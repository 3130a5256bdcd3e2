// From shots at known targets to where a gun points: pure fits. The models with their formulas are in docs/aim.md.
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

/// How far inside the edges targets are: a part of the screen each way.
inline constexpr double target_inset = 0.1;

/// Where to shoot, in order, for 2, 3, 4, 5 or 9 shots: places of the screen. Empty for any other number.
[[nodiscard]] std::vector<AreaPoint> targets_for(int shots);

/// One shot: what the gun reported before the trigger was pulled.
struct Shot {
  AreaPoint target;
  RawPoint raw;         ///< where it pointed: a mean over time, each way
  RawPoint spread;      ///< the standard deviation of a single reading, each way
  int reports = 0;      ///< that were used; what was reported last before the time began counts as one
  Duration taken{0};    ///< the time over which it was read
  bool missed = false;  ///< the gun did not see the screen: not for a fit
  RawPoint step{1, 1};  ///< the smallest difference between two readings of the gun, each way
  RawPoint moved{};     ///< how far it moved during that time, each way; 0 if it is within its noise
};

/// Why shots cannot be fitted.
enum class ShotRefusal : std::uint8_t {
  none,
  too_few,   ///< fewer than two
  equal,     ///< two shots at different targets have the same raw numbers: `shots`
  in_line,   ///< all are in one line, or two differ one way only
  cramped,   ///< all are so near to each other that the gun's steps or its noise are as large as the way between them
  no_sense,  ///< no view of a screen looks like this
};
struct ShotFault {
  ShotRefusal why = ShotRefusal::none;
  std::vector<std::size_t> shots{};
};

/// Errors are parts of the screen's width, to the right and downwards alike.
struct GunFit {
  AimCalibration aim;            ///< without screen, codes, declared ranges and day
  std::vector<AreaPoint> off{};  ///< by shot: how far beside its target it is fitted; down counts in widths, too
  bool error_known = false;      ///< from five shots on
  double scatter = 0;            ///< the estimated standard deviation of a shot, each way; 0: not known
  std::optional<std::size_t> bad_shot{};  ///< this one went wild
  bool doubtful = false;                  ///< one of them went wild, and it is not known which
};

/// Fits the map from raw numbers to the screen: least squares, with as much freedom as the shots allow. From four shots
/// on it is projective. From five on the scatter of the person's shots is estimated from what the fit leaves over, and
/// the bound follows from that and from the gun's own noise and steps. A shot that stands out against that scatter is
/// found: of five it is not known which (`doubtful`), of six and more it is named where it alone explains the rest. A
/// fit with a bad shot is usable all the same; its bound is the wider for it. `over` is the part of the screen for
/// which the bound holds. Takes about a millisecond.
[[nodiscard]] tl::expected<GunFit, ShotFault> fit_gun(const std::vector<Shot>& shots, PixelSize screen,
                                                      const AreaBox& over = {});

/// The one additional target that tells best which of five shots was bad: at the middle of an edge.
[[nodiscard]] AreaPoint extra_target(const std::vector<Shot>& shots, PixelSize screen);

/// Where a fit says that raw numbers point: a place of the screen. Nothing behind the gun.
[[nodiscard]] std::optional<AreaPoint> aimed(const AimCalibration& aim, RawPoint raw) noexcept;

/// What range a gun itself has: where its own edges are on the screen.
enum class GunRange : std::uint8_t {
  whole_screen,  ///< its edges are the screen's
  game_area,     ///< its edges are the game's
  other,
};
[[nodiscard]] GunRange range_of(const AimCalibration& aim, PixelSize screen, const GameArea& area) noexcept;

/// What shots that landed beside their targets have in common, places of the screen.
enum class AimMistake : std::uint8_t {
  none,              ///< they land where they were aimed, within 2 % of the width
  area_is_missing,   ///< as if the game filled the whole screen: its area is not told
  area_is_too_much,  ///< as if the game were boxed, and it fills the screen
  wrong_area,        ///< as if the game were elsewhere on the screen than it is
  beside,            ///< all are off by the same way
  x_reversed,
  y_reversed,
  beside_in_wrong_area,  ///< both: the game is elsewhere, and all shots are off by the same distance as well
  other,
};
/// At least two shots, which differ both ways: where they were aimed, and where the game shows them. `really` is where
/// the game is, `taken` where it is taken to be.
[[nodiscard]] AimMistake mistake_of(const std::vector<AreaPoint>& aimed_at, const std::vector<AreaPoint>& landed,
                                    PixelSize screen, const GameArea& really, const GameArea& taken) noexcept;

}  // namespace omnipar::inline abi_0
