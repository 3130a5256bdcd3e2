// Which sources a target has in the end: its own binding, that of the port that its port is like, or its
// default ones.
#pragma once

#include <string_view>
#include <vector>

#include "omnipar/profile.hpp"
#include "omnipar/system_sheet.hpp"

namespace omnipar::inline abi_0::plan {

inline constexpr std::string_view directions_group = "directions";

/// What can be bound of a pointer besides itself: 'aim-reload' is that of 'aim'.
inline constexpr std::string_view centre_suffix = "-centre", reload_suffix = "-reload", off_suffix = "-off-screen",
                                  shots_suffix = "-game-shots";
inline constexpr std::array pointer_suffixes{centre_suffix, reload_suffix, off_suffix, shots_suffix};

/// What becomes of a port's opposite directions: what it says, else what the port says that it is like.
[[nodiscard]] Opposites opposites_of(const Profile& profile, const PortProfile& port) noexcept;

/// One target or group of a port, with the sources that it has in the end.
struct Fed {
  std::string target;
  const TargetSheet* sheet = nullptr;  ///< null: the directions, or one of them
  std::string seat;                    ///< who plays it; empty if it is the second player's and there is none
  std::vector<Use> uses;
  std::vector<std::string> defaults;  ///< what would feed it if nothing were written
  const Binding* binding = nullptr;   ///< where its uses are written; null: they are the default ones
  bool own = false;                   ///< written in this port, not in the one that it is like
};

/// A port as it is played: its controller with what is plugged into it, its bindings, and what follows. The directions
/// come first, then each of them that is bound by itself, then the other targets.
struct PortSources {
  /// Has copies of all that it needs.
  PortSources(const Profile& profile, const PortProfile& port, const ControllerSheet& plain);
  PortSources(const PortSources&) = delete;
  PortSources& operator=(const PortSources&) = delete;

  ControllerSheet sheet;
  std::vector<Binding> bind;
  std::vector<Fed> fed;
  std::vector<Fed> pointer_presses;  ///< what is bound of pointers besides themselves: 'aim-reload'
  std::vector<AreaPoint> game_shots;
};

/// The port whose bindings this one begins with: of the same profile, another one, and not itself like
/// one. Null if there is none such.
[[nodiscard]] const PortProfile* liked_port(const Profile& profile, const PortProfile& port) noexcept;

/// The bindings of the port that it is like, each replaced by its own if it has one, then its others.
[[nodiscard]] std::vector<Binding> merged_bindings(const Profile& profile, const PortProfile& port);

/// The first binding of a target, or nullptr.
[[nodiscard]] const Binding* binding_for(const std::vector<Binding>& bind, std::string_view target) noexcept;

/// What may feed such an analog target, for messages: "a stick or a d-pad".
[[nodiscard]] std::string_view sources_of(TargetKind wanted) noexcept;

}  // namespace omnipar::inline abi_0::plan
