#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"long-press", Measure::milliseconds, "milliseconds for which it must be held", 0, 60e6},
};

//   idle --in turns on--> armed --deadline--> out on;  armed or out on --in turns off--> idle, out off
Gated step(const Constants& constants, GateState is, Cause cause, std::int64_t now) noexcept {
  if (cause == Cause::deadline) return {is.in, Gated::never};
  return is.in ? Gated{is.out, now + constants.time} : Gated{false, Gated::never};
}

}  // namespace

constinit const Kind long_press{.name = "long press",
                                .about = "Counts as pressed after it has been held for a while.",
                                .formula = "on after its input has been on for that time; off immediately",
                                .in = Flow::contact,
                                .out = Flow::contact,
                                .fields = fields,
                                .acts = [](const Values& values) noexcept { return values[0] > 0; },
                                .words = [](const Values& values) { return "held for " + time_words(values[0]); },
                                .prepare = for_a_time,
                                .step = step};

}  // namespace omnipar::inline abi_0::stage
