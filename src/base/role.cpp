// The vocabulary of roles: one sorted table and two open families of names.
#include "omnipar/role.hpp"

#include <algorithm>
#include <charconv>

namespace omnipar::inline abi_0 {
namespace {

struct Entry {
  std::string_view name;
  RoleKind kind;
};

constexpr std::array vocabulary = std::to_array<Entry>({
    {"coin", RoleKind::button},
    {"dpad", RoleKind::dpad},
    {"dpad-down", RoleKind::button},
    {"dpad-left", RoleKind::button},
    {"dpad-right", RoleKind::button},
    {"dpad-up", RoleKind::button},
    {"east", RoleKind::button},
    {"gun", RoleKind::pointer},
    {"home", RoleKind::button},
    {"left-shoulder", RoleKind::button},
    {"left-stick", RoleKind::stick},
    {"left-stick-press", RoleKind::button},
    {"left-trigger", RoleKind::one_sided},
    {"mouse", RoleKind::movement},
    {"mouse-left", RoleKind::button},
    {"mouse-middle", RoleKind::button},
    {"mouse-right", RoleKind::button},
    {"mouse-wheel", RoleKind::turns},
    {"north", RoleKind::button},
    {"off-screen", RoleKind::button},
    {"paddle", RoleKind::two_sided},
    {"pedal", RoleKind::one_sided},
    {"pointer", RoleKind::pointer},
    {"reload", RoleKind::button},
    {"right-shoulder", RoleKind::button},
    {"right-stick", RoleKind::stick},
    {"right-stick-press", RoleKind::button},
    {"right-trigger", RoleKind::one_sided},
    {"select", RoleKind::button},
    {"south", RoleKind::button},
    {"spinner", RoleKind::turns},
    {"start", RoleKind::button},
    {"touch", RoleKind::pointer},
    {"touch-press", RoleKind::button},
    {"trackball", RoleKind::movement},
    {"trigger", RoleKind::button},
    {"west", RoleKind::button},
    {"wheel", RoleKind::two_sided},
});
static_assert(std::ranges::is_sorted(vocabulary, {}, &Entry::name));

bool is_panel_button(std::string_view role) {
  constexpr std::string_view family = "panel-";
  if (!role.starts_with(family)) return false;
  const std::string_view digits = role.substr(family.size());
  int number = 0;
  const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), number);
  return error == std::errc{} && end == digits.data() + digits.size() && digits.front() != '0' && number >= 1 &&
         number <= 32;
}

bool is_key(std::string_view role) {
  constexpr std::string_view family = "key-";
  if (!role.starts_with(family) || role.size() == family.size()) return false;
  return std::ranges::all_of(role.substr(family.size()),
                             [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-'; });
}

}  // namespace

std::optional<RoleKind> role_kind(std::string_view role) {
  const auto* const at = std::ranges::lower_bound(vocabulary, role, {}, &Entry::name);
  if (at != vocabulary.end() && at->name == role) return at->kind;
  if (is_panel_button(role) || is_key(role)) return RoleKind::button;
  return std::nullopt;
}

double default_dead_zone(std::string_view role) noexcept {
  constexpr double of_most = 0.15;
  return role == "paddle" ? 0 : of_most;
}

std::optional<StickDirection> stick_direction(std::string_view source) {
  const std::size_t dash = source.rfind('-');
  if (dash == std::string_view::npos) return std::nullopt;
  const auto* const direction = std::ranges::find(direction_names, source.substr(dash + 1));
  const std::string_view stick = source.substr(0, dash);
  if (direction == direction_names.end() || role_kind(stick) != RoleKind::stick) return std::nullopt;
  return StickDirection{std::string{stick}, static_cast<std::size_t>(direction - direction_names.begin())};
}

std::vector<std::string_view> role_names() {
  std::vector<std::string_view> names;
  for (const Entry& entry : vocabulary) names.push_back(entry.name);
  return names;
}

}  // namespace omnipar::inline abi_0
