#include "stage/table.hpp"

#include <algorithm>

#include <fmt/format.h>

namespace omnipar::inline abi_0::stage {

namespace {

std::vector<const Kind*>& kinds() {
  static std::vector<const Kind*> all{
      &mounting, &inversion, &side,           &smoothing, &dead_zone, &axial_dead_zone, &snap,     &ways,       &curve,
      &spline,   &outline,   &anti_dead_zone, &range,     &slew,      &threshold,       &debounce, &long_press, &toggle,
      &autofire, &ramp,      &glide,          &drag,      &edge,      &hold_aim,        &opposites};
  return all;
}

}  // namespace

std::span<const Kind* const> table() noexcept { return kinds(); }

std::span<const Kind* const> of_uses() noexcept {
  const auto all = table();
  return all.first(static_cast<std::size_t>(std::ranges::find(all, Home::directions, &Kind::home) - all.begin()));
}

void add(const Kind& kind, const Kind& behind) { kinds().insert(std::ranges::find(kinds(), &behind) + 1, &kind); }

const Field* field(std::string_view name) noexcept {
  for (const Kind* kind : of_uses())
    for (const Field& field : kind->fields)
      if (field.name == name) return &field;
  return nullptr;
}

std::vector<std::string_view> field_names() {
  std::vector<std::string_view> names;
  for (const Kind* kind : of_uses())
    for (const Field& field : kind->fields) names.push_back(field.name);
  return names;
}

Values values_of(const Kind& kind, const Use& use) {
  Values values{};
  for (std::size_t i = 0; i < kind.fields.size(); ++i)
    values.at(i) = use.settings.find(kind.fields[i].name).value_or(kind.fields[i].otherwise(use.role, values));
  return values;
}

bool is_written(const Kind& kind, const Use& use) noexcept {
  return std::ranges::any_of(kind.fields,
                             [&use](const Field& field) { return use.settings.find(field.name).has_value(); });
}

namespace {

std::string range_of(const Field& field) {
  if (field.measure == Measure::milliseconds)
    return fmt::format("{:g} to {:g} milliseconds", field.low / 1000, field.high / 1000);
  return fmt::format("{:g} to {:g}", field.low, field.high);
}

}  // namespace

std::optional<Wrong> wrong(const Use& use) {
  for (const auto& [name, value, is_time] : use.settings.all()) {
    const Field* known = field(name);
    if (known == nullptr) return Wrong{name, true, ""};
    if (is_time != (known->measure == Measure::milliseconds))
      return Wrong{name, false, is_time ? "a number, not a duration" : "a duration, not a number"};
    if (!(value >= known->low && value <= known->high)) return Wrong{name, false, range_of(*known)};
  }
  for (const Kind* kind : of_uses()) {
    const std::string_view allowed = kind->conflict != nullptr ? kind->conflict(values_of(*kind, use)) : "";
    if (!allowed.empty()) return Wrong{std::string{kind->fields.back().name}, false, std::string{allowed}};
  }
  return std::nullopt;
}

void set(Settings& settings, const Field& field, double value) {
  if (field.measure == Measure::milliseconds)
    settings.set(field.name, Duration{static_cast<std::int64_t>(value)});
  else
    settings.set(field.name, value);
}

std::string time_words(double microseconds) {
  constexpr double second = 1e6;
  const double seconds = microseconds / second;
  return seconds == static_cast<double>(static_cast<std::int64_t>(seconds)) ? fmt::format("{} s", seconds)
                                                                            : fmt::format("{} ms", microseconds / 1000);
}

}  // namespace omnipar::inline abi_0::stage
