#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"hold-aim", Measure::milliseconds,
     "milliseconds for which a gun's aim is held after a trigger pull, while the screen flashes", 0, 1e6},
};

}  // namespace

constinit const Kind hold_aim{
    .name = "hold aim",
    .about = "Holds a gun's aim after a trigger pull, while the screen flashes.",
    .formula = "after a pull, the pointer stays where the report of the pull had it; each pull restarts the time",
    .in = Flow::pointer,
    .out = Flow::pointer,
    .fields = fields,
    .acts = [](const Values& values) noexcept { return values[0] > 0; },
    .words = [](const Values& values) { return "aim held for " + time_words(values[0]); },
    .prepare = for_a_time,
    .of_aims = true};

}  // namespace omnipar::inline abi_0::stage
