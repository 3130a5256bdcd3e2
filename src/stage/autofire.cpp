#include <fmt/format.h>

#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double slowest = 0.1;
constexpr Field fields[] = {
    {"autofire", Measure::number, "presses per second while held; 0: off", 0, 100},
};

/// time: half of a press and its pause.
Constants prepare(const Values& values, RoleKind) {
  constexpr double half_a_second = 500'000;
  return {.numbers = {}, .time = static_cast<std::int64_t>(half_a_second / values[0])};
}

//   idle --in turns on--> on --half a period--> off --half a period--> on;  --in turns off--> idle
Gated step(const Constants& constants, GateState is, Cause cause, std::int64_t now) noexcept {
  if (!is.in) return {false, Gated::never};
  return {cause == Cause::input || !is.out, now + constants.time};
}

}  // namespace

constinit const Kind autofire{
    .name = "autofire",
    .about = "Repeats a press while the control is held, with equal on and off times.",
    .formula = "on immediately, then off and on alternately, each for floor(500,000 / `autofire`) us",
    .in = Flow::contact,
    .out = Flow::contact,
    .fields = fields,
    .conflict =
        [](const Values& values) noexcept {
          return std::string_view{values[0] > 0 && values[0] < slowest ? "0, or 0.1 to 100 presses per second" : ""};
        },
    .acts = [](const Values& values) noexcept { return values[0] > 0; },
    .words = [](const Values& values) { return fmt::format("autofire, {:g} presses per second", values[0]); },
    .prepare = prepare,
    .step = step,
    .pulses = true};

}  // namespace omnipar::inline abi_0::stage
