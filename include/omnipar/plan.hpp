// A plan: a profile and its sheets, resolved and checked; what an engine runs.
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

/// Stated limits; a plan beyond them is an error (`plan-too-large`), never a slow plan.
inline constexpr std::size_t max_targets = 512;
inline constexpr std::size_t max_signals = 2048;
/// What feeds the plan's targets: a use of a d-pad counts four times, one of a gun twice.
inline constexpr std::size_t max_sources = 4096;
/// Uses of axes, sticks and pointers, or that move some.
inline constexpr std::size_t max_analog_uses = 1024;
inline constexpr std::size_t max_units = 16;

/// A target's place within its port; the same for all ports that have the same controller, in every plan that has it.
/// `Plan::target` makes them. On a port that has another controller, or none, a target reads as at rest, and
/// `PortSample::has` says so.
struct TargetIndex {
  std::uint16_t value = 0;
  std::uint32_t layout = 0;  ///< all the targets of that controller, in one number; 0: whatever is at the place
  std::int32_t rest = 0;     ///< what `native` reads where there is no such target
  friend constexpr bool operator==(const TargetIndex&, const TargetIndex&) = default;
};

/// A target's place among all of a plan (`Plan::targets`): the port's first one is at `PortInfo::first_target`.
struct TargetPlace {
  std::uint16_t number = 0;
  // NOLINTNEXTLINE(modernize-use-nullptr): the 0 of a rewritten comparison is no pointer
  friend constexpr auto operator<=>(TargetPlace, TargetPlace) = default;
};

/// What a plan says of one target. The strings live as long as the plan.
struct TargetInfo {
  std::string_view name;
  std::string_view place;  ///< the role whose place it has under the hand; may be empty
  /// Never `stick`, which is two `two_sided` targets, `movement`, which is two `turns`, or `pointer`, which is two
  /// of `coordinate` and a button.
  TargetKind kind = TargetKind::button;
  NativeRange native{};
  bool self_centering = true;  ///< returns to rest when it is released
  /// Of a coordinate: where 0 and 1 of it come out on a virtual pointer, of its whole range, and whether across it (a
  /// game that is turned by a quarter has its x downwards).
  double span_from = 0;
  double span_to = 1;
  bool spans_across = false;
  /// Of half of a stick whose gate is not round: where both axes are at a full push in a diagonal direction, 1 for a
  /// square. Else 0: the corners are on the circle.
  double corner = 0;
};

/// What a plan says of one port. Port 0 belongs to the hotkeys: its targets are their actions.
struct PortInfo {
  int number = 0;
  std::string_view seat;
  std::string_view controller;
  std::uint16_t first_target = 0;
  std::uint16_t target_count = 0;
  std::string_view second_seat{};  ///< of a second player on the same plug; mostly empty
  std::string_view splitter{};     ///< what must be plugged in for the port to be there; mostly empty

  [[nodiscard]] bool is_played_from(std::string_view wanted) const noexcept {
    return number != 0 && (seat == wanted || (!second_seat.empty() && second_seat == wanted));
  }
};

/// Immutable; copies share one body and may be used from several threads at once. Names no unit.
class Plan {
 public:
  /// What the profile is called, and its machine.
  [[nodiscard]] std::string_view name() const noexcept;
  [[nodiscard]] std::string_view system() const noexcept;
  [[nodiscard]] std::span<const PortInfo> ports() const noexcept;
  /// The port of that number, or nullptr.
  [[nodiscard]] const PortInfo* port(int number) const noexcept;
  /// All targets, port after port; `PortInfo::first_target` indexes it.
  [[nodiscard]] std::span<const TargetInfo> targets() const noexcept;
  /// A target by its name within a port ("a", "up", "stick-x"), or nothing.
  [[nodiscard]] std::optional<TargetIndex> target(int port, std::string_view name) const noexcept;
  /// The seats that the plan's ports are played from, in order of port.
  [[nodiscard]] std::span<const std::string> seats() const noexcept;
  /// Where the game is on its screen, if the profile says so, or if the machine does and the rig has exactly one
  /// screen; and the name of that screen, empty if the rig has none.
  [[nodiscard]] const std::optional<GameArea>& area() const noexcept;
  [[nodiscard]] std::string_view screen() const noexcept;
  /// In pixels, as one sees it; nothing of it without an area.
  [[nodiscard]] PixelSize screen_size() const noexcept;
  /// The time between two frames of the machine.
  [[nodiscard]] Duration frame() const noexcept;
  /// Bytes of state that an engine of this plan keeps; all of it in one block.
  [[nodiscard]] std::size_t state_size() const noexcept;
  /// The plan as text, a line an operation.
  [[nodiscard]] std::string listing() const;

 private:
  friend tl::expected<Plan, Diagnostics> compile(const Catalogue& catalogue, const Profile& profile);
  friend const plan::PlanData& plan::body_of(const Plan& plan) noexcept;
  explicit Plan(std::shared_ptr<const plan::PlanData> data) noexcept : data_(std::move(data)) {}

  std::shared_ptr<const plan::PlanData> data_;
};

/// Resolves and checks a profile. Every error of the profile is reported, not the first alone. A profile without
/// hotkeys has none: the combinations that always exit are added by a session.
[[nodiscard]] tl::expected<Plan, Diagnostics> compile(const Catalogue& catalogue, const Profile& profile);

}  // namespace omnipar::inline abi_0
