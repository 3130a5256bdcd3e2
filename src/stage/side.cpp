#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"negative", Measure::flag, "a pedal or trigger moves a two-sided axis to the left"},
};

}  // namespace

constinit const Kind side{.name = "side",
                          .about = "Lets a pedal or trigger move a two-sided axis to its negative side.",
                          .formula = "with `negative` x becomes -x",
                          .fields = fields,
                          .acts = [](const Values& values) noexcept { return values[0] != 0; },
                          .words = [](const Values&) { return std::string{"to the left"}; },
                          .prepare = [](const Values&, RoleKind) { return Constants{}; },
                          .move =
                              [](const Constants&, shape::Point point) noexcept {
                                return shape::Point{-point.x, 0};
                              }};

}  // namespace omnipar::inline abi_0::stage
