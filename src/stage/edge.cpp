#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double widest_margin = 0.25, farthest = 0.5;
constexpr Field fields[] = {
    {"edge-margin", Measure::number,
     "how far off-screen a gun still counts as on the edge, as a fraction of the game area", 0, widest_margin},
    {"beyond", Measure::number,
     "how far off-screen a stick, mouse or d-pad can move the pointer; 0: it stops at the "
     "edge",
     0, farthest},
};

std::string words(const Values& values) {
  std::string all;
  if (values[0] > 0) all = fmt::format("edge margin {:g}", values[0]);
  if (values[1] > 0) all += fmt::format("{}up to {:g} beyond the edge", all.empty() ? "" : ", ", values[1]);
  return all;
}

}  // namespace

constinit const Kind edge{
    .name = "edge",
    .about = "Sets the behaviour of a pointer at the edges of the game area.",
    .formula = "a gun is off-screen beyond `edge-margin`; other sources move a pointer at most `beyond` outside",
    .in = Flow::pointer,
    .out = Flow::pointer,
    .fields = fields,
    .acts = [](const Values& values) noexcept { return values[0] > 0 || values[1] > 0; },
    .words = words,
    .prepare =
        [](const Values& values, RoleKind) {
          return Constants{.numbers = {values[0], values[1]}, .time = 0};
        },
    .of_aims = true};

}  // namespace omnipar::inline abi_0::stage
