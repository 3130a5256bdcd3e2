#include "play/gathering.hpp"

#include <algorithm>

namespace omnipar::play {

std::string name_of(const Description& unit, const std::string& part) {
  return own_name(unit) + (part.empty() ? "" : ", " + part);
}

std::optional<Member> Gathering::find(int node) const {
  if (!is_grouped_) group();
  const auto at = members_.find(node);
  return at == members_.end() ? std::nullopt : std::optional{at->second};
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

}  // namespace omnipar::play
