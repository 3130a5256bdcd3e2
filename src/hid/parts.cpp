// Divides a descriptor into parts.
#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "hid/pages.hpp"
#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {
namespace {

using Indices = std::vector<std::size_t>;

constexpr std::size_t most_parts = 16;

class Parting {
 public:
  Parting(const Descriptor& descriptor, std::span<const ReportControl> controls)
      : descriptor_(descriptor), controls_(controls) {}

  std::vector<Part> run() {
    const Indices played = played_on(descriptor_, controls_);
    const auto by_application =
        grouped(played, [this](std::size_t c) { return descriptor_.application_of(field(c).collection); });
    if (auto parts = players_among(by_application, {}); !parts.empty()) return parts;
    if (auto parts = by_collection(played); !parts.empty()) return parts;
    if (auto parts = by_report(played); !parts.empty()) return parts;
    return by_usage(played);
  }

 private:
  const Field& field(std::size_t c) const { return descriptor_.fields[controls_[c].field]; }

  template <typename KeyOf>
  static std::map<int, Indices> grouped(const Indices& indices, KeyOf key_of) {
    std::map<int, Indices> groups;
    for (const std::size_t index : indices) groups[key_of(index)].push_back(index);
    return groups;
  }

  std::set<Usage> usages_of(const Indices& indices) const {
    std::set<Usage> usages;
    for (const std::size_t index : indices) usages.insert(controls_[index].usage);
    return usages;
  }

  /// Similar groups are players; the rest is shared.
  static std::vector<Part> named(const std::map<int, Indices>& players, const Indices& own) {
    std::vector<Part> parts;
    for (const auto& [key, indices] : players) parts.push_back({fmt::format("player-{}", parts.size() + 1), indices});
    if (!own.empty()) parts.push_back({std::string{own_part}, own});
    return parts;
  }

  /// No adapter has more players than this: more repetitions mean something else.
  static bool is_likely(std::size_t players) { return players >= 2 && players <= most_parts; }

  /// The players among groups: those that share a usage with another one.
  std::vector<Part> players_among(const std::map<int, Indices>& groups, Indices own) const {
    std::map<Usage, int> times;  // the number of groups that have it
    for (const auto& [key, indices] : groups)
      for (const Usage usage : usages_of(indices)) ++times[usage];
    std::map<int, Indices> players;
    for (const auto& [key, indices] : groups) {
      if (std::ranges::any_of(indices, [&](std::size_t index) { return times[controls_[index].usage] > 1; }))
        players[key] = indices;
      else
        own.insert(own.end(), indices.begin(), indices.end());
    }
    if (!is_likely(players.size())) return {};
    std::ranges::sort(own);
    return named(players, own);
  }

  /// Sibling collections, the outermost that are similar.
  std::vector<Part> by_collection(const Indices& played) const {
    std::set<int> parents;
    for (const std::size_t index : played)
      for (int at = field(index).collection; at >= 0; at = parent_of(at)) parents.insert(at);
    for (const int parent : parents) {  // the outer ones have the lower numbers
      Indices own;
      std::map<int, Indices> children;
      for (const std::size_t index : played) {
        const int child = child_towards(field(index).collection, parent);
        if (child < 0)
          own.push_back(index);
        else
          children[child].push_back(index);
      }
      if (auto parts = players_among(children, own); !parts.empty()) return parts;
    }
    return {};
  }

  int parent_of(int collection) const { return descriptor_.collections[static_cast<std::size_t>(collection)].parent; }

  /// The direct child of `parent` that contains `inner`; -1 if there is none.
  int child_towards(int inner, int parent) const {
    while (inner >= 0 && parent_of(inner) != parent) inner = parent_of(inner);
    return inner;
  }

  std::vector<Part> by_report(const Indices& played) const {
    return players_among(grouped(played, [this](std::size_t c) { return int{field(c).report}; }), {});
  }

  /// The first X belongs to the first player, the second X to the second; a usage that occurs once is shared.
  std::vector<Part> by_usage(const Indices& played) const {
    std::map<std::pair<int, Usage>, int> times;
    for (const std::size_t index : played) ++times[{static_cast<int>(half(index)), controls_[index].usage}];
    Indices own;
    std::map<int, Indices> players;
    for (const std::size_t index : played) {
      if (times[{static_cast<int>(half(index)), controls_[index].usage}] < 2) {
        own.push_back(index);
        continue;
      }
      players[controls_[index].nth].push_back(index);
    }
    // Two hats or two sliders on one pad are not a second player; a second X or a second set of buttons is.
    const bool has_second = std::ranges::any_of(played, [this](std::size_t index) {
      const Usage usage = controls_[index].usage;
      return controls_[index].nth > 1 && (usage == Usage{page::desktop, 0x30} || usage.page == page::button);
    });
    if (!is_likely(players.size()) || !has_second) return {};
    return named(players, own);
  }

  Kind half(std::size_t index) const {
    const Kind kind = controls_[index].kind;
    return kind == Kind::hat_y ? Kind::hat_y : Kind::value;
  }

  const Descriptor& descriptor_;
  std::span<const ReportControl> controls_;
};

}  // namespace

std::vector<std::size_t> played_on(const Descriptor& descriptor, std::span<const ReportControl> controls) {
  Indices played;
  for (std::size_t c = 0; c < controls.size(); ++c) {
    if (controls[c].kind == Kind::opaque) continue;
    const int application = descriptor.application_of(descriptor.fields[controls[c].field].collection);
    if (application >= 0 && is_played_on(descriptor.collections[static_cast<std::size_t>(application)].usage))
      played.push_back(c);
  }
  return played;
}

std::vector<Part> parts_of(const Descriptor& descriptor, std::span<const ReportControl> controls) {
  return Parting{descriptor, controls}.run();
}

}  // namespace omnipar::inline abi_0::hid
