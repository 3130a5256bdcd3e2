#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double usual_counts(std::string_view, const Values&) noexcept { return 1000; }
constexpr Field fields[] = {
    {"counts-across", Measure::number, "the number of mouse counts from edge to edge", 10, 100'000, usual_counts},
};

/// time: the distance per count, in 1/2^48 of the game area. numbers: the counts for the whole area; more
/// at once go no further.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = values[0];
  constants.time = to_fixed(1 / values[0]);
  return constants;
}

bool travel(const Constants& constants, FixedPoint& place, shape::Point counts, unsigned) noexcept {
  const auto way = [&constants](double moved) {
    const double most = constants.numbers[0];
    return static_cast<std::int64_t>(moved > most ? most : moved < -most ? -most : moved) * constants.time;
  };
  place.x += way(counts.x);
  place.y += way(counts.y);
  return true;
}

}  // namespace

constinit const Kind drag{
    .name = "drag",
    .about = "Moves a pointer by mouse counts. It stays in place afterwards.",
    .formula = "a count moves it by 1 / `counts-across` of the game area, one report by at most the whole area",
    .in = Flow::counts,
    .out = Flow::pointer,
    .fields = fields,
    .acts = [](const Values&) noexcept { return true; },
    .words = [](const Values& values) { return fmt::format("{:g} counts across", values[0]); },
    .prepare = prepare,
    .travel = travel};

}  // namespace omnipar::inline abi_0::stage
