#include <algorithm>

#include "omnipar/profile.hpp"

namespace omnipar::inline abi_0 {

void Settings::put(Setting setting) {
  const auto known = std::ranges::find(all_, setting.field, &Setting::field);
  if (known != all_.end())
    *known = std::move(setting);
  else
    all_.push_back(std::move(setting));
}

std::optional<double> Settings::find(std::string_view field) const noexcept {
  for (const Setting& setting : all_)
    if (setting.field == field) return setting.value;
  return std::nullopt;
}

}  // namespace omnipar::inline abi_0
