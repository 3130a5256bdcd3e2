#include "stage/table.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr std::string_view words[] = {"both", "neutral", "last"};
constexpr Field fields[] = {
    {.name = "opposites",
     .measure = Measure::word,
     .about = "how opposite directions held together are resolved; default: both arrive",
     .high = std::size(words) - 1,
     .words = words},
};

/// numbers: 1 if the last one wins.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = values[0] == 2 ? 1 : 0;
  return constants;
}

/// Opposite directions are adjacent. A direction that arrives together with its opposite counts as second.
Directions settle(const Constants& constants, Directions before, std::uint8_t on) noexcept {
  unsigned arrive = 0;
  unsigned second_was_last = before.arrive >> 4;
  for (unsigned pair = 0; pair < 2; ++pair) {
    const unsigned both = on >> (2 * pair) & 3U;
    const unsigned came = both & ~(before.on >> (2 * pair) & 3U);
    if (came == 1) second_was_last &= ~(1U << pair);
    if (came >= 2) second_was_last |= 1U << pair;
    const unsigned last = (second_was_last >> pair & 1) != 0 ? 2 : 1;
    const unsigned of_both = constants.numbers[0] != 0 ? last : 0;
    arrive |= (both == 3 ? of_both : both) << (2 * pair);
  }
  return {on, static_cast<std::uint8_t>(second_was_last << 4 | arrive)};
}

}  // namespace

constinit const Kind opposites{
    .name = "opposites",
    .about = "Resolves two opposite directions held together: neither arrives, or only the last.",
    .formula =
        "applied after all presses of a report; `neutral`: neither; `last`: the one pressed last, or right or down if "
        "one report has both",
    .in = Flow::contact,
    .out = Flow::contact,
    .home = Home::directions,
    .fields = fields,
    .acts = [](const Values& values) noexcept { return values[0] != 0; },
    .words = [](const Values& values) -> std::string {
      return values[0] == 2 ? "opposites: last" : "opposites: neither";
    },
    .prepare = prepare,
    .settle = settle};

}  // namespace omnipar::inline abi_0::stage
