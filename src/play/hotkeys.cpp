#include "play/hotkeys.hpp"

#include <vector>

namespace omnipar::inline abi_0::play {

Profile with_exit_hotkeys(Profile profile) {
  std::erase_if(profile.hotkeys, is_built_in);
  for (Hotkey& exit : built_in_exits()) profile.hotkeys.push_back(std::move(exit));
  return profile;
}

tl::expected<Plan, Diagnostics> swapped_plan(const Catalogue& catalogue, Profile& profile) {
  std::vector<int> ours;
  for (const PortProfile& port : profile.ports)
    if (!port.not_ours) ours.push_back(port.port);
  if (ours.size() < 2)
    return tl::unexpected(Diagnostics{{"no-second-port", Severity::error, "there are not two ports to swap", "",
                                       "add a second port to the profile"}});
  Profile swapped = with_ports_swapped(catalogue, profile, ours[0], ours[1]);
  auto plan = compile(catalogue, swapped);
  if (plan) profile = std::move(swapped);
  return plan;
}

}  // namespace omnipar::inline abi_0::play
