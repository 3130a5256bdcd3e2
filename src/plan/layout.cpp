// The layout of the flat block of state.
#include "plan/plan_data.hpp"

namespace omnipar::inline abi_0::plan {
namespace {

/// Appends space for `count` values of T, aligned to 8 bytes, and returns its offset.
template <typename T>
std::size_t reserve(std::size_t& size, std::size_t count) noexcept {
  constexpr std::size_t border = 8;
  const std::size_t at = size;
  size = (size + count * sizeof(T) + border - 1) / border * border;
  return at;
}

std::size_t words_for(std::size_t bits) noexcept { return (bits + 63) / 64; }

}  // namespace

StateLayout layout_of(const PlanData& plan) noexcept {
  constexpr std::size_t head = 64;
  constexpr std::size_t words = max_buttons / 64;
  StateLayout layout;
  std::size_t size = head;
  layout.level = reserve<double>(size, plan.targets.size());
  layout.total = reserve<std::int64_t>(size, plan.targets.size());
  layout.presses = reserve<std::uint32_t>(size, plan.targets.size());
  layout.pressed_at = reserve<std::uint32_t>(size, plan.targets.size());
  layout.raised_by = reserve<std::uint16_t>(size, plan.signal_cells);
  layout.lanes = reserve<double>(size, std::size_t{2} * plan.lanes);
  layout.live = reserve<std::uint16_t>(size, plan.groups.size());
  layout.raw = reserve<std::int32_t>(size, max_units * max_axes);
  layout.known = reserve<std::uint32_t>(size, max_units);
  layout.held_over = reserve<std::uint32_t>(size, max_units);
  layout.down = reserve<std::uint64_t>(size, max_units * words);
  layout.raising = reserve<std::uint64_t>(size, max_units * words);
  layout.hotkey_held = reserve<std::uint64_t>(size, max_units * words);
  layout.opposites = reserve<stage::Directions>(size, plan.opposites.size());
  layout.over = reserve<std::uint8_t>(size, max_units * plan.crossings);
  layout.over_raising = reserve<std::uint8_t>(size, max_units * plan.crossings);
  const std::size_t gates = plan.gate_at.size();
  const std::size_t digitals = plan.digitals.size() * max_units;
  layout.deadline = reserve<std::int64_t>(size, gates);
  layout.out_held = reserve<std::uint8_t>(size, gates);
  layout.heap = reserve<Index>(size, gates);
  layout.heap_at = reserve<Index>(size, gates);
  layout.position = reserve<stage::FixedPoint>(size, digitals);
  layout.moving = reserve<std::uint64_t>(size, words_for(movers_of(plan)));
  layout.moving_words = reserve<std::uint64_t>(size, words_for(words_for(movers_of(plan))));
  layout.pointers = reserve<PointerState>(size, plan.pointers.size());
  layout.aims = reserve<AimState>(size, plan.aims);
  layout.trails = reserve<stage::Trail>(size, std::size_t{plan.trails} * max_units);
  layout.reaches = reserve<LearnedRange>(size, max_units * max_axes);
  layout.journal = reserve<Index>(size, journal_length);
  layout.size = size;
  return layout;
}

void lay_out_cells(PlanData& plan) {
  plan.signal_cells = 0;
  for (Signal& signal : plan.signals) {
    signal.first_cell = plan.signal_cells;
    plan.signal_cells = static_cast<Index>(plan.signal_cells + (signal.each_unit ? max_units : 1));
  }
  plan.gate_at.clear();
  for (std::size_t g = 0; g < plan.gates.size(); ++g) {
    Gate& gate = plan.gates[g];
    gate.first_cell = static_cast<Index>(plan.gate_at.size());
    plan.gate_at.insert(plan.gate_at.end(), plan.signals[gate.in].each_unit ? max_units : 1, static_cast<Index>(g));
  }
}

std::uint32_t layout_number(std::span<const TargetInfo> targets) noexcept {
  // FNV-1a (Fowler, Noll, Vo), 32 bits
  std::uint32_t number = 2166136261U;
  const auto add = [&number](std::uint32_t byte) { number = (number ^ (byte & 0xff)) * 16777619U; };
  const auto add_number = [&add](std::int32_t value) {
    for (int shift = 0; shift < 32; shift += 8) add(static_cast<std::uint32_t>(value) >> shift);
  };
  for (const TargetInfo& target : targets) {
    for (const char c : target.name) add(static_cast<unsigned char>(c));
    add(0);
    add(static_cast<std::uint32_t>(target.kind) * 2 + (target.self_centering ? 0 : 1));
    for (const std::int32_t end : {target.native.minimum, target.native.maximum, target.native.rest}) add_number(end);
    if (target.native.step != 1 || target.native.dead_band != 0 || target.corner != 0)
      for (const std::int32_t more :
           {target.native.step, target.native.dead_band, static_cast<std::int32_t>(target.corner * 1'000'000)})
        add_number(more);
  }
  return number == 0 ? 1 : number;
}

}  // namespace omnipar::inline abi_0::plan
