#include "play/rollcall.hpp"

#include <algorithm>

#include <fmt/format.h>

namespace omnipar::play {
namespace {

/// A bouncing switch must not make anybody leave at once.
constexpr Duration deaf_after_press = std::chrono::milliseconds{300};
constexpr Duration time_to_think = std::chrono::seconds{3};

std::string name_of(const Description& unit, const std::string& part) {
  return printable(unit.name) + (part.empty() ? "" : ", " + part);
}

}  // namespace

RollCall::RollCall(const Catalogue& catalogue, std::vector<std::string> seats,
                   std::function<void(const std::string&)> say)
    : catalogue_(catalogue), seats_(std::move(seats)), say_(std::move(say)) {}

void RollCall::ask() {
  for (const std::string& seat : seats_)
    if (!taken_.contains(seat)) return say_(fmt::format("{}: press any button on your controller.", seat));
  say_("Everybody sits. Whoever is wrong may press once more, to leave the seat.");
}

void RollCall::arrived(int node, const Description& description, Time now) {
  now_ = now;
  if (is_playable(catalogue_, description)) nodes_.emplace(node, description);
}

void RollCall::left(int node, Time now) {
  now_ = now;
  nodes_.erase(node);
}

/// Which unit the node is of, and which of its parts the press is on.
void RollCall::heard(int node, const Report& report) {
  now_ = report.time;
  if (!nodes_.contains(node)) return;
  std::vector<int> numbers;
  std::vector<Description> descriptions;
  for (const auto& [number, description] : nodes_) {
    numbers.push_back(number);
    descriptions.push_back(description);
  }
  for (const UnitNodes& unit : group_nodes(descriptions)) {
    const auto is_it = [&](std::size_t i) { return numbers[i] == node; };
    if (std::ranges::none_of(unit.nodes, is_it)) continue;
    const Description& main = descriptions[unit.main()];
    const Description& own = descriptions[*std::ranges::find_if(unit.nodes, is_it)];
    Description whole = main;
    whole.socket = unit.socket;
    std::vector<std::string> parts;
    if (const UnitSheet* sheet = find_unit_sheet(catalogue_, main))
      for (const PartSheet& part : sheet->parts) parts.push_back(part.name);
    if (parts.empty()) parts.emplace_back();
    std::vector<std::string> pressed;
    for (const std::string& part : parts)
      if (has_press(attach_node(catalogue_, main, own, part), report.changes)) pressed.push_back(part);
    // What several parts share, such as a coin door, says nothing about who presses.
    if (pressed.size() == 1) press(whole, pressed.front(), report.time);
    return;
  }
}

void RollCall::press(const Description& unit, const std::string& part, Time time) {
  const auto before = last_press_.find({unit.node, part});
  const bool bounces = before != last_press_.end() && time - before->second < deaf_after_press;
  last_press_[{unit.node, part}] = time;
  if (bounces) return;
  const auto at = std::ranges::find_if(
      taken_, [&](const auto& entry) { return entry.second.unit.node == unit.node && entry.second.part == part; });
  if (at != taken_.end()) {
    say_(fmt::format("\"{}\" leaves {}.", name_of(unit, part), at->first));
    taken_.erase(at);
    full_since_.reset();
    return ask();
  }
  const auto free = std::ranges::find_if(seats_, [this](const std::string& seat) { return !taken_.contains(seat); });
  if (free == seats_.end()) return say_(fmt::format("\"{}\" finds every seat taken.", name_of(unit, part)));
  taken_[*free] = {*free, unit, part};
  say_(fmt::format("\"{}\" takes {}.", name_of(unit, part), *free));
  if (taken_.size() == seats_.size()) full_since_ = time;
  ask();
}

bool RollCall::done() const { return full_since_ && now_ - *full_since_ >= time_to_think; }

std::optional<Time> RollCall::next_due() const {
  if (!full_since_) return std::nullopt;
  return *full_since_ + time_to_think;
}

std::vector<RollCall::Seated> RollCall::seated() const {
  std::vector<Seated> all;
  for (const std::string& seat : seats_)
    if (const auto at = taken_.find(seat); at != taken_.end()) all.push_back(at->second);
  return all;
}

Rig RollCall::applied_to(Rig rig) const {
  std::vector<std::string> done;
  for (const Seated& seated : seated()) {
    const RigUnit* known = find_unit(rig, seated.unit, done, seated.part);
    const auto candidates = matches(rig, seated.unit, seated.part);
    const auto free = [&](const Match& match) {
      return match.sureness == Sureness::maybe && std::ranges::find(done, match.unit->name) == done.end();
    };
    if (known == nullptr && std::ranges::count_if(candidates, free) == 1)
      known = std::ranges::find_if(candidates, free)->unit;
    if (known == nullptr) {
      rig.units.push_back(new_unit(rig, seated.unit, seated.seat, seated.part));
      done.push_back(rig.units.back().name);
      continue;
    }
    const auto entry = std::ranges::find(rig.units, known->name, &RigUnit::name);
    entry->seat = seated.seat;
    entry->socket = seated.unit.socket;
    done.push_back(entry->name);
  }
  return rig;
}

}  // namespace omnipar::play
