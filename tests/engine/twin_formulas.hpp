// The slow twin's formulas: those of docs/files.md ("Stages"), docs/analog.md, docs/aim.md and the public headers,
// implemented again with the C library's functions and other methods of solution. Engine and twin share no code, so
// that a result on which both agree is the documented one.
#pragma once

#include <optional>
#include <string_view>

#include "omnipar/attachment.hpp"
#include "omnipar/screen.hpp"

namespace omnipar::test::formulas {

struct Place {
  double x = 0, y = 0;
};

[[nodiscard]] double cosine(double degrees);  ///< exact for quarters, like `sine`
[[nodiscard]] double sine(double degrees);
[[nodiscard]] double power(double base, double exponent);

/// Maps a push of this length through the points (1/4, `quarter`), (1/2, `half`), (3/4, `three_quarters`).
[[nodiscard]] double through_points(double length, double quarter, double half, double three_quarters);

/// The default dead zone of a control, by its calibration.
[[nodiscard]] double dead_zone(const Attachment& attachment, const Control& control, double usual);

/// The deflection of an axis with a measured response; nothing without marks.
[[nodiscard]] std::optional<double> by_marks(const Attachment& attachment, const Control& control, double raw);

/// The position of a calibrated stick; nothing unless it has an edge.
[[nodiscard]] std::optional<Place> by_edge(const Attachment& attachment, const StickCalibration& stick, Place raw);

/// The fit of a gun for this screen.
[[nodiscard]] const AimCalibration* fit_for(const Attachment& attachment, Code x, std::string_view screen);

/// The point on the screen, 0..1, at which a gun with this fit aims; nothing if it is behind the viewer.
[[nodiscard]] std::optional<Place> on_screen(const AimCalibration& fit, Place raw);

/// The same point in the game, -1..1 along each axis.
[[nodiscard]] Place in_game(const GameArea& game, Place on_screen);

}  // namespace omnipar::test::formulas
