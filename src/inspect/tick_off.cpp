#include "inspect/tick_off.hpp"

#include <algorithm>
#include <array>
#include <bit>

#include <fmt/format.h>

#include "base/list.hpp"
#include "omnipar/bindings.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

/// How far an axis must go to count as at its end, and how close to an edge a pointer must come.
constexpr double at_end = 0.9;
constexpr double near_edge = 0.2;

/// In the order of `direction_names`.
enum Way : std::uint8_t { up = 1, down = 2, left = 4, right = 8 };

std::uint8_t wanted_of(TargetKind kind) {
  switch (kind) {
    case TargetKind::button:
    case TargetKind::one_sided:
      return right;
    case TargetKind::two_sided:
    case TargetKind::turns:
      return left | right;
    default:
      return up | down | left | right;
  }
}

/// The ends that a value of -1 to 1 is at, or that a movement goes to.
std::uint8_t ends(double x, double y, double end) {
  const auto one = [end](double value, Way low, Way high) {
    return value >= end ? std::uint8_t{high} : value <= -end ? std::uint8_t{low} : std::uint8_t{0};
  };
  return static_cast<std::uint8_t>(one(x, left, right) | one(y, up, down));
}

std::uint8_t seen_now(const SeenTarget& target) {
  const double x = target.value[0];
  const double y = target.value.size() > 1 ? target.value[1] : 0;
  switch (target.kind) {
    case TargetKind::button:
      return target.native[0] != 0 ? right : 0;
    case TargetKind::turns:
    case TargetKind::movement:
      return ends(x, y, 1);
    case TargetKind::pointer:
      return target.lit ? ends(2 * x - 1, 2 * y - 1, 1 - 2 * near_edge) : 0;
    default:
      return ends(x, y, at_end);
  }
}

std::string open_words(const TickedTarget& target) {
  if (target.ticked == 0) return target.name;
  std::vector<std::string> ways;
  for (std::size_t d = 0; d < direction_names.size(); ++d)
    if (((target.wanted & ~target.ticked) >> d & 1) != 0) ways.emplace_back(direction_names[d]);
  return fmt::format("{} ({})", target.name, fmt::join(ways, ", "));
}

}  // namespace

std::size_t TickedPort::ticked() const noexcept {
  return static_cast<std::size_t>(
      std::ranges::count_if(targets, [](const TickedTarget& target) { return target.bound && !target.is_open(); }));
}

std::size_t TickedPort::expected() const noexcept {
  return static_cast<std::size_t>(std::ranges::count(targets, true, &TickedTarget::bound));
}

std::vector<std::string> TickedPort::open() const {
  std::vector<std::string> names;
  for (const TickedTarget& target : targets)
    if (target.is_open()) names.push_back(open_words(target));
  return names;
}

TickOff::TickOff(const Plan& plan, const Seen& seen, std::vector<int> players) : players_(std::move(players)) {
  const std::vector<bool> bound = bound_targets(plan);
  for (const SeenPort& port : seen.ports()) {
    TickedPort& made = ports_.emplace_back(TickedPort{port.number, port.seat, port.controller, {}, port.is_played});
    for (const SeenTarget& target : port.targets) {
      TickedTarget& ticked = made.targets.emplace_back();
      ticked.name = target.name;
      ticked.kind = target.kind;
      ticked.bound = std::ranges::any_of(target.of, [&bound](std::uint16_t t) { return bound[t]; });
      ticked.wanted = wanted_of(target.kind);
    }
    was_down_.emplace_back(port.targets.size());
  }
}

void TickOff::carry_over(const TickOff& before) {
  for (TickedPort& port : ports_)
    for (const TickedPort& other : before.ports_) {
      if (other.number != port.number) continue;
      port.was_played = port.was_played || other.was_played;
      if (other.controller != port.controller) continue;
      for (std::size_t t = 0; t < std::min(port.targets.size(), other.targets.size()); ++t) {
        if (port.targets[t].name != other.targets[t].name) continue;
        port.targets[t].ticked = other.targets[t].ticked;
        port.targets[t].presses = other.targets[t].presses;
      }
    }
}

void TickOff::update(const Seen& seen) {
  for (std::size_t p = 0; p < ports_.size(); ++p) {
    ports_[p].was_played = ports_[p].was_played || seen.ports()[p].is_played;
    for (std::size_t t = 0; t < ports_[p].targets.size(); ++t) {
      const SeenTarget& target = seen.ports()[p].targets[t];
      TickedTarget& ticked = ports_[p].targets[t];
      const std::uint8_t now = seen_now(target);
      ticked.ticked = static_cast<std::uint8_t>(ticked.ticked | (now & ticked.wanted));
      if (target.kind != TargetKind::button) continue;
      if (now != 0 && !was_down_[p][t]) ++ticked.presses;
      was_down_[p][t] = now != 0;
    }
  }
}

void TickOff::tick(int port, std::string_view target) {
  for (TickedPort& ticked : ports_)
    for (TickedTarget& one : ticked.targets)
      if (ticked.number == port && one.name == target && one.kind == TargetKind::button) {
        one.ticked = static_cast<std::uint8_t>(one.ticked | (right & one.wanted));
        ++one.presses;
        ticked.was_played = true;
      }
}

bool TickOff::is_expected(const TickedPort& port) const noexcept {
  return players_.empty() || std::ranges::find(players_, port.number) != players_.end();
}

bool TickOff::complete() const noexcept {
  return std::ranges::all_of(ports_, [this](const TickedPort& port) {
    return !is_expected(port) || std::ranges::none_of(port.targets, &TickedTarget::is_open);
  });
}

bool TickOff::complete_for_those_there() const noexcept {
  return std::ranges::any_of(ports_, &TickedPort::was_played) &&
         std::ranges::all_of(ports_, [this](const TickedPort& port) {
           return !is_expected(port) || !port.was_played || std::ranges::none_of(port.targets, &TickedTarget::is_open);
         });
}

std::vector<std::string> TickOff::result() const {
  std::vector<std::string> lines;
  std::vector<std::string> whole, away;
  for (const TickedPort& port : ports_) {
    if (!is_expected(port)) continue;
    const std::vector<std::string> open = port.open();
    if (!port.was_played && !open.empty())
      away.push_back(std::to_string(port.number));
    else if (open.empty())
      whole.push_back(std::to_string(port.number));
    else
      lines.push_back(fmt::format("Player {} is missing {}.", port.number, some_listed(open, open.size())));
  }
  if (!whole.empty())
    lines.insert(lines.begin(), fmt::format("{} {} complete.", whole.size() == 1 ? "Player" : "Players",
                                            some_listed(whole, 16) + (whole.size() == 1 ? " is" : " are")));
  if (!away.empty())
    lines.push_back(
        fmt::format("No input from {} {}.", away.size() == 1 ? "player" : "players", some_listed(away, 16)));
  return lines;
}

}  // namespace omnipar::inline abi_0::inspect
