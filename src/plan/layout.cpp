// Where everything lies in the flat block of state.
#include "plan/plan_data.hpp"

namespace omnipar {
namespace {

/// Takes room for `count` values of T at the end, on an 8-byte border, and returns where it begins.
template <typename T>
std::size_t take(std::size_t& size, std::size_t count) noexcept {
  constexpr std::size_t border = 8;
  const std::size_t at = size;
  size = (size + count * sizeof(T) + border - 1) / border * border;
  return at;
}

}  // namespace

StateLayout layout_of(const PlanData& plan) noexcept {
  constexpr std::size_t head = 64;
  constexpr std::size_t words = max_buttons / 64;
  StateLayout layout;
  std::size_t size = head;
  layout.level = take<double>(size, plan.targets.size());
  layout.presses = take<std::uint32_t>(size, plan.targets.size());
  layout.holders = take<std::uint16_t>(size, plan.signals.size());
  layout.lanes = take<double>(size, std::size_t{2} * plan.lanes);
  layout.live = take<std::uint16_t>(size, plan.groups.size());
  layout.raw = take<std::int32_t>(size, max_units * max_axes);
  layout.known = take<std::uint32_t>(size, max_units);
  layout.down = take<std::uint64_t>(size, max_units * words);
  layout.counted = take<std::uint64_t>(size, max_units * words);
  layout.over = take<std::uint8_t>(size, max_units * plan.crossings);
  layout.over_counted = take<std::uint8_t>(size, max_units * plan.crossings);
  layout.deadline = take<std::int64_t>(size, plan.timers.size());
  layout.out_held = take<std::uint8_t>(size, plan.timers.size());
  layout.heap = take<Index>(size, plan.timers.size());
  layout.heap_place = take<Index>(size, plan.timers.size());
  layout.position = take<std::int64_t>(size, 2 * plan.digitals.size());
  layout.moving = take<std::uint8_t>(size, plan.digitals.size());
  layout.journal = take<Index>(size, journal_length);
  layout.size = size;
  return layout;
}

}  // namespace omnipar
