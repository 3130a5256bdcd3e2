#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"debounce", Measure::milliseconds, "milliseconds after a change during which further changes are ignored", 0,
     60e6},
};

//   idle --in changes--> out follows, locked
//   locked --deadline, in = out--> idle;  --deadline, in != out--> out follows, locked
Gated step(const Constants& constants, GateState is, Cause cause, std::int64_t now) noexcept {
  if (cause == Cause::input && is.waits) return {is.out, Gated::as_before};
  return {is.in, is.in != is.out ? now + constants.time : Gated::never};
}

}  // namespace

constinit const Kind debounce{
    .name = "debounce",
    .about = "Passes a change immediately, then ignores further changes for a while.",
    .formula =
        "a change passes immediately, then none until the time has passed, after which the current state passes. The "
        "opposite direction of the same stick or hat ends the time early",
    .in = Flow::contact,
    .out = Flow::contact,
    .fields = fields,
    .acts = [](const Values& values) noexcept { return values[0] > 0; },
    .words = [](const Values& values) { return "debounced for " + time_words(values[0]); },
    .prepare = for_a_time,
    .step = step,
    .opposite_ends_it = true};

}  // namespace omnipar::inline abi_0::stage
