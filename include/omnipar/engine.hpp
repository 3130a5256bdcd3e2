// The engine: runs a plan on the reports of attached units.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/report.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

class Engine;
}  // namespace omnipar::inline abi_0

namespace omnipar::inline abi_0::engine {
struct State;
class Sampler;
std::shared_ptr<const State> state_of(const Engine& engine) noexcept;
}  // namespace omnipar::inline abi_0::engine

namespace omnipar::inline abi_0 {

/// Identifies an attached unit. Ids are never reused.
struct UnitId {
  std::uint64_t number = 0;  ///< 0: no unit
  /// The unit's slot, less than `max_units`. Slots are reused after `detach`.
  [[nodiscard]] constexpr std::size_t slot() const noexcept { return number % max_units; }
  friend constexpr bool operator==(const UnitId&, const UnitId&) = default;
};

/// Translates reports of units into values and press counts of a plan's targets.
///
/// State: all state is in one flat block (`state`). It changes only by reports, deadlines and ticks; reading through a
/// `Reader` does not change it.
///
/// Sources: every source of a binding counts separately for each unit, with its own debounce, long press and ramp. A
/// button target is pressed while any source on any unit holds it. An analog target has the value of the source with
/// the greatest length; among equal ones (squared lengths within 1e-12, relative), of the first in the binding's order,
/// then of the unit in the lower slot. A two-sided axis moved by a pedal has the sum of its sources. Counts add up.
///
/// Reports: a report is processed as a whole: first all presses in any order, then all releases, then opposite
/// directions, and finally whether a pointer is on its area. If a press turns a toggle off, its target is released at
/// that point of the report: a later press from another source is a new press, an earlier one keeps the target pressed.
///
/// Threads: an engine and its readers must be used from one thread.
class Engine {
 public:
  /// Creates an engine at time 0 without units, with all targets at rest. May allocate.
  explicit Engine(Plan plan);
  /// Existing readers show all targets at rest from then on.
  ~Engine();
  /// Readers follow the moved engine. A moved-from engine can only be assigned to or destroyed.
  Engine(Engine&&) noexcept;
  Engine& operator=(Engine&&) noexcept;

  /// Attaches a unit and returns its id.
  ///
  /// Buttons that are pressed in `Attachment::state` count from their next press; with `by_press`, they count
  /// immediately for port 0. Axis values count immediately, but as presses only when they next pass their threshold.
  /// Axes that are missing in `state` are treated as at rest; they do not move targets that are not self-centering
  /// before their first report.
  ///
  /// May allocate. Fails without effect with `too-many-units`, `too-many-controls` (limits: 256 buttons, where a hat
  /// counts as two, 32 axes, 255 codes), `unknown-seat` (no port is played from it), `unknown-role`, or `bad-range` (an
  /// axis whose minimum is not less than its maximum).
  tl::expected<UnitId, Diagnostic> attach(const Attachment& attachment);

  /// Detaches a unit. Targets held only by this unit return to rest at once; targets held by others, and their pending
  /// debounces, long presses and ramps, are unaffected. Targets that are not self-centering are released by buttons,
  /// then keep their position until a source reports a new one. An unknown id is ignored.
  void detach(UnitId unit) noexcept;

  /// Processes a report. First advances to the report's time, or uses the current time if the report is older. Then
  /// applies all changes at once, presses before releases. A code can occur several times: each press, and each passing
  /// of a threshold, counts. Unknown units and codes are ignored and counted in `ignored`.
  void feed(UnitId unit, const Report& report) noexcept;

  /// Advances time to `now`, at most to `latest_time`, and processes deadlines and ticks in order. The resulting state
  /// does not depend on how the time is divided into calls, bit for bit. Earlier times are ignored.
  void advance(Time now) noexcept;

  /// Returns the next time at which something may change without a report, or nothing if everything is at rest.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;
  [[nodiscard]] Time now() const noexcept;

  /// Returns all targets to rest at once, except those that are not self-centering, and ignores input until `thaw`.
  /// Buttons that are pressed then count from their next press. Port 0, the hotkeys, is unaffected, so that a hotkey
  /// can end the freeze.
  void freeze() noexcept;
  void thaw() noexcept;
  [[nodiscard]] bool frozen() const noexcept;

  /// Replaces the plan. All targets return to rest at once, and pressed controls count from their next press; known
  /// analog values count immediately. Units and readers stay valid.
  ///
  /// These are transferred to a target with the same port, name and kind: the position of targets that are not
  /// self-centering, and presses and counts that a reader has not shown yet. Target indices stay valid on ports with
  /// the same controller, and read as at rest on others.
  ///
  /// Returns the units that the new plan cannot use. They remain attached. May allocate.
  std::vector<UnitId> adopt(Plan plan);

  /// Returns the size in bytes that `save` currently needs.
  [[nodiscard]] std::size_t save_size() const noexcept;
  /// Saves the state of the engine and of all its readers: held, counted, pending and not yet shown. Does not allocate.
  /// Returns false if `into` is too small.
  bool save(std::span<std::byte> into) const noexcept;
  /// Restores a saved state, except for the physical controls: controls held now are pressed, all others are released.
  /// Time continues from now; deadlines keep their distance to the current time. Readers show again what they showed
  /// then: a press shown since is not shown again, one not yet shown then is shown later. Targets whose shown value
  /// changes are in `changed` of the next sample. Without reports in between, the state is identical bit for bit.
  /// Readers created after `save` are not affected. Does not allocate.
  ///
  /// Returns false without effect if `saved` belongs to another engine, or if units, the plan or the frozen state have
  /// changed since.
  bool restore(std::span<const std::byte> saved) noexcept;

  /// Returns the current raw values of a unit: all buttons, and the hats and axes that have been reported, each code
  /// once. Empty for an unknown id. Allocates.
  [[nodiscard]] std::vector<Change> present(UnitId unit) const;

  /// For a unit that learns its ranges while playing: returns the axes that went beyond their initial range on every
  /// side.
  [[nodiscard]] std::vector<AxisCalibration> ranges_by_use(UnitId unit) const;

  [[nodiscard]] const Plan& plan() const noexcept;
  /// Returns the number of changes from unknown units or with unknown codes.
  [[nodiscard]] std::uint64_t ignored() const noexcept;
  /// Returns the state as bytes, for comparison. Valid until the next `adopt` or until the engine is destroyed.
  [[nodiscard]] std::span<const std::byte> state() const noexcept;

 private:
  friend std::shared_ptr<const engine::State> engine::state_of(const Engine& engine) noexcept;
  void end() noexcept;
  std::shared_ptr<engine::State> state_;
};

}  // namespace omnipar::inline abi_0
