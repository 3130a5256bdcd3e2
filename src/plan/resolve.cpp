#include "plan/resolve.hpp"

#include <algorithm>

namespace omnipar {

const PortProfile* liked_port(const Profile& profile, const PortProfile& port) noexcept {
  if (!port.like || *port.like == port.port) return nullptr;
  const auto other = std::ranges::find(profile.ports, *port.like, &PortProfile::port);
  return other == profile.ports.end() || other->like ? nullptr : &*other;
}

std::vector<Binding> merged_bindings(const Profile& profile, const PortProfile& port) {
  const PortProfile* other = liked_port(profile, port);
  if (other == nullptr) return port.bind;
  std::vector<Binding> merged = other->bind;
  for (const Binding& own : port.bind) {
    std::erase_if(merged, [&](const Binding& b) { return b.target == own.target; });
    merged.push_back(own);
  }
  return merged;
}

const Binding* binding_for(const std::vector<Binding>& bind, std::string_view target) noexcept {
  const auto at = std::ranges::find(bind, target, &Binding::target);
  return at == bind.end() ? nullptr : &*at;
}

std::vector<Use> plain_uses(const std::vector<std::string>& roles) {
  std::vector<Use> uses;
  for (const std::string& role : roles) {
    Use use;
    use.role = role;
    uses.push_back(std::move(use));
  }
  return uses;
}

}  // namespace omnipar
