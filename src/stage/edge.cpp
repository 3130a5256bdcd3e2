#include "stage/table.hpp"

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {
namespace {

constexpr double widest_margin = 0.25, farthest = 0.5;
constexpr Field fields[] = {
    {"edge-margin", Measure::number,
     "a gun that points so far beside the game still counts as on its edge: a part of the game's picture", 0,
     widest_margin},
    {"beyond", Measure::number,
     "so far beside the game a stick, mouse or d-pad may move the pointer, where it is off-screen; 0: it stops at the "
     "edge",
     0, farthest},
};

std::string words(const Values& values) {
  std::string all;
  if (values[0] > 0) all = fmt::format("edge margin {:g}", values[0]);
  if (values[1] > 0) all += fmt::format("{}goes {:g} beyond the edge", all.empty() ? "" : ", ", values[1]);
  return all;
}

}  // namespace

constinit const Kind edge{
    .name = "edge",
    .about = "Says what becomes of a pointer at the edges of the game.",
    .formula =
        "a gun is off the game from `edge-margin` outside it; other sources move a pointer at most `beyond` outside it",
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
