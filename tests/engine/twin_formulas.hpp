// What the slow twin computes: the formulas of docs/files.md ("Stages"), docs/analog.md, docs/aim.md and the public
// headers, written out once more with the C library's functions and other ways of solving. The engine knows nothing of
// this, and this knows nothing of the engine, so that what both agree on is what the pages say.
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

/// What becomes of a push of this length on the way through (1/4, `quarter`), (1/2, `half`), (3/4, `three_quarters`).
[[nodiscard]] double through_points(double length, double quarter, double half, double three_quarters);

/// The dead zone of a control of which nothing is said, by what was measured.
[[nodiscard]] double dead_zone(const Attachment& attachment, const Control& control, double usual);

/// How far an axis whose response was measured is pushed; nothing without marks.
[[nodiscard]] std::optional<double> by_marks(const Attachment& attachment, const Control& control, double raw);

/// Where a hand has a stick that was measured; nothing unless it has an edge.
[[nodiscard]] std::optional<Place> by_edge(const Attachment& attachment, const StickCalibration& stick, Place raw);

/// The fit of a gun for this screen.
[[nodiscard]] const AimCalibration* fit_for(const Attachment& attachment, Code x, std::string_view screen);

/// Where on the screen, 0..1, a gun with this fit points; nothing if that is behind whoever looks at it.
[[nodiscard]] std::optional<Place> on_screen(const AimCalibration& fit, Place raw);

/// Where that is in the game, -1..1 each way.
[[nodiscard]] Place in_game(const GameArea& game, Place on_screen);

}  // namespace omnipar::test::formulas
