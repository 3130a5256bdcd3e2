// A control of a unit during learning: its rest position, its movement, and its noise.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/time.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::learn {

/// The fractions of the distance from rest to the end at which an axis counts as moved, and as pushed. No other axis
/// may have reached this fraction of the intended one's distance.
inline constexpr double stirred = 0.3, pushed = 0.6, beside = 0.6;
/// A stick that has not moved for this long is at rest.
inline constexpr Duration long_still{1'000'000};
/// The same for an axis with an unknown rest position: slow users hold a press for 1.5 s. Sooner if it moved and
/// returned.
inline constexpr Duration unsure_still{1'700'000}, back_still{400'000};
/// The same for one that had another rest.
inline constexpr Duration other_still{4'000'000};
/// Released for longer than a switch bounces.
inline constexpr Duration quiet_time{30'000};

/// The number of counts of a deliberate movement.
inline constexpr double meant_counts = 120;

/// A wheel or a paddle may rest anywhere.
[[nodiscard]] inline bool has_no_middle(const Control& control) noexcept {
  return control.type == ControlType::two_sided && control.axis == Axis::none;
}

struct Wire {
  Control control;
  shape::Scale scale;
  double now = 0;
  double base = 0;  ///< its rest
  double low = 0;   ///< since `begin`
  double high = 0;
  double anchor = 0;                    ///< the last clearly different position
  std::optional<double> home{};         ///< its rest before it was left at `base`
  double counts = 0;                    ///< in any direction, since `begin`
  double net = 0, least = 0, most = 0;  ///< and by direction
  Time moved{};
  Time since{}, began{}, until{};
  int first = 0;  ///< the side to which it went, and nothing else
  bool known = false;
  bool sure = false;     ///< it has been observed at rest there
  bool stood = false;    ///< its base was its initial position, not that of a first report
  bool met_off = false;  ///< a stick whose first report was away from its rest, which it has not visited yet
  bool armed = false;    ///< it has been at rest
  bool passed[2] = {};   ///< pushed to that side since `begin`
  bool down = false;
  // Noise: the last turning points of a zigzag, and how a push began.
  bool noisy = false;
  int direction = 0;
  double turn = 0;
  double swing = 0;
  std::array<Time, 6> turns{};
  std::size_t turned = 0;
  Time left{};
  int readings = 0;
  bool jumped = false;
  int left_to = 0;
  double swing_from = 0;  ///< the last distant position, while its rest is uncertain
  int swing_to = 0;
  int swings = 0;    ///< the number of reversals since
  Duration dwelt{};  ///< how long it stood still before its last movement
  [[nodiscard]] bool is_unsure() const noexcept {
    return control.type == ControlType::two_sided && finds_rest() && !sure && !stood;
  }
  /// It has moved, but its rest, and therefore the movement, is still unknown.
  [[nodiscard]] bool is_unclear() const noexcept {
    return is_unsure() && known && (high - low >= stirred || passed[0] || passed[1]);
  }
  bool aside = false;  ///< it has been reported, and moves whenever its unit does
  std::vector<Time> briefs{};

  [[nodiscard]] bool is_axis() const noexcept {
    return control.type == ControlType::one_sided || control.type == ControlType::two_sided;
  }
  [[nodiscard]] bool is_contact() const noexcept {
    return control.type == ControlType::button || control.type == ControlType::hat;
  }
  /// Its rest is inferred, not known from a sheet.
  [[nodiscard]] bool finds_rest() const noexcept {
    return control.type == ControlType::one_sided ||
           (control.type == ControlType::two_sided && !role_kind(control.role));
  }
  [[nodiscard]] double room(int side) const noexcept;
  /// The distance that it went to that side: the way back to the centre does not count.
  [[nodiscard]] double travel(int side) const noexcept;
  [[nodiscard]] double off() const noexcept;
  /// The threshold for movement, which noise does not reach.
  [[nodiscard]] double threshold() const noexcept { return noisy ? pushed : stirred; }
  [[nodiscard]] bool is_stirred() const noexcept { return armed && std::max(travel(-1), travel(1)) >= threshold(); }

  /// How far it is pushed, whichever end it rests at.
  [[nodiscard]] double place_of(std::int32_t value) const noexcept;
  /// From its first report: an unknown axis rests at the end, or at the centre, whichever is close.
  void meet(double at, Time time);
  /// True when it has just begun to oscillate by itself, though never far: then it needs a longer push.
  [[nodiscard]] bool starts_to_shake(double to, Time time);
  /// True if it was far away for only a few readings, faster than any push: noise. `before`: its previous distance;
  /// `regular`: the shortest push of an axis that reports at regular intervals.
  [[nodiscard]] bool was_spike(double before, Time time, Duration regular);
  /// Counts reversals of the axis: after one, it rests where it stands still.
  void follow_swing(double to);
  /// A button is down since its last press; a bouncing switch has not been released.
  void note_release(Time time);
  void forget();
  [[nodiscard]] bool is_down(Time at) const noexcept;
  [[nodiscard]] bool takes_part() const noexcept;
  /// Half of its whole range counts like the distance from its rest.
  [[nodiscard]] double way() const noexcept;
  /// How long it must stand still to count as at rest there; nothing while it is at rest.
  [[nodiscard]] std::optional<Duration> rests_after() const noexcept;
};

}  // namespace omnipar::inline abi_0::learn
