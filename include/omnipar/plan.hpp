// A plan: a profile resolved against its sheets and checked. Engines run plans.
#pragma once

#include <compare>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "omnipar/catalogue.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/system_sheet.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

class Plan;
}  // namespace omnipar::inline abi_0

namespace omnipar::inline abi_0::plan {
struct PlanData;
const PlanData& body_of(const Plan& plan) noexcept;
}  // namespace omnipar::inline abi_0::plan

namespace omnipar::inline abi_0 {

/// Limits of a plan. Exceeding one is an error (`plan-too-large`).
inline constexpr std::size_t max_targets = 512;
inline constexpr std::size_t max_signals = 2048;
/// Sources of all targets. A d-pad counts as four, a gun as two.
inline constexpr std::size_t max_sources = 4096;
/// Sources that are, or move, axes, sticks or pointers.
inline constexpr std::size_t max_analog_uses = 1024;
inline constexpr std::size_t max_units = 16;

/// A target's index within its port, returned by `Plan::target`. Equal for all ports with the same controller, in every
/// plan with that controller. On other ports the target reads as at rest, and `PortSample::has` returns false.
struct TargetIndex {
  std::uint16_t value = 0;
  std::uint32_t layout = 0;  ///< identifies the controller's set of targets; 0: not checked
  std::int32_t rest = 0;     ///< the `native` value on ports without this target
  friend constexpr bool operator==(const TargetIndex&, const TargetIndex&) = default;
};

/// A target's index among all targets of a plan (`Plan::targets`). A port's first target is at
/// `PortInfo::first_target`.
struct TargetPlace {
  std::uint16_t number = 0;
  // NOLINTNEXTLINE(modernize-use-nullptr): the 0 of a rewritten comparison is no pointer
  friend constexpr auto operator<=>(TargetPlace, TargetPlace) = default;
};

/// A target of a plan. Strings are valid as long as the plan.
struct TargetInfo {
  std::string_view name;
  std::string_view place;  ///< the role in the same position on a pad; may be empty
  /// Never `stick` (two `two_sided` targets), `movement` (two `turns`) or `pointer` (two `coordinate` targets and a
  /// button).
  TargetKind kind = TargetKind::button;
  NativeRange native{};
  bool self_centering = true;  ///< returns to rest when released
  /// For a coordinate: the positions of 0 and 1 on a virtual pointer, as fractions of its range. `spans_across`: of its
  /// other axis, for a game that is rotated by a quarter turn.
  double span_from = 0;
  double span_to = 1;
  bool spans_across = false;
  /// For half of a stick whose gate is not round: how far both axes go in a corner, 1 for a square. 0 for a round gate.
  double corner = 0;
};

/// A port of a plan. Port 0 contains the hotkeys: its targets are their actions.
struct PortInfo {
  int number = 0;
  std::string_view seat;
  std::string_view controller;
  std::uint16_t first_target = 0;
  std::uint16_t target_count = 0;
  std::string_view second_seat{};  ///< the seat of a second player on the same plug; often empty
  std::string_view splitter{};     ///< the accessory that provides the port; often empty

  [[nodiscard]] bool is_played_from(std::string_view wanted) const noexcept {
    return number != 0 && (seat == wanted || (!second_seat.empty() && second_seat == wanted));
  }
};

/// An immutable plan. Copies share their data and can be used from several threads. A plan does not refer to units.
class Plan {
 public:
  /// The name of the profile, and of its machine.
  [[nodiscard]] std::string_view name() const noexcept;
  [[nodiscard]] std::string_view system() const noexcept;
  [[nodiscard]] std::span<const PortInfo> ports() const noexcept;
  /// Returns a port by its number, or nullptr.
  [[nodiscard]] const PortInfo* port(int number) const noexcept;
  /// All targets, ordered by port. `PortInfo::first_target` is an index into this list.
  [[nodiscard]] std::span<const TargetInfo> targets() const noexcept;
  /// Returns a target by its name within a port ("a", "up", "stick-x"), or nothing.
  [[nodiscard]] std::optional<TargetIndex> target(int port, std::string_view name) const noexcept;
  /// The seats that play the plan's ports, in the order of ports.
  [[nodiscard]] std::span<const std::string> seats() const noexcept;
  /// The game's area on its screen, from the profile, or from the machine if the rig has exactly one screen; and the
  /// name of that screen, empty if the rig has none.
  [[nodiscard]] const std::optional<GameArea>& area() const noexcept;
  [[nodiscard]] std::string_view screen() const noexcept;
  /// The size of that screen in pixels after rotation; 0 x 0 without an area.
  [[nodiscard]] PixelSize screen_size() const noexcept;
  /// The time between two frames of the machine.
  [[nodiscard]] Duration frame() const noexcept;
  /// The size in bytes of the state of an engine with this plan.
  [[nodiscard]] std::size_t state_size() const noexcept;
  /// Returns the plan as text, one line for each operation.
  [[nodiscard]] std::string listing() const;

 private:
  friend tl::expected<Plan, Diagnostics> compile(const Catalogue& catalogue, const Profile& profile);
  friend const plan::PlanData& plan::body_of(const Plan& plan) noexcept;
  explicit Plan(std::shared_ptr<const plan::PlanData> data) noexcept : data_(std::move(data)) {}

  std::shared_ptr<const plan::PlanData> data_;
};

/// Resolves and checks a profile. Returns the plan, or all errors of the profile. A profile without hotkeys has none;
/// only sessions add the built-in exit combinations.
[[nodiscard]] tl::expected<Plan, Diagnostics> compile(const Catalogue& catalogue, const Profile& profile);

}  // namespace omnipar::inline abi_0
