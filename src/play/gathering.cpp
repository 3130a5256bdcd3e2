#include "play/gathering.hpp"

#include <algorithm>

#include <fmt/format.h>

namespace omnipar::inline abi_0::play {

std::string name_of(const Description& unit, const std::string& part) {
  return own_name(unit) + (part.empty() ? "" : ", " + part);
}

std::string name_with_socket(const std::string& name, const Description& unit) {
  const std::string& place = unit.socket.empty() ? unit.node : unit.socket;
  return place.empty() ? name : fmt::format("{} ({})", name, printable(place));
}

bool has_double(std::span<const Description> nodes, const UnitNodes& unit) {
  const Description& main = nodes[unit.main()];
  const auto is_alike = [&main](const Description& node) {
    return node.vendor == main.vendor && node.product == main.product && node.name == main.name;
  };
  const auto its_own = std::ranges::count_if(unit.nodes, [&](std::size_t i) { return is_alike(nodes[i]); });
  return std::ranges::count_if(nodes, is_alike) > its_own;
}

std::optional<Member> Gathering::find(int node) const {
  if (!is_grouped_) group();
  const auto at = members_.find(node);
  return at == members_.end() ? std::nullopt : std::optional{at->second};
}

std::string Gathering::name_among_all(const Description& unit, const std::string& part) const {
  if (!is_grouped_) group();
  const std::string name = name_of(unit, part);
  const bool is_shared = std::ranges::any_of(members_, [&](const auto& entry) {
    const Member& member = entry.second;
    return member.unit.node != unit.node && own_name(member.unit) == own_name(unit);
  });
  return is_shared ? name_with_socket(name, unit) : name;
}

void Gathering::group() const {
  is_grouped_ = true;
  members_.clear();
  std::vector<int> numbers;
  std::vector<Description> descriptions;
  for (const auto& [number, description] : nodes_) {
    numbers.push_back(number);
    descriptions.push_back(description);
  }
  for (const UnitNodes& unit : group_nodes(descriptions)) {
    for (const std::size_t i : unit.nodes) {
      Member member{descriptions[unit.main()], descriptions[i], i == unit.main()};
      member.unit.half = unit.half;
      members_.emplace(numbers[i], std::move(member));
    }
  }
}

}  // namespace omnipar::inline abi_0::play
