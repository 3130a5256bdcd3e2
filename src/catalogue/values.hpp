// Reads plain values from a table that has been checked.
#pragma once

#include <cmath>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include <fmt/format.h>

#include "omnipar/time.hpp"
#include "text/value.hpp"

namespace omnipar::inline abi_0::catalogue {

inline std::string text_in(const text::Value& table, std::string_view name) {
  const text::Value* value = table.find(name);
  return value != nullptr ? value->text : "";
}

inline double number_in(const text::Value& table, std::string_view name, double otherwise) {
  const text::Value* value = table.find(name);
  return value != nullptr ? value->number : otherwise;
}

template <typename Whole>
Whole whole_in(const text::Value& table, std::string_view name, Whole otherwise = 0) {
  const text::Value* value = table.find(name);
  return value != nullptr ? static_cast<Whole>(value->integer) : otherwise;
}

inline std::vector<std::string> names_in(const text::Value& table, std::string_view name) {
  std::vector<std::string> names;
  if (const text::Value* list = table.find(name))
    for (const text::Value& item : list->items) names.push_back(item.text);
  return names;
}

inline Duration milliseconds_in(const text::Value& table, std::string_view name) {
  return Duration{static_cast<std::int64_t>(std::round(number_in(table, name, 0) * 1000))};
}

inline bool flag_in(const text::Value& table, std::string_view name, bool otherwise = false) {
  const text::Value* value = table.find(name);
  return value == nullptr ? otherwise : value->boolean;
}

/// The entries of an optional list.
inline std::span<const text::Value> items_of(const text::Value& table, std::string_view name) {
  const text::Value* list = table.find(name);
  return list != nullptr ? std::span<const text::Value>{list->items} : std::span<const text::Value>{};
}

/// "cabinet.toml:7:1"
inline std::string place_of(const text::Source& source, text::Mark mark) {
  return fmt::format("{}:{}:{}", source.name, mark.line, mark.column);
}

}  // namespace omnipar::inline abi_0::catalogue
