#include "play/gathering.hpp"

#include <algorithm>

namespace omnipar::play {

std::string name_of(const Description& unit, const std::string& part) {
  return own_name(unit) + (part.empty() ? "" : ", " + part);
}

std::optional<Member> Gathering::find(int node) const {
  std::vector<int> numbers;
  std::vector<Description> descriptions;
  for (const auto& [number, description] : nodes_) {
    numbers.push_back(number);
    descriptions.push_back(description);
  }
  for (const UnitNodes& unit : group_nodes(descriptions)) {
    const auto at = std::ranges::find(unit.nodes, node, [&](std::size_t i) { return numbers[i]; });
    if (at == unit.nodes.end()) continue;
    Member member{descriptions[unit.main()], descriptions[*at], *at == unit.main()};
    member.unit.half = unit.half;
    return member;
  }
  return std::nullopt;
}

}  // namespace omnipar::play
