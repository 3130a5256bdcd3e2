#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"debounce", Measure::milliseconds, "milliseconds after a change in which others are not believed", 0, 60e6},
};

//   idle --in changes--> out follows, deaf
//   deaf --deadline, in = out--> idle;  --deadline, in != out--> out follows, deaf
Gated step(const Constants& constants, GateState is, Cause cause, std::int64_t now) noexcept {
  if (cause == Cause::input && is.waits) return {is.out, Gated::as_before};
  return {is.in, is.in != is.out ? now + constants.time : Gated::never};
}

}  // namespace

constinit const Kind debounce{.name = "debounce",
                              .about = "Believes a change at once, and others only after a while.",
                              .formula =
                                  "a change counts at once, then none for so long; the state at the end of that time "
                                  "counts. The opposite direction of the same stick or hat ends it early",
                              .in = Flow::contact,
                              .out = Flow::contact,
                              .fields = fields,
                              .acts = [](const Values& values) noexcept { return values[0] > 0; },
                              .words = [](const Values& values) { return "debounced for " + time_words(values[0]); },
                              .prepare = for_a_time,
                              .step = step,
                              .opposite_ends_it = true};

}  // namespace omnipar::inline abi_0::stage
