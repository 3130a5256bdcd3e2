#include "inspect/arrange.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <optional>
#include <string_view>

namespace omnipar::inline abi_0::inspect {
namespace {

struct RolePlace {
  std::string_view role;
  Spot at;
};

/// A typical pad: 160 by 90 mm.
constexpr std::array common_pad = std::to_array<RolePlace>({
    {"left-trigger", {25, 0}},
    {"right-trigger", {135, 0}},
    {"left-shoulder", {25, 10}},
    {"right-shoulder", {135, 10}},
    {"dpad", {30, 35}},
    {"dpad-up", {30, 25}},
    {"dpad-left", {18, 35}},
    {"dpad-right", {42, 35}},
    {"dpad-down", {30, 45}},
    {"select", {66, 25}},
    {"coin", {66, 15}},
    {"home", {80, 35}},
    {"start", {94, 25}},
    {"north", {130, 25}},
    {"west", {118, 35}},
    {"east", {142, 35}},
    {"south", {130, 45}},
    {"left-stick", {50, 60}},
    {"right-stick", {110, 60}},
    {"left-stick-press", {50, 70}},
    {"right-stick-press", {110, 70}},
    {"gun", {80, 0}},
    {"pointer", {80, 0}},
    {"touch", {80, 0}},
    {"trigger", {40, 12}},
    {"reload", {120, 12}},
    {"off-screen", {120, 22}},
    {"pedal", {80, 22}},
    {"mouse-wheel", {80, 22}},
    {"touch-press", {80, 12}},
    {"mouse", {80, 0}},
    {"mouse-left", {40, 12}},
    {"mouse-middle", {80, 12}},
    {"mouse-right", {120, 12}},
    {"trackball", {80, 60}},
    {"spinner", {80, 60}},
    {"wheel", {80, 12}},
    {"paddle", {80, 12}},
});

constexpr double common_width = 150;
constexpr double lower_edge = 80;  ///< items without a place begin below

/// Panel buttons in rows of four, to the right of the lever.
std::optional<Spot> panel_place(std::string_view role) {
  constexpr std::string_view family = "panel-";
  if (!role.starts_with(family)) return std::nullopt;
  int number = 0;
  std::from_chars(role.data() + family.size(), role.data() + role.size(), number);
  constexpr int a_row = 4;
  const int row = (number - 1) / a_row;
  return Spot{70 + 24.0 * ((number - 1) % a_row), 35 + 10.0 * row};
}

std::optional<Spot> place_of(std::string_view role) {
  const auto* const found = std::ranges::find(common_pad, role, &RolePlace::role);
  return found != common_pad.end() ? std::optional{found->at} : panel_place(role);
}

/// Three per row, across the whole width, continuing downwards.
void add_below(std::vector<Placed>& all, const std::vector<std::size_t>& indices, Spot corner) {
  constexpr std::size_t a_row = 3;
  const double row_height = corner.y / 8;
  for (std::size_t i = 0; i < indices.size(); ++i) {
    const std::size_t row = i / a_row;
    const double part = static_cast<double>(2 * (i % a_row) + 1) / (2.0 * a_row);
    all.push_back({indices[i], -1, corner.x * part, corner.y + row_height * static_cast<double>(row)});
  }
}

/// One item, or the four directions of a cross.
void add(std::vector<Placed>& all, std::size_t index, Spot at, bool is_cross, double reach) {
  if (!is_cross) {
    all.push_back({index, -1, at.x, at.y});
    return;
  }
  constexpr std::array<Spot, 4> ways{{{0, -1}, {0, 1}, {-1, 0}, {1, 0}}};
  for (std::size_t d = 0; d < ways.size(); ++d)
    all.push_back({index, static_cast<int>(d), at.x + ways[d].x * reach, at.y + ways[d].y * reach});
}

}  // namespace

std::vector<Placed> arranged(const SeenUnit& unit) {
  const auto is_placed = [](const SeenControl& control) { return control.at.has_value() || !control.is_known; };
  const bool by_sheet = std::ranges::all_of(unit.controls, is_placed);
  double wide = 0, high = lower_edge;
  for (const SeenControl& control : unit.controls) {
    if (!by_sheet || !control.at) continue;
    wide = std::max(wide, control.at->x);
    high = std::max(high, control.at->y);
  }
  constexpr double arm = 1.0 / 14;  // of a cross, relative to the whole width
  std::vector<Placed> all;
  std::vector<std::size_t> elsewhere;
  for (std::size_t c = 0; c < unit.controls.size(); ++c) {
    const SeenControl& control = unit.controls[c];
    if (const auto at = by_sheet ? control.at : place_of(control.role))
      add(all, c, *at, control.kind == RoleKind::dpad, by_sheet ? wide * arm : 11);
    else
      elsewhere.push_back(c);
  }
  if (!all.empty()) add_below(all, elsewhere, by_sheet ? Spot{wide, high * 1.1} : Spot{common_width, lower_edge});
  return all;
}

std::vector<Placed> arranged(const SeenPort& port) {
  std::vector<Placed> all;
  std::vector<std::size_t> elsewhere;
  for (std::size_t t = 0; t < port.targets.size(); ++t) {
    const SeenTarget& target = port.targets[t];
    const auto at = target.place.empty() ? std::nullopt : place_of(target.place);
    const bool taken =
        at && std::ranges::any_of(all, [&at](const Placed& other) { return other.x == at->x && other.y == at->y; });
    if (at && !taken)
      all.push_back({t, -1, at->x, at->y});
    else
      elsewhere.push_back(t);
  }
  add_below(all, elsewhere, {common_width, lower_edge});
  return all;
}

}  // namespace omnipar::inline abi_0::inspect
