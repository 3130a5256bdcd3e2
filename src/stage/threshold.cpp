#include "stage/passing.hpp"
#include "stage/table.hpp"

#include <algorithm>
#include <limits>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double usual_threshold(std::string_view, const Values&) noexcept { return 0.5; }
constexpr double usual_release(std::string_view, const Values& before) noexcept { return std::min(0.4, before[0]); }
constexpr Field fields[] = {
    {"threshold", Measure::number, "the position at which an axis counts as pressed", 0.01, 1, usual_threshold},
    {"release", Measure::number, "the position below which it counts as released; at most the threshold", 0, 1,
     usual_release},
};

/// numbers: the threshold, and the release threshold. At rest it is released, even with a release of 0.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers = {values[0], std::max(values[1], std::numeric_limits<double>::min()), 0};
  return constants;
}

}  // namespace

constinit const Kind threshold{
    .name = "threshold",
    .about = "Turns a position into presses, one for each direction.",
    .formula = "on from `threshold`, off below `release`, and at rest",
    .out = Flow::contact,
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[1] > values[0] ? "0 to the threshold" : ""};
        },
    .acts = [](const Values&) noexcept { return true; },
    .words = [](const Values& values) { return fmt::format("threshold {:.2f}, release {:.2f}", values[0], values[1]); },
    .prepare = prepare,
    .pass = is_passed};

}  // namespace omnipar::inline abi_0::stage
