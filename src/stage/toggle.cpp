#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"toggle", Measure::flag, "a press turns it on, the next press turns it off"},
};

Gated step(const Constants&, GateState is, Cause, std::int64_t) noexcept {
  return {is.in ? !is.out : is.out, Gated::never};
}

}  // namespace

/// When everything returns to rest, a toggle that is on turns off.
constinit const Kind toggle{.name = "toggle",
                            .about = "A press turns it on, the next press turns it off.",
                            .formula = "changes each time its input turns on",
                            .in = Flow::contact,
                            .out = Flow::contact,
                            .fields = fields,
                            .acts = [](const Values& values) noexcept { return values[0] != 0; },
                            .words = [](const Values&) { return std::string{"toggle"}; },
                            .prepare = [](const Values&, RoleKind) { return Constants{}; },
                            .step = step};

}  // namespace omnipar::inline abi_0::stage
