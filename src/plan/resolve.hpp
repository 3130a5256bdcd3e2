// The effective sources of a target: its own binding, that of the port that its port is 'like', or its
// default ones.
#pragma once

#include <string_view>
#include <vector>

#include "omnipar/profile.hpp"
#include "omnipar/system_sheet.hpp"

namespace omnipar::inline abi_0::plan {

inline constexpr std::string_view directions_group = "directions";

/// The buttons of a pointer that can be bound: 'aim-reload' belongs to 'aim'.
inline constexpr std::string_view centre_suffix = "-centre", reload_suffix = "-reload", off_suffix = "-off-screen",
                                  shots_suffix = "-game-shots";
inline constexpr std::array pointer_suffixes{centre_suffix, reload_suffix, off_suffix, shots_suffix};

/// How a port treats opposite directions: by its own setting, otherwise by that of the port that it is 'like'.
[[nodiscard]] Opposites opposites_of(const Profile& profile, const PortProfile& port) noexcept;

/// One target or group of a port, with its effective sources.
struct Fed {
  std::string target;
  const TargetSheet* sheet = nullptr;  ///< null: the directions, or one of them
  std::string seat;                    ///< the seat that plays it; empty if it is a missing second player's
  std::vector<Use> uses;
  std::vector<std::string> defaults;  ///< the default sources
  const Binding* binding = nullptr;   ///< where its binding is written; null: it is a default
  bool own = false;                   ///< written in this port, not in the one that it is 'like'
};

/// A port as it is played: its controller with its accessories, its bindings, and their consequences. The directions
/// come first, then each direction with its own binding, then the other targets.
struct PortSources {
  /// Holds copies of everything that it needs.
  PortSources(const Profile& profile, const PortProfile& port, const ControllerSheet& plain);
  PortSources(const PortSources&) = delete;
  PortSources& operator=(const PortSources&) = delete;

  ControllerSheet sheet;
  std::vector<Binding> bind;
  std::vector<Fed> fed;
  std::vector<Fed> pointer_presses;  ///< bindings of pointers' buttons: 'aim-reload'
  std::vector<AreaPoint> game_shots;
};

/// The port whose bindings this one starts from: another one of the same profile, which is not itself 'like'
/// another. Null if there is none.
[[nodiscard]] const PortProfile* liked_port(const Profile& profile, const PortProfile& port) noexcept;

/// The bindings of the port that it is 'like', each replaced by its own if it has one, then its other bindings.
[[nodiscard]] std::vector<Binding> merged_bindings(const Profile& profile, const PortProfile& port);

/// The first binding of a target, or nullptr.
[[nodiscard]] const Binding* binding_for(const std::vector<Binding>& bind, std::string_view target) noexcept;

/// Possible sources of such an analog target, for messages: "a stick or a d-pad".
[[nodiscard]] std::string_view sources_of(TargetKind wanted) noexcept;

}  // namespace omnipar::inline abi_0::plan
