// Which sources a target has in the end: its own binding, that of the port that its port is like, or its
// default ones.
#pragma once

#include <string_view>
#include <vector>

#include "omnipar/profile.hpp"
#include "omnipar/system_sheet.hpp"

namespace omnipar {

inline constexpr std::string_view directions_group = "directions";
/// The button that a gun holds down while it does not see the screen.
inline constexpr std::string_view off_screen_role = "off-screen";

/// The port whose bindings this one begins with: of the same profile, another one, and not itself like
/// one. Null if there is none such.
[[nodiscard]] const PortProfile* liked_port(const Profile& profile, const PortProfile& port) noexcept;

/// The bindings of the port that it is like, each replaced by its own if it has one, then its others.
[[nodiscard]] std::vector<Binding> merged_bindings(const Profile& profile, const PortProfile& port);

/// The first binding of a target, or nullptr.
[[nodiscard]] const Binding* binding_for(const std::vector<Binding>& bind, std::string_view target) noexcept;

/// The controller with what is plugged into it; accessories that it does not take are left out.
[[nodiscard]] ControllerSheet equipped(ControllerSheet sheet, const PortProfile& port);

/// Who plays a target of the port; empty if it is the second player's and there is none.
[[nodiscard]] const std::string& seat_of(const PortProfile& port, const TargetSheet& target) noexcept;

/// What may feed such an analog target, for messages: "a stick or a d-pad".
[[nodiscard]] std::string_view sources_of(TargetKind wanted) noexcept;

/// A plain use of each role.
[[nodiscard]] std::vector<Use> plain_uses(const std::vector<std::string>& roles);

}  // namespace omnipar
