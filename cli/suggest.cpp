#include "suggest.hpp"

#include <algorithm>
#include <optional>
#include <span>

#include <fmt/format.h>

#include "omnipar/plan.hpp"
#include "omnipar/bindings.hpp"
#include "omnipar/role.hpp"

namespace omnipar::cli {
namespace {

/// A machine with the same kind of aiming, steering or rolling is intended, not one that only has enough buttons.
bool is_special(RoleKind kind) {
  return kind == RoleKind::pointer || kind == RoleKind::turns || kind == RoleKind::movement ||
         kind == RoleKind::two_sided;
}

bool takes(TargetKind target, RoleKind role) {
  return (target == TargetKind::pointer && role == RoleKind::pointer) ||
         (target == TargetKind::turns && role == RoleKind::turns) ||
         (target == TargetKind::movement && role == RoleKind::movement) ||
         (target == TargetKind::two_sided && role == RoleKind::two_sided);
}

bool is_played_by(const SystemSheet& system, RoleKind role) {
  return std::ranges::any_of(system.controllers, [role](const ControllerSheet& controller) {
    return std::ranges::any_of(controller.targets,
                               [role](const TargetSheet& target) { return takes(target.kind, role); });
  });
}

/// The number of targets of the first seat without a source; nothing for an unplayable machine.
std::optional<std::size_t> lacks(const Catalogue& catalogue, const std::string& system,
                                 std::span<const std::string> roles) {
  const auto profile = propose(catalogue, system);
  if (!profile) return std::nullopt;
  const auto plan = compile(catalogue, *profile);
  if (!plan || plan->seats().empty()) return std::nullopt;
  return unserved(*plan, plan->seats().front(), roles).size();
}

}  // namespace

std::string machine_for(const Catalogue& catalogue, const std::vector<std::string>& roles) {
  std::vector<RoleKind> special;
  for (const std::string& role : roles)
    if (const auto kind = role_kind(role); kind && is_special(*kind) && role != "mouse-wheel") special.push_back(*kind);
  const auto fits = [&](const std::string& system) {
    const auto its = lacks(catalogue, system, roles), all = lacks(catalogue, system, {});
    return its && all && 2 * *its <= *all;
  };
  std::string plainest = "pad-2b";
  if (special.empty() && fits(plainest)) return plainest;
  std::string best;
  std::size_t fewest = std::string::npos;
  for (const SystemSheet& system : catalogue.systems) {
    const auto plays = [&system](RoleKind kind) { return is_played_by(system, kind); };
    if (!special.empty() && std::ranges::none_of(special, plays)) continue;
    const auto its = lacks(catalogue, system.name, roles);
    if (!its || *its >= fewest || (special.empty() && !fits(system.name))) continue;
    fewest = *its;
    best = system.name;
  }
  return best;
}

std::string play_command(const Catalogue& catalogue, const std::vector<std::string>& roles,
                         const std::string& options) {
  const std::string machine = machine_for(catalogue, roles);
  if (!machine.empty()) return fmt::format("omnipar play {}{}", machine, options);
  return "omnipar catalogue (no machine in it uses such a unit; you can describe one in a sheet)";
}

}  // namespace omnipar::cli
