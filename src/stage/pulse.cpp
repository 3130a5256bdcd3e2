#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

/// time: the delay; numbers: the duration of the pulse, in microseconds.
Constants prepare(const Values& values, RoleKind) {
  return {.numbers = {values[1]}, .time = static_cast<std::int64_t>(values[0])};
}

//   idle --in turns on--> waits --deadline--> on --deadline--> idle;  changes of in during that time are ignored
Gated step(const Constants& constants, GateState is, Cause cause, std::int64_t now) noexcept {
  const auto length = static_cast<std::int64_t>(constants.numbers[0]);
  if (cause == Cause::deadline) return is.out ? Gated{false, Gated::never} : Gated{true, now + length};
  if (!is.in || is.out || is.waits) return {is.out, Gated::as_before};
  return constants.time == 0 ? Gated{true, now + length} : Gated{false, now + constants.time};
}

/// time: its duration.
Constants prepare_hold(const Values& values, RoleKind) { return {.time = static_cast<std::int64_t>(values[0])}; }

//   idle --in turns on--> on --deadline--> idle;  on --in turns on again--> on for the full duration again
Gated step_hold(const Constants& constants, GateState is, Cause cause, std::int64_t now) noexcept {
  if (cause == Cause::deadline) return {false, Gated::never};
  return is.in ? Gated{true, now + constants.time} : Gated{is.out, Gated::as_before};
}

}  // namespace

constinit const Kind hold{.name = "hold",
                          .about = "Stays on for a while after the last press.",
                          .in = Flow::contact,
                          .out = Flow::contact,
                          .fields = {},
                          .acts = [](const Values&) noexcept { return true; },
                          .words = [](const Values& values) { return "on for " + time_words(values[0]); },
                          .prepare = prepare_hold,
                          .step = step_hold};

constinit const Kind pulse{.name = "pulse",
                           .about = "Is on for a while, some time after a press.",
                           .in = Flow::contact,
                           .out = Flow::contact,
                           .fields = {},
                           .acts = [](const Values&) noexcept { return true; },
                           .words =
                               [](const Values& values) {
                                 return values[0] > 0 ? fmt::format("after {} on for {}", time_words(values[0]),
                                                                    time_words(values[1]))
                                                      : "on for " + time_words(values[1]);
                               },
                           .prepare = prepare,
                           .step = step};

}  // namespace omnipar::inline abi_0::stage
