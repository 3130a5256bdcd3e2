#include <algorithm>

#include "omnipar/profile.hpp"

namespace omnipar {

void Settings::set(std::string_view field, double value) {
  const auto known =
      std::ranges::find(all_, field, [](const auto& setting) { return std::string_view{setting.first}; });
  if (known != all_.end())
    known->second = value;
  else
    all_.emplace_back(field, value);
}

std::optional<double> Settings::find(std::string_view field) const noexcept {
  for (const auto& [name, value] : all_)
    if (name == field) return value;
  return std::nullopt;
}

}  // namespace omnipar
