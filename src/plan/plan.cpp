// The accessors of a plan.
#include <algorithm>

#include <fmt/format.h>

#include "plan/plan_data.hpp"

namespace omnipar::inline abi_0 {

const plan::PlanData& plan::body_of(const Plan& plan) noexcept { return *plan.data_; }

std::string_view Plan::name() const noexcept { return data_->name; }
std::string_view Plan::system() const noexcept { return data_->system; }
std::span<const PortInfo> Plan::ports() const noexcept { return data_->ports; }

const PortInfo* Plan::port(int number) const noexcept {
  // Mostly they are numbered in order, with the hotkeys' last.
  const auto place = static_cast<std::size_t>(number) - 1;
  if (place < data_->ports.size() && data_->ports[place].number == number) return &data_->ports[place];
  const auto at = std::ranges::find(data_->ports, number, &PortInfo::number);
  return at == data_->ports.end() ? nullptr : &*at;
}

std::span<const TargetInfo> Plan::targets() const noexcept { return data_->targets; }

std::optional<TargetIndex> Plan::target(int number, std::string_view name) const noexcept {
  const PortInfo* found = port(number);
  if (found == nullptr) return std::nullopt;
  for (plan::Index i = 0; i < found->target_count; ++i)
    if (const TargetInfo& info = data_->targets[static_cast<std::size_t>(found->first_target) + i]; info.name == name)
      return TargetIndex{i, data_->layouts[static_cast<std::size_t>(found - data_->ports.data())], info.native.rest};
  return std::nullopt;
}

std::span<const std::string> Plan::seats() const noexcept { return data_->seats; }
const std::optional<GameArea>& Plan::area() const noexcept { return data_->area; }
std::string_view Plan::screen() const noexcept { return data_->screen; }
PixelSize Plan::screen_size() const noexcept { return data_->screen_size; }
Duration Plan::frame() const noexcept { return data_->frame; }
std::size_t Plan::state_size() const noexcept { return data_->state_size; }
std::string Plan::listing() const { return data_->listing; }

}  // namespace omnipar::inline abi_0
