#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double all(std::string_view, const Values&) noexcept { return 1; }
constexpr Field fields[] = {
    {"range", Measure::number, "the output of a full push, as a fraction of the machine's range", 0.05, 1, all},
};

Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = values[0];
  return constants;
}

}  // namespace

constinit const Kind range{.name = "range",
                           .about = "Limits the output of a full push.",
                           .formula = "the length r becomes `range` r",
                           .fields = fields,
                           .acts = [](const Values& values) noexcept { return values[0] != 1; },
                           .words = [](const Values& values) { return fmt::format("range {:g}", values[0]); },
                           .prepare = prepare,
                           .move = [](const Constants& constants,
                                      shape::Point point) noexcept { return scaled(point, constants.numbers[0]); }};

}  // namespace omnipar::inline abi_0::stage
