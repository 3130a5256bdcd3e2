// The names of the Linux input interface's codes. Of several names for one code the plainest is used.
#include "base/code_names.hpp"

#include <algorithm>
#include <charconv>
#include <iterator>
#include <span>
#include <unordered_map>

#include "base/code_name_tables.hpp"

namespace omnipar::inline abi_0 {
namespace {

// Other names that the kernel has for the same buttons.
constexpr CodeName other_key_names[] = {{0x130, "BTN_A"}, {0x131, "BTN_B"}, {0x133, "BTN_X"}, {0x134, "BTN_Y"}};

struct TypeNames {
  std::uint16_t type;
  std::string_view word;  // for codes without a name: "key:84"
  std::span<const CodeName> names;
};

constexpr TypeNames types[] = {
    {ev_key, "key", key_names}, {ev_rel, "rel", relative_names}, {ev_abs, "abs", absolute_names}, {ev_hid, "hid", {}}};

const std::unordered_map<std::string_view, Code>& codes_by_name() {
  static const auto codes = [] {
    std::unordered_map<std::string_view, Code> made;
    for (const TypeNames& type : types)
      for (const CodeName& known : type.names) made.emplace(known.name, Code{type.type, known.number});
    for (const CodeName& other : other_key_names) made.emplace(other.name, key(other.number));
    return made;
  }();
  return codes;
}

/// "key:84", the notation for codes without a name.
std::optional<Code> numbered_code(std::string_view name) {
  for (const TypeNames& type : types) {
    if (!name.starts_with(type.word) || name.size() < type.word.size() + 2 || name[type.word.size()] != ':') continue;
    std::uint16_t number = 0;
    const char* const end = name.data() + name.size();
    const auto read = std::from_chars(name.data() + type.word.size() + 1, end, number);
    if (read.ec == std::errc{} && read.ptr == end) return Code{type.type, number};
  }
  return std::nullopt;
}

}  // namespace

std::string base::code_name(Code code) {
  for (const TypeNames& type : types) {
    if (type.type != code.type) continue;
    const auto known = std::ranges::lower_bound(type.names, code.number, {}, &CodeName::number);
    if (known != type.names.end() && known->number == code.number) return std::string{known->name};
    return std::string{type.word} + ":" + std::to_string(code.number);
  }
  return "type" + std::to_string(code.type) + ":" + std::to_string(code.number);
}

std::optional<Code> base::code_of_name(std::string_view name) {
  const auto known = codes_by_name().find(name);
  return known != codes_by_name().end() ? known->second : numbered_code(name);
}

std::vector<std::string_view> base::code_names() {
  std::vector<std::string_view> names;
  for (const auto& [name, code] : codes_by_name()) names.push_back(name);
  std::ranges::sort(names);
  return names;
}

}  // namespace omnipar::inline abi_0
